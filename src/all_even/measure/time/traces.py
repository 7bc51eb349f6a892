"""The raw material of hits, tails, pitch and notes: band envelopes per millisecond and a 4 kHz copy.

Collected in the one pass over a file, so that a long file need not be held: mean square per millisecond
of the sound and of four bands of it (Butterworth, 12 dB per octave), the largest sample of the
millisecond, and the low part of the sound at 4 kHz, where a bass line and a kick are fully described.
Left and right are averaged; where they cancel (one is the other upside down) the left alone is taken.
"""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy

FRAME_S = 0.001
LOW_RATE = 4_000
LOWEST_HZ = 25.0
EDGES_HZ = (100.0, 1_000.0, 4_000.0)
"""Edges of the four bands: body of a kick; body of snare and toms; stick and beater; air and wires."""
BANDS = len(EDGES_HZ) + 1
ROW = 4
"""Numbers per frame that the kernel collects: power, peak, the two upper bands."""
Envelope = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Traces:
    """frame: 1 ms. power, bands: mean squares, (frames,) and (4, frames). peak: largest magnitude.

    low: the mono sound at 4 kHz. frame_s: the exact length of a frame, whole samples of the file's rate.
    """

    frame_s: float
    power: NDArray[np.float32]
    peak: NDArray[np.float32]
    bands: NDArray[np.float32]
    low: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.power)

    @property
    def duration_s(self) -> float:
        return len(self) * self.frame_s


class TraceMeter:
    """Feeds blocks of any length, (frames, channels) of float32."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self.samples_per_frame = max(1, round(sample_rate * FRAME_S))
        self._frame_s = self.samples_per_frame / sample_rate
        self._sections = upper_sections(sample_rate)
        self._state = np.zeros(6)
        self._open = np.zeros(5)
        self._rows: list[NDArray[np.float32]] = []
        self._low: list[NDArray[np.float32]] = []
        self._resampler = soxr.ResampleStream(sample_rate, LOW_RATE, 1, quality="HQ")
        self._channels = channels
        self._sums = np.zeros(2)
        self._mono: bool | None = None

    def add(self, block: NDArray[np.float32]) -> None:
        if not len(block):
            return
        mono = self._to_mono(block)
        rows = np.empty((len(mono) // self.samples_per_frame + 1, ROW), dtype=np.float32)
        count = _trace_kernel(mono, self.samples_per_frame, self._sections, self._state, self._open, rows)
        self._rows.append(rows[:count])
        self._low.append(self._resampler.resample_chunk(mono))

    def result(self) -> Traces:
        if self._low:
            self._low.append(self._resampler.resample_chunk(np.zeros(0, dtype=np.float32), last=True))
        rows = np.concatenate(self._rows) if self._rows else np.empty((0, ROW), dtype=np.float32)
        low = np.concatenate(self._low) if self._low else np.zeros(0, dtype=np.float32)
        lower = [_low_band(low, edges, len(rows), self._frame_s) for edges in pairwise((LOWEST_HZ, *EDGES_HZ[:2]))]
        return Traces(
            self._frame_s, rows[:, 0].copy(), rows[:, 1].copy(), np.stack([*lower, rows[:, 2], rows[:, 3]]), low
        )

    def _to_mono(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """The average of both sides, unless the first block that holds sound shows them upside down."""
        if self._channels == 1:
            return np.ascontiguousarray(block[:, 0])
        left, right = block[:, 0], block[:, 1]
        if self._mono is None and (np.any(left) or np.any(right)):
            sides = float(np.dot(left, left) + np.dot(right, right))
            self._mono = 2.0 * float(np.dot(left, right)) > -0.7 * sides
        return np.ascontiguousarray(left) if self._mono is False else 0.5 * (left + right)


def trace_samples(samples: NDArray[np.floating], sample_rate: int) -> Traces:
    """Traces of samples held in memory, (frames, channels)."""
    meter = TraceMeter(sample_rate, samples.shape[1])
    for start in range(0, len(samples), 65_536):
        meter.add(np.asarray(samples[start : start + 65_536], dtype=np.float32))
    return meter.result()


def _low_band(low: NDArray[np.float32], edges_hz: tuple[float, float], frames: int, frame_s: float) -> Envelope:
    """Mean square per frame of a band of the 4 kHz copy, (frames,)."""
    if not len(low):
        return np.zeros(frames, dtype=np.float32)
    sections = scipy.signal.butter(4, edges_hz, "bandpass", fs=LOW_RATE, output="sos")
    band = scipy.signal.sosfilt(sections, low.astype(np.float64))
    summed = np.concatenate(([0.0], np.cumsum(band * band)))
    edges = np.minimum(np.round(np.arange(frames + 1) * frame_s * LOW_RATE).astype(int), len(low))
    mean: Envelope = (np.diff(summed[edges]) / np.maximum(1, np.diff(edges))).astype(np.float32)
    return mean


def upper_sections(sample_rate: int) -> NDArray[np.float64]:
    """(3, 5) b0 b1 b2 a1 a2: the third band's high-pass and low-pass, and the open top band's high-pass."""
    low, high = (min(edge, 0.45 * sample_rate) for edge in EDGES_HZ[1:])
    return np.array(
        [
            _section(low, sample_rate, high=True),
            _section(high, sample_rate, high=False),
            _section(high, sample_rate, high=True),
        ]
    )


def _section(frequency_hz: float, sample_rate: int, *, high: bool) -> tuple[float, ...]:
    """Second-order Butterworth by the bilinear transform (textbook)."""
    k = math.tan(math.pi * frequency_hz / sample_rate)
    norm = 1.0 / (1.0 + math.sqrt(2.0) * k + k * k)
    a1, a2 = 2.0 * (k * k - 1.0) * norm, (1.0 - math.sqrt(2.0) * k + k * k) * norm
    return (norm, -2.0 * norm, norm, a1, a2) if high else (k * k * norm, 2.0 * k * k * norm, k * k * norm, a1, a2)


@kernel
def _trace_kernel(mono, samples_per_frame, sections, state, open_, rows):  # type: ignore[no-untyped-def]
    """open_: sums of power, peak and both upper bands of the unfinished frame, and how many samples it has."""
    b0, b1, b2, a1, a2 = sections[0]
    d0, d1, d2, e1, e2 = sections[1]
    f0, f1, f2, g1, g2 = sections[2]
    s1, s2, t1, t2, u1, u2 = state[0], state[1], state[2], state[3], state[4], state[5]
    power, peak, middle, top, filled = open_[0], open_[1], open_[2], open_[3], int(open_[4])
    done = 0
    for i in range(len(mono)):
        x = float(mono[i])
        power += x * x
        peak = max(peak, abs(x))
        y = b0 * x + s1
        s1 = b1 * x - a1 * y + s2
        s2 = b2 * x - a2 * y
        z = d0 * y + t1
        t1 = d1 * y - e1 * z + t2
        t2 = d2 * y - e2 * z
        middle += z * z
        w = f0 * x + u1
        u1 = f1 * x - g1 * w + u2
        u2 = f2 * x - g2 * w
        top += w * w
        filled += 1
        if filled == samples_per_frame:
            rows[done, 0] = power / filled
            rows[done, 1] = peak
            rows[done, 2] = middle / filled
            rows[done, 3] = top / filled
            done += 1
            power = peak = middle = top = 0.0
            filled = 0
            if abs(s1) + abs(s2) + abs(t1) + abs(t2) + abs(u1) + abs(u2) < 1e-25:
                s1 = s2 = t1 = t2 = u1 = u2 = 0.0
    state[0], state[1], state[2], state[3], state[4], state[5] = s1, s2, t1, t2, u1, u2
    open_[0], open_[1], open_[2], open_[3], open_[4] = power, peak, middle, top, filled
    return done
