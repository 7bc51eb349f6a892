"""Single notes of a bass that are louder or softer each time they are played: a string, a body or a room does that.

Where pitches differ by more than twice what notes of one pitch do, a narrow bell on the pitches that stand out does
what no compressor should. It is tried on the line before it is proposed: neighbours a semitone away move too.
"""

import numpy as np

from all_even.dsp.parameter import number, signed
from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.measure.pitch.pitch import hertz
from all_even.measure.sharing.focus import RATE
from all_even.moves.kind import Kind, values_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bass.even_notes import named_midi
from all_even.moves.low_end.bass.notes_of_bass import SPREAD, BassLine, lines
from all_even.moves.low_end.bottom import with_stations
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

STANDS_OUT_DB, MOST_DB, MOST_BELLS = 2.5, 6.0, 3
TIMES_WITHIN = 2.0
LEAST_RANGE_DB = 3.0
Q = 6.0
GAINED_DB = 0.7
"""By how much the spread has to shrink."""


def bells(found: BassLine) -> list[tuple[int, float]]:
    """(MIDI number, dB) of the pitches that stand out, furthest first."""
    middle = float(np.median(found.levels_db))
    beside = [(midi, middle - float(np.median(x))) for midi, x in found.by_pitch.items() if len(x) > 1]
    out = [item for item in beside if abs(item[1]) >= STANDS_OUT_DB]
    return [
        (midi, float(np.clip(round(2.0 * db) / 2.0, -MOST_DB, MOST_DB)))
        for midi, db in sorted(out, key=lambda item: -abs(item[1]))[:MOST_BELLS]
    ]


def station(wanted: list[tuple[int, float]]) -> Equaliser:
    return Equaliser(bands=tuple(Band(frequency_hz=round(hertz(midi), 1), gain_db=db, q=Q) for midi, db in wanted))


def propose(look: Look) -> list[Proposal]:
    proposals = []
    for found in lines(look):
        if found.pitch_range_db < max(LEAST_RANGE_DB, TIMES_WITHIN * found.within_db):
            continue
        wanted = bells(found)
        if not wanted:
            continue
        after = found.with_sound(Single(station(wanted), RATE)(found.low[:, np.newaxis])[:, 0])
        if found.spread_db - after.spread_db < GAINED_DB:
            continue
        names = ", ".join(f"{named_midi(midi)} {signed(db, 1)} dB" for midi, db in wanted)
        proposals.append(
            KIND.move(
                targets=(found.lane_id,),
                of=found.lane_id,
                title=f"Single notes of {look.session.strip_name(found.lane_id)}: {names}",
                reason=f"Pitches differ by {number(found.pitch_range_db)} dB, notes of one pitch only by "
                f"{number(found.within_db)}: it is the instrument or the room, each time alike. A narrow bell on these "
                "notes does it before any compressor; it is meant to take out single notes.",
                parameters={"bells_db": {str(midi): db for midi, db in wanted}},
                evidence={"pitch_range_db": found.pitch_range_db, "within_a_pitch_db": found.within_db},
                metric=SPREAD,
                arguments={"lane": found.lane_id},
                before=found.spread_db,
                expected=after.spread_db,
                weight=4.2,
            )
        )
    return proposals


def edit(session: Session, proposal: Proposal) -> Session:
    wanted = values_of(proposal, "bells_db")
    final = station([(int(midi), db) for midi, db in wanted.items()])
    return with_stations(session, dict.fromkeys(proposal.targets, (final,)))


KIND = Kind("low-end.single-notes", bottom.DEPENDS_ON, propose, edit, optional=True)
