"""Decibels and linear gain, in one place, so that silence means the same everywhere."""

import math

import numpy as np
from numpy.typing import NDArray

OFF_DB = -120.0
"""A level at or below this is off: gain exactly 0, shown as −∞."""


def gain(level_db: float) -> float:
    """Linear gain of a level in dB; 0 at or below `OFF_DB`."""
    return 0.0 if level_db <= OFF_DB else float(10.0 ** (level_db / 20.0))


def level_db(amplitude: float) -> float:
    """Level of an amplitude, full scale = 1.0, in dB; −inf for 0."""
    return 20.0 * math.log10(amplitude) if amplitude > 0.0 else -math.inf


def power_db(power: float) -> float:
    """Level of a mean square in dB; −inf for 0. A full-scale sine is −3.01 dB."""
    return 10.0 * math.log10(power) if power > 0.0 else -math.inf


def power_db_array(power: NDArray[np.floating]) -> NDArray[np.float64]:
    """`power_db` for arrays."""
    with np.errstate(divide="ignore"):
        result: NDArray[np.float64] = 10.0 * np.log10(np.asarray(power, dtype=np.float64))
    return result


def known(value: float) -> float | None:
    """The value, or None where it is infinite or not a number: unknown is never 0 in a file."""
    return value if math.isfinite(value) else None
