"""Sounds to be timed with: noise that swells, a plucked line, a low drum."""

import numpy as np

from all_even.audio.sound_file import Samples
from all_even.cli.benchmarks.benchmark import RATE


class InMemory:
    """Samples as a source."""

    def __init__(self, samples: Samples) -> None:
        self._samples = samples
        self.frames, self.channels = samples.shape

    def read(self, start: int, frames: int) -> Samples:
        return self._samples[start : start + frames]


def music(seed: int, seconds: int) -> Samples:
    """Noise that swells and fades, so that gates and peaks have something to do."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(seconds * RATE) / RATE
    swell = 0.05 + 0.25 * np.abs(np.sin(time_s * (0.7 + 0.1 * seed)))
    return (swell * rng.standard_normal(len(time_s)) * 0.3).astype(np.float32)[:, np.newaxis]


def track(seed: int, seconds: int) -> Samples:
    """Noise, a line of notes or hits, in turn, so that every measure has something to judge."""
    return (music, line, hits)[seed % 3](seed, seconds)


def line(seed: int, seconds: int) -> Samples:
    """Plucked notes, two a second."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(RATE // 2) / RATE
    fade = np.minimum(1.0, time_s / 0.004) * np.minimum(1.0, (0.5 - time_s) / 0.03) * np.exp(-time_s)
    notes = [55.0 * 2.0 ** (rng.integers(0, 12) / 12.0) for _ in range(2 * seconds)]
    sound = [fade * sum(np.sin(2 * np.pi * hz * k * time_s) / k for k in range(1, 12)) for hz in notes]
    return (0.15 * np.concatenate(sound)).astype(np.float32)[:, np.newaxis]


def hits(seed: int, seconds: int) -> Samples:
    """A low drum, two a second."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(RATE // 2) / RATE
    body = np.sin(2 * np.pi * (54.0 * time_s + 1.1 * (1.0 - np.exp(-time_s / 0.008)))) * 10.0 ** (-time_s / 0.17)
    body[:500] += 0.2 * np.diff(rng.standard_normal(501)) * np.exp(-np.arange(500) / 80.0)
    levels = rng.uniform(0.6, 0.9, 2 * seconds)
    return (levels[:, np.newaxis] * body).ravel().astype(np.float32)[:, np.newaxis]
