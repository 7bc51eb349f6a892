"""The low sum of two lanes as they stand in the session: their sounds behind the chains, cut into hits."""

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.sharing import phase
from all_even.measure.sharing.phase import Sum
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_struck, lane_hits_s, struck
from all_even.session.tracks.roles import family_of

BANDS_HZ = {"drums": (60.0, 500.0), "bass": (30.0, 160.0)}
KICK_HZ = (30.0, 160.0)
OTHER_HZ = (60.0, 500.0)
NOTE_S, LONGEST_S, SHORTEST_S = 0.15, 0.3, 0.04
MOST_HITS = 400


def band_hz(lane: Lane) -> tuple[float, float]:
    """The low band in which microphones of a source meet."""
    return KICK_HZ if lane.role.startswith("kick") else BANDS_HZ.get(family_of(lane.role), OTHER_HZ)


def hits_of(look: Look, lane: Lane) -> tuple[tuple[float, ...], float]:
    """Where the lane's hits or notes begin on the song's time line, and how long each is looked at, s."""
    report = look.reports.get(lane.id)
    if report is None or report.character is None:
        return (), NOTE_S
    if is_struck(lane.role):
        tail = struck(report.character, lane.role).tail
        length = NOTE_S if tail is None else min(LONGEST_S, max(SHORTEST_S, tail.ms / 1000.0))
        return lane_hits_s(lane, report.character)[:MOST_HITS], length
    notes = report.character.notes
    return tuple(note.start_s + lane.start_s for note in notes)[:MOST_HITS], NOTE_S


def mono(look: Look, lane_id: str) -> NDArray[np.float32]:
    """A lane's sound behind its chain, with its polarity switch, (frames,)."""
    sound = look.sound(lane_id)
    samples = middle_of(sound.read(0, sound.frames)).astype(np.float32)
    return -samples if look.session.lane(lane_id).polarity_inverted else samples


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    parts: list[object] = []
    for lane_id in target.split(":"):
        lane = look.session.lane(lane_id)
        parts.append(
            (prints.strips.get(lane_id), lane.role, lane.hits, lane.polarity_inverted, lane_id in look.reports)
        )
    return digest(parts)


def _compute(look: Look, target: str) -> Sum | None:
    a, b = (look.session.lane(lane_id) for lane_id in target.split(":"))
    opened = look.book.fingerprints(look.session).opened
    if a.id not in opened or b.id not in opened:
        return None
    hits_s, length_s = hits_of(look, a)
    # From a little before: the sound of the other one may come first.
    starts = [max(0.0, time - 0.005) for time in hits_s]
    return phase.low_sum(mono(look, a.id), mono(look, b.id), look.session.sample_rate, starts, length_s, band_hz(a))


LOW_SUM = Figure("summed below 250 Hz", 1, "pair", _rests_on, _compute)


def low_sum_of(look: Look, a: str, b: str) -> Sum | None:
    """Two lanes cut into the hits of the first; None where there is nothing to add."""
    return look.get(LOW_SUM, f"{a}:{b}")
