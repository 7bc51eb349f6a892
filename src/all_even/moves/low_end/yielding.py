"""A high-pass at 50 to 60 Hz on the one that yields the bottom: a school.

Others find it lifeless and stop at 30 Hz, where only rumble is (`rumble`). So it is offered only where somebody owns
the bottom, where it is worth more than a fader by trial, and never where the bass plays notes under it.
"""

from all_even.dsp.parameter import number
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import bass_notes, owner
from all_even.moves.kind import Kind, value_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import ROOM, beside_a_fader, evidence, on_each, weighs, with_stations
from all_even.moves.low_end.rumble import cuts_lows
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

CUTOFFS_HZ = (50.0, 55.0, 60.0)
MOST_TIME_UNDER = 0.1
"""No more of the bass's note time may lie under the cutoff."""


def station(cutoff_hz: float) -> HighPass:
    return HighPass(frequency_hz=cutoff_hz, slope=12)


def time_under(look: Look, cutoff_hz: float) -> float:
    """Share of the bass's note time whose fundamental lies under a frequency, 0 to 1."""
    lengths = [(note.end_s - note.start_s, note.frequency_hz < cutoff_hz) for note in bass_notes(look)]
    whole = sum(length for length, _ in lengths)
    return sum(length for length, under in lengths if under) / whole if whole > 0.0 else 0.0


def propose(look: Look) -> list[Proposal]:
    found, side = bottom.colliding(look), owner(look)
    if found is None or side is None:
        return []
    yields, lanes = ("bass", found.basses) if side == "kick" else ("kick", found.kicks)
    if any(cuts_lows(item) for lane in found.lanes(lanes) for item in lane.chain):
        return []
    cutoffs = [hz for hz in CUTOFFS_HZ if yields == "kick" or time_under(look, hz) <= MOST_TIME_UNDER]
    before = found.copies.before
    tried = [(hz, found.copies.tried(on_each(lanes, station(hz)))) for hz in cutoffs]
    good = [
        (net, hz, after) for hz, after in tried
        if (net := found.copies.net_db(after)) is not None and net >= bottom.WORTH_DB and weighs(before, after)
    ]  # fmt: skip
    if not good:
        return []
    net, cutoff_hz, after = max(good, key=lambda item: item[0])
    return [
        KIND.move(
            targets=lanes,
            title=f"High-pass the {yields} at {cutoff_hz:.0f} Hz: the {side} leads the low end",
            reason=f"{beside_a_fader(before, after)} A school: others find it lifeless and stop at 30 Hz. "
            f"{number(100.0 * time_under(look, cutoff_hz), 0)} % of the bass's note time lies under it.",
            parameters={"cutoff_hz": cutoff_hz},
            evidence=evidence(look, after, before),
            metric=ROOM,
            before=found.room_db,
            expected=found.room_db + net,
            tolerance=bottom.tolerance_db(net, bottom.STATIC_TOLERANCE_DB),
            weight=2.8,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    cutoff_hz = value_of(proposal, "cutoff_hz")
    return with_stations(session, on_each(proposal.targets, station(cutoff_hz)))


KIND = Kind("low-end.yielding", bottom.DEPENDS_ON, propose, edit, optional=True)
