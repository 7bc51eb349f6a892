"""Who owns the bottom, kick or bass: read from what the two tracks already have.

`z = clip((Lb - Lk) / 3, ±2) + clip(4 (bs - ks), ±2) ± 1 + (1 | 0 | -1) ± 0.5`: who has more under 70 Hz, whose energy
lies there, whether the line goes low, how long the kick's tail is, how long the bass's notes are. Over 1 the bass owns
it, under -1 the kick; between them it is a question. By trial (which trade leaves more of the kick at equal levels) it
was right on 9 of 12 generated and 21 of 24 pairs of a sound bank; a soft kick under an upright bass fails. A genre
may pull it by 1.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.pitch.notes import Note
from all_even.measure.sharing.focus import RATE

Array = NDArray[np.float64]
Side = Literal["kick", "bass"]
BOTTOM_HZ, SUB_HZ, LOW_HZ = (28.0, 70.0), (30.0, 70.0), (30.0, 250.0)
SURE = 1.0
DEEP_HZ, DEEP_SHARE = 62.0, 0.3
SHORT_MS, LONG_MS = 130.0, 220.0
LONG_NOTE_S = 0.35
FRAME_S = 0.1


@dataclass(frozen=True, slots=True)
class Ownership:
    """z: over 0 speaks for the bass. level_db: the bass's level under 70 Hz less the kick's. shares: of 30 to 70 Hz in
    30 to 250. deep: share of the note time under 62 Hz, None without notes. pull: of the genre."""

    z: float
    level_db: float
    kick_share: float
    bass_share: float
    deep: float | None
    tail_ms: float
    note_s: float | None
    pull: float

    @property
    def owner(self) -> Side | None:
        """None where it is not clear."""
        return "bass" if self.z > SURE else "kick" if self.z < -SURE else None

    def speaking(self, side: Side) -> tuple[str, ...]:
        """What speaks for a side, in words, the strongest first."""
        who = "bass" if self.level_db > 0.0 else "kick"
        found = [(_level(self), f"the {who} has {abs(self.level_db):.0f} dB more under 70 Hz")]
        share = max(self.kick_share, self.bass_share)
        deeper = "bass" if self.bass_share > self.kick_share else "kick"
        found.append((_share(self), f"{100.0 * share:.0f} % of the {deeper}'s low sound lies there"))
        if self.deep is not None:
            deep = self.deep > DEEP_SHARE
            found.append((1.0 if deep else -1.0, f"the line {'often' if deep else 'hardly'} goes under 62 Hz"))
        if self.tail_ms < SHORT_MS or self.tail_ms > LONG_MS:
            short = self.tail_ms < SHORT_MS
            words = f"the kick's tail is {'short' if short else 'long'} ({self.tail_ms:.0f} ms)"
            found.append((1.0 if short else -1.0, words))
        if self.note_s is not None:
            long = self.note_s > LONG_NOTE_S
            found.append((0.5 if long else -0.5, f"bass notes are {'long' if long else 'short'}"))
        found.append((self.pull, "the genre, as it is set"))
        sign = 1.0 if side == "bass" else -1.0
        ranked = sorted(((sign * part, words) for part, words in found if sign * part > 0.0), key=lambda item: -item[0])
        return tuple(words for _, words in ranked)


def ownership(
    kick: Array, bass: Array, hits_s: Sequence[float], tail_ms: float, notes: Sequence[Note], pull: float = 0.0
) -> Ownership | None:
    """kick, bass: (frames,) mono at 4 kHz as they arrive; None where one of them is silent. pull: -1 (kick) to 1
    (bass)."""
    bottoms = [_band(side, BOTTOM_HZ) for side in (kick, bass)]
    spans = [(round(hit * RATE), round((hit + 0.001 * tail_ms) * RATE)) for hit in hits_s]
    powers = [float(np.mean(bottoms[0][a:b])) for a, b in spans if b <= len(kick) and b > a]
    frame = round(FRAME_S * RATE)
    steady = bottoms[1][: len(bottoms[1]) // frame * frame].reshape(-1, frame).mean(axis=1)
    if not powers or not len(steady) or max(powers) <= 0.0 or float(steady.max()) <= 0.0:
        return None
    level_db = 10.0 * np.log10((np.percentile(steady, 60) + 1e-20) / (np.median(powers) + 1e-20))
    inside = np.zeros(len(kick), dtype=bool)
    for a, b in spans:
        inside[a:b] = True
    shares = []
    for side, where in ((kick, inside), (bass, slice(None))):
        low = float(np.sum(_band(side, LOW_HZ)[where]))
        # The edges of the two filters differ: of a deep sine the narrow one passes a little more.
        shares.append(min(1.0, float(np.sum(_band(side, SUB_HZ)[where])) / low) if low > 0.0 else 0.0)
    total_s = sum(note.length_s for note in notes)
    deep = sum(note.length_s for note in notes if note.frequency_hz < DEEP_HZ) / total_s if total_s > 0.0 else None
    note_s = float(np.median([note.length_s for note in notes])) if notes else None
    found = Ownership(0.0, float(level_db), shares[0], shares[1], deep, tail_ms, note_s, pull)
    z = _level(found) + _share(found) + pull
    z += 0.0 if deep is None else 1.0 if deep > DEEP_SHARE else -1.0
    z += -1.0 if tail_ms > LONG_MS else 1.0 if tail_ms < SHORT_MS else 0.0
    z += 0.0 if note_s is None else 0.5 if note_s > LONG_NOTE_S else -0.5
    return Ownership(z, float(level_db), shares[0], shares[1], deep, tail_ms, note_s, pull)


def _level(found: Ownership) -> float:
    return float(np.clip(found.level_db / 3.0, -2.0, 2.0))


def _share(found: Ownership) -> float:
    return float(np.clip(4.0 * (found.bass_share - found.kick_share), -2.0, 2.0))


def _band(low: Array, band_hz: tuple[float, float]) -> Array:
    """Power of a band over time."""
    sections = scipy.signal.butter(2, band_hz, "bandpass", fs=RATE, output="sos")
    return np.asarray(np.square(scipy.signal.sosfiltfilt(sections, low))) if len(low) > RATE else np.zeros(len(low))
