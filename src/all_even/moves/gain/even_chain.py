"""Level after each station as before it, so that every comparison is of the sound and not of its loudness.

The other school, a little gain per station, is a setting: then each station adds that much. Where a station has a
make-up or an output level, that is set; a station without one is left alone, and only its bypass made as loud.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book import flow as flows
from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.editing.chain_edits import output_of
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

OFF_DB = 1.5
"""Proposed where a station's level is off by more."""
ROUNDS = 2


def changes_db(look: Look, strip_id: str) -> dict[str, float]:
    """By how much each station that could be put right is off, dB, by its id."""
    session = look.session
    flow = look.strip_flow(strip_id)
    known = flow.strip(session, strip_id) if flow is not None else None
    if known is None:
        return {}
    found = {}
    for index, station in enumerate(session.chain(strip_id)):
        change = flows.change_db(known, index)
        if change is not None and output_of(station) and not station.bypass:
            found[station.id] = change - session.settings.station_gain_db
    return found


def furthest_db(look: Look, arguments: Arguments) -> float | None:
    """The largest difference between a station's level and what is wanted of it, dB."""
    changes = changes_db(look, str(arguments["strip"]))
    return max((abs(change) for change in changes.values()), default=None)


def propose(look: Look) -> list[Proposal]:
    session = look.session
    # Parallel buses are crushed on purpose, and the glue of the mix has no make-up.
    copies = {bus.id for bus in session.buses if bus.use != "group"}
    strips = [(strip.id, strip.name) for strip in session.strips if strip.chain and strip.id not in copies]
    found = []
    for strip_id, name in strips:
        changes = changes_db(look, strip_id)
        furthest = max((abs(change) for change in changes.values()), default=0.0)
        if furthest > OFF_DB:
            found.append(_proposal(session, strip_id, name, changes, furthest))
    return found


def _proposal(session: Session, strip_id: str, name: str, changes: dict[str, float], furthest: float) -> Proposal:
    worst = max(changes, key=lambda item: abs(changes[item]))
    label = next(station.LABEL for station in session.chain(strip_id) if station.id == worst)
    school = session.settings.station_gain_db
    wanted = "as before it" if school == 0.0 else f"{number(school)} dB over the one before it"
    return KIND.move(
        targets=(strip_id,),
        of=strip_id,
        title=f"{name}: level after each processor {wanted}",
        reason=f"{label} changes the level by {number(changes[worst] + school)} dB: with and without it can't be "
        "compared fairly. Its output level is set; what the chain gives to the fader changes too: do this before "
        "the balance.",
        evidence={f"{station}_off_db": change for station, change in changes.items()},
        metric=METRIC,
        arguments={"strip": strip_id},
        before=furthest,
        expected=0.0,
        source="trial",
        weight=1.0,
    )


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """The output levels, found on the sound: each station changes what the next one meets."""
    (strip_id,) = proposal.targets
    session = look.session
    for _ in range(ROUNDS):
        for station in session.chain(strip_id):
            change = changes_db(look.at(session), strip_id).get(station.id)
            if change is not None and abs(change) > 0.05:
                session = chain_edits.match_station(session, strip_id, station.id, change)
    outputs = {
        station.id: float(getattr(station, output_of(station)))
        for station in session.chain(strip_id)
        if output_of(station)
    }
    return replace(proposal, parameters={"outputs_db": outputs})


def edit(session: Session, proposal: Proposal) -> Session:
    (strip_id,) = proposal.targets
    outputs = proposal.parameters.get("outputs_db")
    for station in session.chain(strip_id):
        if isinstance(outputs, dict) and station.id in outputs and output_of(station):
            values = {output_of(station): outputs[station.id]}
            session = chain_edits.change_station(session, strip_id, station.id, **values)
    return session


KIND = Kind("gain.even-chain", ("names", "chains", "strips", "mix", "settings"), propose, edit, prepare)
METRIC = Metric(
    "station-off", "furthest a processor is off its level", "dB", 1, 0.3, ("strips", "mix", "settings"), furthest_db
)  # fmt: skip
