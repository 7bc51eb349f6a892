"""Two sources face to face: what the bench draws of each, worked out from session and measures."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.tone.equaliser import Band
from all_even.figures.sharing.sharing import Hiding, Ridge, Sharing
from all_even.measure.recording.files import FileReport
from all_even.moves.share import by_hand, live
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of
from all_even.session.tracks.written_range import range_hz

FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, 200)
HARMONICS = 6
LEAST_TIME = 0.02
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Half:
    """One source. lanes: its microphones; bands: of its last equaliser, as bars; curve_db: of all its equalisers and
    passes at `FREQUENCIES_HZ`; fundamentals: (Hz, share of its note time, 0 to 1); written_hz: its usual range."""

    lanes: tuple[str, ...]
    name: str
    family: str
    ridge: Ridge | None
    bands: tuple[Band, ...]
    curve_db: Array
    fundamentals: tuple[tuple[float, float], ...]
    written_hz: tuple[float, float] | None


def half(
    session: Session, found: Sharing, ridges: list[Ridge], place: int, reports: Mapping[str, FileReport]
) -> Half | None:
    """None where the source is gone from the session."""
    unit = found.units[place]
    known = {lane.id for lane in session.lanes}
    lanes = tuple(lane.id for lane in unit.lanes if lane.id in known)
    if not lanes:
        return None
    lane = session.lane(lanes[0])
    station = by_hand.last_equaliser(session, lanes[0])
    curve = live.curve(lane, FREQUENCIES_HZ, session.sample_rate)
    return Half(
        lanes, lane.name, family_of(lane.role), ridges[place], station.bands if station is not None else (),
        20.0 * np.log10(np.maximum(curve, 1e-6)), fundamentals(reports.get(lanes[0])), range_hz(lane.role),
    )  # fmt: skip


def fundamentals(report: FileReport | None) -> tuple[tuple[float, float], ...]:
    """Where the notes of a line lie in this song, by semitone."""
    notes = report.character.notes if report is not None and report.character is not None else ()
    time: dict[int, float] = {}
    for note in notes:
        midi = round(69.0 + 12.0 * float(np.log2(note.frequency_hz / 440.0)))
        time[midi] = time.get(midi, 0.0) + note.length_s
    whole = sum(time.values())
    return tuple((440.0 * 2.0 ** ((midi - 69) / 12.0), length / whole) for midi, length in sorted(time.items())
                 if length >= LEAST_TIME * whole)  # fmt: skip


def rival(pairs: tuple[Hiding, ...], place: int) -> int | None:
    """Who is met first: the one that costs this source most, or whom it costs most, by importance."""
    own = [pair for pair in pairs if place in (pair.victim, pair.masker)]
    if not own:
        return None
    return own[0].masker if own[0].victim == place else own[0].victim


def cost(pairs: tuple[Hiding, ...], victim: int, masker: int) -> Hiding | None:
    """What one costs the other."""
    return next((pair for pair in pairs if pair.victim == victim and pair.masker == masker), None)
