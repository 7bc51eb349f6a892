"""What is wrong with a duck, with figures: said beside it, whoever set it.

Ripple, a click at the start, hits at which the bass is not back, hits that are hardly ducked (doubles that were
missed), a key that hears more than the kick, and a bass that is much softer wherever the kick plays.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number
from all_even.measure.sharing import duck as figures
from all_even.moves.ducking import methods
from all_even.moves.ducking.fit import Ducks
from all_even.moves.low_end.ducks.beat import BY_NAME, fitted_to

Array = NDArray[np.float64]
SHALLOW_SHARE = 0.5
"""A hit that is ducked by less than this of the usual depth was missed."""
STEPS_DB, AWAY_S = 3.0, 0.040
"""A step of this much, this far from any hit, is no answer to the kick."""
SOFTER_DB = 2.0
"""How much softer a bass has to be while the kick plays to be heard coming up where the kick pauses."""
MOST_TIMES = 3
LEAST_DEPTH_DB = 1.0


def warnings(ducks: Ducks, name: str, own: methods.Parameters, start_s: float = 0.0) -> tuple[str, ...]:
    """Of a setting of a method, on the hits of the fit. start_s: where the fit's stretch begins in the song."""
    method = BY_NAME.get(name)
    if method is None or not own:
        return ()
    meeting = ducks.meeting
    gain = fitted_to(method.gain_db(ducks.sketch, own), len(meeting.key_power))
    reduction = np.maximum(0.0, -gain)
    first, last = meeting.first, meeting.last
    depth = np.array([float(reduction[a:b].max(initial=0.0)) for a, b in zip(first, meeting.tail, strict=True)])
    usual = float(np.median(depth))
    if usual < LEAST_DEPTH_DB:
        return ()
    hits = np.array(meeting.hits_s[: len(first)]) + start_s
    found = []
    late = (reduction[last - 1] > figures.REDUCED_DB) & meeting.normal
    if late.any():
        found.append(f"not back before the next hit at {_times(hits[late])}")
    shallow = depth < SHALLOW_SHARE * usual
    if shallow.any() and name != "pulse":
        found.append(f"hardly ducked: {_times(hits[shallow])}")
    if name not in ("drawn", "timeline", "pulse"):
        wrong = _elsewhere(reduction, meeting.hits_s)
        if len(wrong):
            found.append(f"the key hears more than the kick: it steps at {_times(wrong + start_s)}")
        ripple = figures.ripple_db(meeting.target, _full_rate(gain, meeting), meeting.sample_rate, meeting.hits_s)
        if ripple is not None and ripple > figures.RIPPLE_FLAG_DB:
            limit = number(figures.RIPPLE_FLAG_DB, 0)
            found.append(
                f"low-frequency distortion: ripple {number(ripple, 0)} dB (over {limit}); a longer release helps"
            )
    plain, ducked = meeting.target_power, meeting.target_power * 10.0 ** (gain / 10.0)
    inside = meeting.counted
    taken = (float(plain[inside].sum()) + 1e-20) / (float(ducked[inside].sum()) + 1e-20)
    softer = 10.0 * float(np.log10(taken)) if len(inside) else 0.0
    if softer > SOFTER_DB:
        found.append(f"the bass is {number(softer)} dB softer wherever the kick plays, and comes up where it pauses")
    return tuple(found)


def click_warning(ducks: Ducks, name: str) -> str | None:
    """Of a fitted method: whether its step can be heard."""
    one = next((item for item in ducks.methods if item.name == name), None)
    if one is None or not one.sound.clicks or one.sound.click_db is None:
        return None
    return f"a click at the start: {number(one.sound.click_db, 0)} dB relative to the bass; step back more slowly"


def _full_rate(gain: Array, meeting: figures.Meeting) -> Array:
    times = np.arange(len(meeting.target)) / meeting.sample_rate
    return np.interp(times, (np.arange(len(gain)) + 0.5) / figures.RATE, gain)


def _elsewhere(reduction: Array, hits_s: Sequence[float]) -> Array:
    """Moments at which the gain steps down and no hit is near, s."""
    window = round(0.010 * figures.RATE)
    rise = reduction[window:] - reduction[:-window]
    steps = np.flatnonzero((rise[1:] > STEPS_DB) & (rise[:-1] <= STEPS_DB)) / figures.RATE
    if not len(steps) or not len(hits_s):
        return np.zeros(0)
    nearest = np.abs(steps[:, np.newaxis] - np.array(hits_s)[np.newaxis, :]).min(axis=1)
    return np.asarray(steps[nearest > AWAY_S])


def _times(moments: Array) -> str:
    shown = ", ".join(f"{int(t // 60)}:{t % 60:04.1f}" for t in moments[:MOST_TIMES])
    more = f" and {len(moments) - MOST_TIMES} more" if len(moments) > MOST_TIMES else ""
    return shown + more
