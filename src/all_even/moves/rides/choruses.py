"""Effects up in choruses: the returns' faders automated section by section.

A chorus is what is called so; where no section has a name, the letter whose sections have the most sound in them. The
step falls on the section's start. A matter of taste.
"""

import numpy as np
from msgspec.structs import replace

from all_even import decibels
from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.figures.arriving import spectra
from all_even.figures.book.look import Look
from all_even.figures.song import SONG
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import loudness_weights
from all_even.measure.time.sections import Section
from all_even.moves.kind import Kind, value_of, values_of
from all_even.moves.metric import Arguments, Metric
from all_even.moves.space.figures import DEPENDS_ON, MEASURED_ON, bus_of
from all_even.session.editing import chain_edits
from all_even.session.model import routing, space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus

WORDS = ("chorus", "refrain", "hook")
UP = Parameter("Up in choruses", "dB", 0.5, 6.0, 1.5, 0.5)
FRAME_S = 2048 / 48_000
MOST_OF_IT = 0.6
"""What fills more of a song by letter alone is no chorus: it is the song."""


def choruses(look: Look) -> list[Section]:
    """The sections of a song that are choruses; none where there is nothing to tell them by."""
    sections = look.get(SONG).sections
    named = [item for item in sections if any(word in item.letter.lower() for word in WORDS)]
    if named:
        return named if len(named) < len(sections) else []
    letters = {item.letter for item in sections}
    if len(letters) < 2:
        return []
    look.hear(("powers", MIX))
    powers = look.book.known(look.session, ("powers", MIX))
    if powers is None:
        return []
    loud = powers.mean(axis=0, dtype=np.float64) @ loudness_weights(look.session.sample_rate)
    frame_s = _frame_s(look)

    def level(letter: str) -> float:
        parts = [loud[round(s.start_s / frame_s) : round(s.end_s / frame_s)] for s in sections if s.letter == letter]
        return float(np.mean(np.concatenate(parts))) if parts else 0.0

    loudest = max(letters, key=level)
    found = [item for item in sections if item.letter == loudest]
    whole_s = sum(item.end_s - item.start_s for item in sections)
    return found if sum(item.end_s - item.start_s for item in found) <= MOST_OF_IT * whole_s else []


def _frame_s(look: Look) -> float:
    return masking.frame_size(look.session.sample_rate) / 2 / look.session.sample_rate


def _free(session: Session) -> list[Bus]:
    """Returns that are heard and whose fader is not automated."""
    heard = routing.hearing(session).sounding
    return [
        bus
        for bus in space.returns(session)
        if bus.id in heard and not any(item.parameter == "level_db" for item in bus.automation)
        and bus.level_db > decibels.OFF_DB
    ]  # fmt: skip


def points(bus: Bus, sections: list[tuple[float, float]], up_db: float) -> list[tuple[float, float]]:
    """Steps of a return's fader: up at the start of each section, back at its end."""
    found = [(0.0, bus.level_db)]
    for start_s, end_s in sections:
        high = LEVEL.clamped(bus.level_db + up_db)
        found += [(start_s, bus.level_db), (start_s, high), (end_s, high), (end_s, bus.level_db)]
    return found


def propose(look: Look) -> list[Proposal]:
    free, sections = _free(look.session), choruses(look)
    if not free or not sections:
        return []
    first = free[0]
    arguments: dict[str, float | int | str | None] = {
        "bus": first.name, "start_s": sections[0].start_s, "end_s": sections[0].end_s,
    }  # fmt: skip
    before = over_rest_lu(look, arguments)
    up_db = UP.default
    return [
        KIND.move(
            targets=tuple(bus.id for bus in free),
            title=f"Returns {signed(up_db, 1)} dB in {len(sections)} chorus{'es' if len(sections) > 1 else ''}",
            reason="Effects open up in choruses and step back in verses: steps of the returns' faders at the sections' "
            f"starts, to be refined when rides are made. First at {number(sections[0].start_s, 0)} s.",
            parameters={
                "up_db": up_db,
                "starts": {str(i): item.start_s for i, item in enumerate(sections)},
                "ends": {str(i): item.end_s for i, item in enumerate(sections)},
            },
            evidence={"choruses": len(sections), "returns": len(free)},
            metric=METRIC,
            arguments=arguments,
            before=before,
            expected=None if before is None else before + up_db,
            source="predicted",
            weight=0.8,
        )
    ]


def over_rest_lu(look: Look, arguments: Arguments) -> float | None:
    """Loudness of a return in one section against all the rest of the song it sounds in, by power, K-weighted, LU."""
    bus = bus_of(look, arguments)
    start, end = arguments.get("start_s"), arguments.get("end_s")
    if bus is None or not isinstance(start, int | float) or not isinstance(end, int | float):
        return None
    power = spectra.powers_of(look, bus.id)
    if power is None:
        return None
    loud = power @ loudness_weights(look.session.sample_rate)
    frames = slice(max(0, round(start / _frame_s(look))), max(0, round(end / _frame_s(look))))
    inside, others = loud[frames], np.concatenate((loud[: frames.start], loud[frames.stop :]))
    if not inside.size or not others.size or not inside.any() or not others.any():
        return None
    return float(10.0 * np.log10(inside.mean() / others.mean()))


def _changed(proposal: Proposal) -> Proposal:
    expected = None if proposal.before is None else proposal.before + value_of(proposal, "up_db")
    return replace(proposal, expected=expected)


def _edit(session: Session, proposal: Proposal) -> Session:
    starts, ends = values_of(proposal, "starts"), values_of(proposal, "ends")
    sections = [(starts[name], ends[name]) for name in sorted(starts, key=int)]
    for bus in session.buses:
        if bus.id in proposal.targets:
            steps = points(bus, sections, value_of(proposal, "up_db"))
            session = chain_edits.automate(session, bus.id, "level_db", steps)
    return session


METRIC = Metric(
    "return-in-chorus", "return in the first chorus, over the rest", "LU", 1, 0.7, MEASURED_ON, over_rest_lu
)
KIND = Kind(
    "rides.choruses", (*DEPENDS_ON,), propose, _edit, parameters={"up_db": UP}, changed=_changed, optional=True
)  # fmt: skip
