"""What a lane has at the bottom: its levels from 20 to 250 Hz and how they spread over time, for the eye and for
columns.

A fixed kick is a needle, a wandering bass a range of hills: the inner shape is the median of the moments in which the
lane plays, the outer one its loud moments.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import low_copy
from all_even.measure.sharing.focus import RATE

Array = NDArray[np.float64]
LOWEST_HZ, HIGHEST_HZ = 20.0, 250.0
PER_OCTAVE = 12
CENTRES_HZ: Array = LOWEST_HZ * 2.0 ** (np.arange(0, 45) / PER_OCTAVE)
FRAME, HOP = 1_024, 512
LOUD_PERCENTILE, MIDDLE_PERCENTILE = 95, 50
ACTIVE_DB = 25.0
SUBSTANCE_DB = -24.0
"""A lane with less than this re the lane that has most has nothing at the bottom."""


@dataclass(frozen=True, slots=True, eq=False)
class LowView:
    """middle_db, loud_db: (45,) per twelfth of an octave, dB re full scale behind the chain. level_db: RMS from 20 to
    250 Hz while it plays there. moments: (frames, 45) power, every 128 ms."""

    middle_db: Array
    loud_db: Array
    level_db: float
    moments: NDArray[np.float32]

    def at(self, position_s: float) -> Array | None:
        """(45,) power of a moment of the song, between its two frames; None outside."""
        return moment(self.moments, position_s)


def moment(moments: NDArray[np.float32], position_s: float) -> Array | None:
    """(45,) power of a moment of the song, between two frames of `LowView.moments`; None outside."""
    place = (position_s * RATE - FRAME / 2) / HOP
    if not len(moments) or not -1.0 < place < len(moments):
        return None
    low = max(0, int(place))
    part, high = max(0.0, place - low), min(low + 1, len(moments) - 1)
    return np.asarray((1.0 - part) * moments[low] + part * moments[high], np.float64)


def together(levelled: Iterable[tuple[LowView, float]]) -> NDArray[np.float32]:
    """(frames, 45) moments of several tracks at these levels in dB: powers add, whatever their phases do."""
    found = [(view.moments, 10.0 ** (level_db / 10.0)) for view, level_db in levelled]
    total = np.zeros((max((len(moments) for moments, _ in found), default=0), len(CENTRES_HZ)), np.float32)
    for moments, gain in found:
        total[: len(moments)] += np.float32(gain) * moments
    return total


def view_of(low: Array) -> LowView:
    """Of a copy at 4 kHz, (frames,)."""
    if len(low) < FRAME:
        low = np.pad(low, (0, FRAME - len(low)))
    window = np.hanning(FRAME + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(low, FRAME)[::HOP] * window
    bins = np.fft.rfftfreq(4 * FRAME, 1.0 / RATE)
    wanted = bins < 300.0
    spectrum = np.fft.rfft(frames, 4 * FRAME, axis=1)[:, wanted]
    power = (spectrum.real**2 + spectrum.imag**2) * 4.0 / window.sum() ** 2
    distance = np.log2(np.maximum(bins[wanted], 1.0)[np.newaxis, :] / CENTRES_HZ[:, np.newaxis])
    near = np.exp(-0.5 * (distance * PER_OCTAVE / 0.7) ** 2)
    bands = power @ (near / near.sum(axis=1, keepdims=True)).T
    total = power[:, (bins[wanted] >= LOWEST_HZ) & (bins[wanted] <= HIGHEST_HZ)].sum(axis=1)
    loudest = float(total.max(initial=0.0))
    active = total > loudest * 10.0 ** (-ACTIVE_DB / 10.0)
    if loudest <= 1e-16:
        nothing = np.full(len(CENTRES_HZ), -160.0)
        return LowView(nothing, nothing, -160.0, np.zeros((0, len(CENTRES_HZ)), np.float32))
    middle, loud = np.percentile(bands[active], (MIDDLE_PERCENTILE, LOUD_PERCENTILE), axis=0)
    level = 10.0 * np.log10(float(total[active].mean()) * FRAME / (4.0 * FRAME) / 1.5 + 1e-20)
    middle_db, loud_db = 10.0 * np.log10(middle + 1e-16), 10.0 * np.log10(loud + 1e-16)
    return LowView(middle_db, loud_db, float(level), bands.astype(np.float32))


def low_view(look: Look, lane_id: str) -> LowView:
    """A lane behind its chain."""
    return look.get(VIEW, lane_id)


def _rests_on(_look: Look, prints: Fingerprints, target: str) -> str:
    return digest((prints.strips.get(target),))


def _compute(look: Look, target: str) -> LowView:
    kept = look.sound(target)
    return view_of(low_copy(kept.read(0, kept.frames), look.session.sample_rate))


VIEW = Figure("low view", 2, "strip", _rests_on, _compute)
