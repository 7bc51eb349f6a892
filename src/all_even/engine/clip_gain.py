"""Clip gain: a lane's own level before its chain, at rest or over time."""

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.engine.automation import Curve, curve
from all_even.session.model.strips import Automation, Lane, Strip

PARAMETER = "clip_gain_db"
MILLISECONDS = 1000
"""Curves that are only read at times are made at this rate."""


def clip_automation(lane: Lane) -> Automation | None:
    """How it moves; None where it stands still."""
    return next((item for item in lane.automation if item.parameter == PARAMETER), None)


def has_clip_gain(strip: object) -> bool:
    """Whether anything happens to a lane's sound before its chain."""
    return isinstance(strip, Lane) and (strip.clip_gain_db != 0.0 or clip_automation(strip) is not None)


def resting_clip_gain_db(lane: Lane) -> float:
    """The gain that stands still, dB: 0 where it is automated."""
    return 0.0 if clip_automation(lane) is not None else lane.clip_gain_db


def clip_curve(lane: Lane, sample_rate: int) -> Curve | None:
    """The clip gain over song frames, dB; None where it stands still."""
    automation = clip_automation(lane)
    return curve(automation, sample_rate) if automation is not None else None


def clip_gains(lane: Strip, count: int, step_s: float) -> NDArray[np.float64]:
    """Linear gain in the middle of each step of song time, (count,)."""
    if not isinstance(lane, Lane):
        return np.ones(count)
    moving = clip_curve(lane, MILLISECONDS)
    if moving is None:
        return np.full(count, decibels.gain(lane.clip_gain_db))
    at = np.round((np.arange(count) + 0.5) * step_s * MILLISECONDS).astype(np.int64)
    return np.asarray(10.0 ** (moving.values_at(at) / 20.0))
