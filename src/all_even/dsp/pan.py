"""Where a lane stands between left and right: pan laws for mono, balance for stereo.

The law names the gain of a mono sound in the centre. -3 dB is constant power (sine and cosine),
-6 dB is constant sum (linear), -4.5 dB is their geometric mean (common practice). A stereo lane keeps
0 dB in the centre and loses its far side by the same law.
"""

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

PanLaw = Literal["-3 dB", "-4.5 dB", "-6 dB"]


def mono_gains(pan: float, law: PanLaw = "-3 dB") -> tuple[float, float]:
    """Left and right gain of a mono sound. pan: -1 left to 1 right."""
    angle = (pan + 1.0) * math.pi / 4.0
    power = (max(0.0, math.cos(angle)), max(0.0, math.sin(angle)))
    linear = ((1.0 - pan) / 2.0, (1.0 + pan) / 2.0)
    if law == "-3 dB":
        return power
    if law == "-6 dB":
        return linear
    return math.sqrt(power[0] * linear[0]), math.sqrt(power[1] * linear[1])


def stereo_gains(pan: float, law: PanLaw = "-3 dB") -> tuple[float, float]:
    """Gain of the left and of the right channel of a stereo sound; the near side stays at 1."""
    centre = mono_gains(0.0, law)[0]
    left, right = mono_gains(pan, law)
    return min(1.0, left / centre), min(1.0, right / centre)


def matrix(channels: int, pan: float, law: PanLaw = "-3 dB") -> NDArray[np.float64]:
    """(channels, 2) gains from a lane's channels to left and right."""
    if channels == 1:
        return np.array([mono_gains(pan, law)])
    left, right = stereo_gains(pan, law)
    return np.array([[left, 0.0], [0.0, right]])


def matrices(channels: int, pan: NDArray[np.float64], law: PanLaw = "-3 dB") -> NDArray[np.float64]:
    """(frames, channels, 2): `matrix` for a pan that moves, (frames,)."""
    angle = (pan + 1.0) * (math.pi / 4.0)
    power = np.maximum(0.0, np.stack((np.cos(angle), np.sin(angle)), axis=1))
    linear = np.stack(((1.0 - pan) / 2.0, (1.0 + pan) / 2.0), axis=1)
    gains = power if law == "-3 dB" else linear if law == "-6 dB" else np.sqrt(power * linear)
    if channels == 1:
        return gains[:, np.newaxis, :]
    near = np.minimum(1.0, gains / mono_gains(0.0, law)[0])
    result: NDArray[np.float64] = near[:, :, np.newaxis] * np.eye(2)
    return result
