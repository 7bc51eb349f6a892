"""Silent trigger: the bass steps back at the kick's click, keyed by a copy of the kick that nobody hears."""

from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import number
from all_even.dsp.processor import Key, numbers
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.moves.buses.finding import STRONGEST_GAIN, find_threshold, strongest
from all_even.moves.buses.tracks import CLICK_FIRST, ids, is_ducked, kicks, of_family, present
from all_even.moves.kind import Kind, measured_later, text_of
from all_even.session.editing import chain_edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

DUCK_DB = 4.0
START_DB = -30.0


def propose(look: Look) -> list[Proposal]:
    session = look.session
    kick, bass = kicks(session), of_family(session, "bass")
    if not kick or not bass or any(is_ducked(lane) for lane in bass):
        return []
    said = verdict(look)
    if said is not None and not said.collides:
        return []  # a duck for nothing
    source = min(kick, key=lambda lane: CLICK_FIRST.index(lane.role))
    return [
        KIND.move(
            targets=ids(bass),
            title=f"Silent trigger from {source.name} ducks {bass[0].name}" + (" and more" if len(bass) > 1 else ""),
            reason="A copy of the kick without output, high-passed to its click, keys the bass: depth and length can "
            "then be set nearly independently, and muting or turning the kick changes nothing. Threshold found for "
            f"{number(DUCK_DB, 0)} dB; set the release to the kick's tail.",
            parameters={"key": source.id},
            evidence={"key": source.name, "aim_db": DUCK_DB},
            metric=STRONGEST_GAIN,
            arguments={"strip": bass[0].id, "station": "Compressor"},
            before=0.0,
            expected=-DUCK_DB,
            source="trial",
            weight=4.0,
        )
    ]


def prepare(look: Look, proposal: Proposal) -> Proposal:
    trial, trigger = _triggered(look.session, text_of(proposal, "key"))
    click = look.at(trial).loudest(trigger)
    threshold = find_threshold(
        lambda value: replace(_duck(value, trigger), key=None), click, look.session.sample_rate, DUCK_DB, strongest
    )
    return replace(
        proposal,
        parameters={**proposal.parameters, "threshold_db": THRESHOLD.clamped(threshold)},
        evidence={**proposal.evidence, "threshold_db": round(threshold, 1)},
    )


def _triggered(session: Session, kick: str) -> tuple[Session, str]:
    session, trigger = routing_edits.silent_trigger(session, kick)
    return chain_edits.add_station(session, trigger, HighPass(frequency_hz=1500.0, slope=24)), trigger


def edit(session: Session, proposal: Proposal) -> Session:
    session, trigger = _triggered(session, text_of(proposal, "key"))
    threshold_db = float(proposal.parameters.get("threshold_db", START_DB))  # type: ignore[arg-type]
    for bass in present(session, proposal.targets):
        session = chain_edits.add_station(session, bass, _duck(threshold_db, trigger))
    return session


def _duck(threshold_db: float, trigger: str) -> Compressor:
    return Compressor(
        threshold_db=threshold_db, ratio=4.0, knee_db=0.0, attack_ms=2.0, hold_ms=30.0, release_ms=90.0,
        range_db=DUCK_DB + 2.0, key=Key(source=trigger),
    )  # fmt: skip


THRESHOLD = numbers(Compressor)["threshold_db"]
DEPENDS_ON = ("files", "order", "names", "routing", "levels", "chains", "strips", "settings")
KIND = Kind(
    "buses.silent-trigger", DEPENDS_ON, propose, edit, prepare,
    optional=True,
    parameters={"threshold_db": THRESHOLD}, changed=measured_later,
)  # fmt: skip
