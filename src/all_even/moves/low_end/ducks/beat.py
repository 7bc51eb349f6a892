"""One beat in a picture: all hits of the fit laid over each other, with what a duck makes of them.

Levels in dB over time from the hit, per millisecond; medians over hits, and every hit for the faint lines behind.
What is to be read is marked: where the sum has a hole, where it piles up, and the four landmarks of the duck: steps
back, holds, is back, and how deep. The window paints these shapes and computes none of them.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Described
from all_even.dsp.processor import numbers as numbers_of
from all_even.measure.sharing import duck
from all_even.moves.ducking import methods
from all_even.moves.ducking.fit import Duck, Ducks, sketched
from all_even.moves.ducking.methods import METHODS, Method

Array = NDArray[np.float64]
BEFORE_MS, LONGEST_MS = 30, 700
MOST_HITS = 40
KEY_S = 0.2
FLOOR_DB = -40.0
DEEP_SHARE = 0.9
REDUCED_DB = 0.5
DRAWN = frozenset({"drawn", "timeline", "pulse"})
LEAST = {"depth_db": 0.5, "attack_ms": 0.1, "release_ms": 1.0}
BY_NAME: Mapping[str, Method] = {method.name: method for method in METHODS}
HANDLES: Mapping[str, Mapping[str, str]] = {
    "drawn": {"holds": "hold_ms", "back": "length_ms", "depth": "depth_db"},
    "timeline": {"holds": "hold_ms", "back": "length_ms", "depth": "depth_db"},
    "pulse": {"depth": "depth_db"},
}
"""Which number of a method each landmark sets; keyed compressors all alike."""
KEYED_HANDLES: Mapping[str, str] = {"steps": "attack_ms", "back": "release_ms", "depth": "depth_db"}


@dataclass(frozen=True, slots=True)
class Landmarks:
    """ms from the hit, dB. steps: down to nine tenths of the depth; holds: until it leaves them; back: under 0.5 dB."""

    steps_ms: float
    holds_ms: float
    back_ms: float
    depth_db: float


@dataclass(frozen=True, slots=True, eq=False)
class Beat:
    """times_ms: of all arrays. kick_db, before_db, after_db: median power of kick, and of the bass before and with the
    duck, re the kick's top; sum_db: of both; gain_db: of the duck. hits: (n, frames) of kick, bass after and gain for
    the faint lines. excess_db: what the sum is over (pile-up) or under (hole) the louder of both. landmarks: None where
    nothing moves. figures: over all hits."""

    name: str
    times_ms: Array
    kick_db: Array
    before_db: Array
    after_db: Array
    sum_db: Array
    gain_db: Array
    excess_db: Array
    hits: tuple[Array, Array, Array]
    next_ms: float
    landmarks: Landmarks | None
    figures: duck.LowFigures
    warnings: tuple[str, ...] = ()
    band_hz: tuple[float, float] | None = None
    key_hz: Array | None = None
    key_db: Array | None = None


def beat(ducks: Ducks, name: str, numbers: methods.Parameters, *, kbr_db: float = duck.KBR_DB,
         smooth: float = 0.0) -> Beat:  # fmt: skip
    """A setting of a method on the hits of the fit. name: of a method, or a control's."""
    sketch, meeting = ducks.sketch, ducks.meeting
    count = len(meeting.key_power)
    method = BY_NAME.get(name)
    if method is None or not numbers:
        gain = _control_gain(ducks, name, count)
        figures = ducks.method(name).low
        powers = None
    else:
        gain = fitted_to(method.gain_db(sketch, numbers), count)
        figures = sketched(method, sketch, numbers, kbr_db, smooth)
        powers = method.powers(sketch, gain)
    plain = meeting.target_power if powers is None else fitted_to(powers[0], count)
    ducked = meeting.target_power * 10.0 ** (gain / 10.0) if powers is None else fitted_to(powers[1], count)
    distance = float(np.median(np.diff(meeting.hits_s))) * 1000.0
    length = int(min(LONGEST_MS, max(200.0, 1.15 * distance)))
    frames = np.arange(-BEFORE_MS, length)
    inside = [int(first) for first in meeting.first if BEFORE_MS <= first < count - length][:MOST_HITS]
    if not inside:
        inside = [int(min(max(BEFORE_MS, meeting.first[0]), max(BEFORE_MS, count - length - 1)))]
    index = np.minimum(np.array(inside)[:, np.newaxis] + frames[np.newaxis, :], count - 1)
    kick, before, after = (np.median(x[index], axis=0) for x in (meeting.key_power, plain, ducked))
    top = max(float(kick.max()), 1e-20)
    excess = _db(meeting.key_power + ducked, 1.0) - _db(np.maximum(meeting.key_power, plain), 1.0)
    middle = np.median(gain[index], axis=0)
    return Beat(
        name=name,
        times_ms=frames.astype(np.float64),
        kick_db=_db(kick, top),
        before_db=_db(before, top),
        after_db=_db(after, top),
        sum_db=_db(np.median((meeting.key_power + ducked)[index], axis=0), top),
        gain_db=middle,
        excess_db=np.median(excess[index], axis=0),
        hits=(_db(meeting.key_power[index], top), _db(ducked[index], top), gain[index]),
        next_ms=distance,
        landmarks=_landmarks(frames, middle, name, numbers, distance),
        figures=figures,
        **_key_of(ducks, name),
    )


def _key_of(ducks: Ducks, name: str) -> dict[str, Any]:
    """The key's spectrum and the band, for the method that needs them to be seen."""
    if name != "band":
        return {}
    meeting = ducks.meeting
    rate = meeting.sample_rate
    pieces = [meeting.key[round(a * rate) : round((a + KEY_S) * rate)] for a in meeting.hits_s[:MOST_HITS]]
    size = 1 << 15
    power = np.sum(
        [np.abs(np.fft.rfft(piece * np.hanning(len(piece)), size)) ** 2 for piece in pieces if len(piece)], axis=0
    )
    hz = np.fft.rfftfreq(size, 1.0 / rate)
    inside = (hz >= 20.0) & (hz <= 300.0)
    peak = ducks.sketch.peak_hz
    return {
        "band_hz": (max(20.0, peak / methods.BAND_FACTOR), peak * methods.BAND_FACTOR),
        "key_hz": hz[inside],
        "key_db": _db(power[inside], max(float(power[inside].max()), 1e-20)),
    }


def _control_gain(ducks: Ducks, name: str, count: int) -> Array:
    """Of a control: nothing, plain, or default compression."""
    one: Duck = ducks.method(name)
    if not one.numbers:
        return np.zeros(count)
    control = methods.CONTROL_PLAIN if name == "plain" else methods.CONTROL_DEFAULT
    return fitted_to(control.gain_db(ducks.sketch, one.numbers), count)


def fitted_to(x: Array, count: int) -> Array:
    """The same length; behind its end nothing is known."""
    return x[:count] if len(x) >= count else np.pad(x, (0, count - len(x)))


def _db(power: Array, top: float) -> Array:
    return np.asarray(np.maximum(FLOOR_DB, 10.0 * np.log10(np.maximum(power, 1e-20) / top)))


def _landmarks(
    frames: NDArray[np.int64], gain: Array, name: str, numbers: methods.Parameters, next_ms: float
) -> Landmarks | None:
    this = (frames >= -5) & (frames < next_ms - 8.0)
    after, times = gain[this], frames[this]
    depth = -float(after.min(initial=0.0))
    if depth < REDUCED_DB:
        return None
    if name in ("drawn", "timeline") and numbers:  # as they are set: where hits are close the gain never shows them
        end = numbers["hold_ms"] + numbers["length_ms"]
        return Landmarks(-methods.SMOOTHING_MS, numbers["hold_ms"], end, numbers["depth_db"])
    lowest = int(np.argmin(after))
    deep = np.flatnonzero(after <= -DEEP_SHARE * depth)
    back = np.flatnonzero(after[lowest:] > -REDUCED_DB)
    end = float(times[lowest + int(back[0])]) if len(back) else float(times[-1])
    return Landmarks(float(times[int(deep[0])]), float(times[int(deep[-1])]), end, depth)


def handles(name: str) -> Mapping[str, str]:
    """Which landmark sets which number of a method; none for a control."""
    if name in HANDLES:
        return HANDLES[name]
    return KEYED_HANDLES if name in BY_NAME else {}


def moved(
    name: str, numbers: methods.Parameters, landmarks: Landmarks, handle: str, value: float
) -> methods.Parameters:
    """The numbers with a landmark somewhere else. value: ms from the hit, or dB for the depth."""
    method = BY_NAME[name]
    knobs = {knob.name: knob for knob in method.knobs}
    knob_name = handles(name).get(handle)
    if knob_name is None or knob_name not in knobs:
        return numbers
    wanted = value
    if knob_name == "length_ms":
        wanted = value - numbers["hold_ms"]
    elif knob_name == "release_ms":  # the way back grows in proportion to the release
        wanted = numbers["release_ms"] * max(1.0, value - landmarks.holds_ms) / max(
            1.0, landmarks.back_ms - landmarks.holds_ms
        )  # fmt: skip
    elif knob_name == "attack_ms":
        wanted = numbers["attack_ms"] * max(0.2, value) / max(0.2, landmarks.steps_ms)
    elif handle == "depth" and name not in HANDLES:
        wanted = numbers["depth_db"] * value / max(0.5, landmarks.depth_db)
    low, high = _by_hand(name, knobs[knob_name])
    return {**numbers, knob_name: float(min(high, max(low, wanted)))}


def _by_hand(name: str, knob: methods.Knob) -> tuple[float, float]:
    """How far a hand may go: as far as the processor does. A fit keeps to what is usual."""
    stations: tuple[type[Described], ...] = (Ducker, DuckShape) if name in DRAWN else (Compressor, Ducker)
    for station in stations:
        described = numbers_of(station).get(knob.name)
        if described is not None:
            return min(knob.low, max(described.low, LEAST.get(knob.name, described.low))), described.high
    return knob.low, knob.high
