"""A sound with what every dynamics figure begins with: its level and peak every 10 ms."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.measure.level import loudness
from all_even.measure.level.hops import HOP_S, HopMeter, Hops

Array = NDArray[np.float64]
BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True, eq=False)
class Signal:
    """samples: (frames, 1 or 2), full scale = 1.0."""

    samples: NDArray[np.float32]
    sample_rate: int
    hops: Hops

    @property
    def power(self) -> Array:
        """Mean square of each 10 ms, over all channels."""
        return np.asarray(self.hops.power.astype(np.float64).mean(axis=1))

    @property
    def peaks(self) -> Array:
        """The highest sample of each 10 ms, over all channels."""
        return np.maximum(self.hops.high.max(axis=1), -self.hops.low.min(axis=1)).astype(np.float64)

    @property
    def lufs(self) -> float | None:
        """Integrated loudness; None in silence."""
        return loudness.integrated_lufs(self.hops.weighted)

    @property
    def peak_dbfs(self) -> float:
        """The highest sample, dBFS."""
        top = max(float(self.hops.high.max(initial=0.0)), -float(self.hops.low.min(initial=0.0)))
        return float(20.0 * np.log10(max(top, 1e-9)))

    @property
    def louder(self) -> int:
        """The channel with more energy."""
        return int(np.argmax(self.hops.power.sum(axis=0, dtype=np.float64)))

    @property
    def louder_side(self) -> Array:
        """(frames,) of that channel."""
        return self.samples[:, self.louder].astype(np.float64)

    def tops_db(self, spans_s: Iterable[tuple[float, float]]) -> Array:
        """The highest sample in each stretch, dBFS."""
        peaks = self.peaks
        parts = [(round(start / HOP_S), round(end / HOP_S)) for start, end in spans_s]
        tops = [peaks[first : max(first + 1, last)].max(initial=0.0) for first, last in parts]
        return np.asarray(20.0 * np.log10(np.maximum(np.array(tops), 1e-9)))

    def rms_dbfs(self, playing: NDArray[np.bool_]) -> float:
        """Level over some hops, dBFS RMS."""
        power = self.power[: len(playing)][playing[: len(self.hops.power)]]
        return float(10.0 * np.log10(power.mean())) if power.any() else -180.0


def signal_of(samples: NDArray[np.floating], sample_rate: int) -> Signal:
    """samples: (frames, channels)."""
    held = np.ascontiguousarray(samples, dtype=np.float32)
    meter = HopMeter(sample_rate, held.shape[1])
    for start in range(0, len(held), BLOCK_FRAMES):
        meter.add(held[start : start + BLOCK_FRAMES])
    return Signal(held, sample_rate, meter.result())
