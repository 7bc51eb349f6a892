"""Sub-octave: an octave under a bass that never goes low, on a parallel path of which only the new band comes back.

A taste, not a repair: offered where the line hardly goes under 80 Hz and the bass may own the bottom. Mono and
band-limited by its processor; with the bus muted the mix is what it was (tested).
"""

import numpy as np

from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.tone.sub_octave import SubOctave
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import bass_notes, heard, owner
from all_even.measure.sharing.low_pair import energy_db
from all_even.moves.buses.tracks import bus_named, present
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.low_end import bottom
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

NAME = "Bass sub-octave"
HIGH_LINE_HZ = 80.0
RETURN_DB = -9.0
SUB_HZ, LOW_HZ = (25.0, 60.0), (30.0, 250.0)


def propose(look: Look) -> list[Proposal]:
    found, notes = copies(look), bass_notes(look)
    if found is None or len(notes) < 8 or owner(look) == "kick" or bus_named(look.session, NAME) is not None:
        return []
    pitches = np.array([note.frequency_hz for note in notes])
    lowest, highest = np.percentile(pitches, (5, 95))
    now = _sub_share(look, {})
    if lowest < HIGH_LINE_HZ or now is None:
        return []
    trial = _made(look.session, found.basses, RETURN_DB, float(lowest), float(highest))
    after = _sub_share(look.at(trial), {})
    if after is None or after - now < 1.0:
        return []
    return [
        KIND.move(
            targets=found.basses,
            title="An octave under the bass, on a parallel bus",
            reason=f"The line hardly goes under {number(float(lowest), 0)} Hz. Optional: only the new band comes "
            f"back, mono, {number(-RETURN_DB, 0)} dB under the bass; mute the bus to compare.",
            parameters={"level_db": RETURN_DB, "lowest_hz": float(lowest), "highest_hz": float(highest)},
            evidence={"lowest_note_hz": float(lowest), "highest_note_hz": float(highest)},
            metric=METRIC,
            before=now,
            expected=after,
            source="trial",
            weight=0.8,
        )
    ]


def _made(session: Session, lanes: tuple[str, ...], level_db: float, lowest: float, highest: float) -> Session:
    session, bus = routing_edits.add_bus(session, NAME, "parallel")
    session = routing_edits.set_send(session, present(session, lanes), bus)
    below = float(np.clip(lowest, 20.0, 200.0))
    station = SubOctave(lowest_hz=below, highest_hz=float(np.clip(max(highest, below * 1.2), 60.0, 500.0)))
    return edits.change_strips(chain_edits.add_station(session, bus, station), [bus], level_db=level_db)


def edit(session: Session, proposal: Proposal) -> Session:
    level, lowest, highest = (value_of(proposal, x) for x in ("level_db", "lowest_hz", "highest_hz"))
    return _made(session, proposal.targets, LEVEL.clamped(level), lowest, highest)


def _sub_share(look: Look, _arguments: Arguments) -> float | None:
    found = heard(look)
    return energy_db(found.bass, SUB_HZ) - energy_db(found.bass, LOW_HZ) if found is not None else None


KIND = Kind(
    "low-end.sub-octave", bottom.DEPENDS_ON, propose, edit, optional=True, parameters={"level_db": LEVEL},
    changed=measured_later,
)  # fmt: skip
METRIC = Metric("sub-share", "bass under 60 Hz", "dB", 1, 0.5, bottom.MEASURED, _sub_share)
