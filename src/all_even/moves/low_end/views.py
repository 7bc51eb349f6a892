"""What the bench of the low end shows beside one hit: the spectra of kick and bass with what clears them, and the
notes of a bass before and behind its chain."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.filters.biquad import bell, magnitude
from all_even.dsp.tone.equaliser import Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import owner
from all_even.moves.low_end.bass.notes_of_bass import BassLine, line, lines
from all_even.moves.low_end.clearing import low_spectra
from all_even.session.editing import edits
from all_even.session.model.session import Session

Array = NDArray[np.float64]
RATE = 48_000


@dataclass(frozen=True, slots=True, eq=False)
class Clearings:
    """All over centres_hz: spectra of the kick in its hits and of the bass, dB re the louder one's top; what
    equalisers of the first lane of each do at rest, and what keyed bands take at most, dB."""

    centres_hz: Array
    kick_db: Array
    bass_db: Array
    kick_eq_db: Array
    bass_eq_db: Array
    keyed_db: Array
    owner: str | None
    kick_hz: float
    bass_hz: float


def clearings(look: Look) -> Clearings | None:
    found = copies(look)
    if found is None:
        return None
    kick, bass = low_spectra.kick_spectrum(found), low_spectra.bass_spectrum(found)
    top = max(float(kick.max()), float(bass.max()), 1e-30)
    return Clearings(
        low_spectra.CENTRES_HZ,
        10.0 * np.log10(np.maximum(kick, 1e-30) / top),
        10.0 * np.log10(np.maximum(bass, 1e-30) / top),
        at_rest_db(look.session, found.kicks[0]),
        at_rest_db(look.session, found.basses[0]),
        keyed_db(look.session, found.basses[0]),
        owner(look),
        low_spectra.peak_hz(kick, 30.0, 200.0),
        low_spectra.peak_hz(bass, 30.0, 250.0),
    )


def at_rest_db(session: Session, lane_id: str) -> Array:
    """What the static equalisers of a lane do together, dB at each centre."""
    total = np.zeros(len(low_spectra.CENTRES_HZ))
    for item in session.lane(lane_id).chain:
        if isinstance(item, Equaliser) and not item.bypass and len(item.sections(RATE)):
            total += 20.0 * np.log10(magnitude(item.sections(RATE), low_spectra.CENTRES_HZ, RATE)) + item.output_db
    return total


def keyed_db(session: Session, lane_id: str) -> Array:
    """What keyed bands of a lane take at most, dB at each centre."""
    total = np.zeros(len(low_spectra.CENTRES_HZ))
    for item in session.lane(lane_id).chain:
        if isinstance(item, DynamicEqualiser) and item.key is not None and not item.bypass:
            for band in item.bands:
                if band.on and band.shape == "bell":
                    section = np.array([bell(band.frequency_hz / RATE, band.range_db, band.q)])
                    total += 20.0 * np.log10(magnitude(section, low_spectra.CENTRES_HZ, RATE))
    return total


@dataclass(frozen=True, slots=True, eq=False)
class Notes:
    """A bass line before its chain and behind it; the same where it has none."""

    name: str
    before: BassLine
    now: BassLine


def notes(look: Look, lane_id: str | None) -> Notes | None:
    """Of the selected lane where it is a bass with low notes, else of the one with most."""
    chosen = line(look, lane_id) if lane_id is not None and look.session.is_lane(lane_id) else None
    if chosen is None or chosen.lane_id not in {one.lane_id for one in lines(look)}:
        chosen = next(iter(lines(look)), None)
    if chosen is None:
        return None
    lane = look.session.lane(chosen.lane_id)
    bare = edits.change_strips(look.session, (lane.id,), chain=(), automation=()) if lane.chain else look.session
    before = line(look.at(bare), lane.id)
    return Notes(lane.name, before if before is not None else chosen, chosen)
