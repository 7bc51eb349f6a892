"""Finished mixes to compare with, made from numbers."""

import numpy as np
import soundfile

from tests.conftest import RATE
from tests.measure.sounds import both, pink


def references(folder, count, tilt_db=0.0):
    """Finished mixes of pink noise, each a little its own; louder than any mix."""
    paths = []
    for seed in range(count):
        sound = pink(22.0, seed)
        spectrum = np.fft.rfft(sound)
        hz = np.maximum(np.fft.rfftfreq(len(sound), 1.0 / RATE), 20.0)
        spectrum *= (hz / 1000.0) ** (0.05 * (seed - count / 2) + tilt_db / 6.02)
        sound = np.fft.irfft(spectrum, len(sound))
        path = folder / f"Finished {seed}.wav"
        soundfile.write(path, both(0.7 * sound / np.abs(sound).max()), RATE)
        paths.append(path)
    return paths
