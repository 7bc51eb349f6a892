"""The fit: settings of each method that let the bass step back no more and no longer than the kick needs.

A coarse look over about 150 settings, then Nelder and Mead's simplex from the best of them. The cost is `J
= P² + N² + 0.02 K² + 4 R + 2 max(0, (U - 60) / 60) + 0.05 D + 0.3 G²` (`measure.sharing.duck`): piling up, holes, a
kick that does not stand out, coming back late, trembling, depth, the deepest point of the hole. That no hit
of normal distance finds the bass still ducked is a condition, not a cost; where it can't be met (a tail
that fills the beat) the nearest is given and said to be so.
"""

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.errors import UserError
from all_even.late import scipy
from all_even.measure.pitch import pitch
from all_even.measure.sharing import duck
from all_even.measure.sharing.duck import LowFigures, Meeting, SoundFigures
from all_even.measure.time import hits, tails, tempo
from all_even.measure.time.traces import trace_samples
from all_even.moves.ducking import methods
from all_even.moves.ducking.methods import Method, Parameters, Sketch

Array = NDArray[np.float64]

UNRECOVERED_COST = 200.0
"""Added per hit that is not recovered (share of the hits): a condition in the form of a wall."""
COARSE_HITS = 16
SIMPLEX_STEPS = 60
DEFAULT_TAIL_MS = 150.0
DEFAULT_PEAK_HZ = 60.0
FEWEST_HITS = 3
PLAIN = {"depth_db": 5.0, "attack_ms": 10.0, "release_ms": 100.0}
DEFAULT = {"attack_ms": 10.0, "release_ms": 100.0}
LONGEST_S = 600.0


@dataclass(frozen=True, slots=True, eq=False)
class Duck:
    """One method as fitted, judged on full-rate sound. feasible: every normal hit finds the bass back.

    parameters: settings of its processor, units in the names. numbers: what the fit turned.
    """

    name: str
    parameters: dict[str, float | str]
    numbers: Parameters
    low: LowFigures
    sound: SoundFigures
    control: bool = False
    effect_only: bool = False

    @property
    def feasible(self) -> bool:
        return self.low.unrecovered_hits == 0

    @property
    def rank(self) -> tuple[bool, bool, bool, float]:
        """Sorts the best first: infeasible, rippling and clicking ones go behind, effects last."""
        return (self.effect_only, not self.feasible, self.sound.ripples or self.sound.clicks, self.low.cost)


@dataclass(frozen=True, slots=True, eq=False)
class Ducks:
    """All methods and controls, best first. needed: whether kick and bass meet at all.

    infeasible: a sentence where no method lets the bass come back before the next hit. sketch: what they were fitted
    on.
    """

    meeting: Meeting
    key_hz: float | None
    beat_s: float | None
    methods: tuple[Duck, ...]
    needed: bool
    infeasible: str | None
    sketch: Sketch

    @property
    def best(self) -> Duck:
        return next(one for one in self.methods if not one.control)

    def method(self, name: str) -> Duck:
        return next(one for one in self.methods if one.name == name)


def find_ducks(
    key: NDArray[np.floating],
    target: NDArray[np.floating],
    sample_rate: int,
    *,
    hits_s: Sequence[float] | None = None,
    only: Sequence[str] | None = None,
    kbr_db: float = duck.KBR_DB,
    smooth: float = 0.0,
    detector: NDArray[np.floating] | None = None,
    tail_ms: float | None = None,
    stop: Callable[[], None] = lambda: None,
) -> Ducks:
    """Fits every method to a kick and a bass, (frames,) or (frames, channels), one rate.

    hits_s: of the key, looked for where None. only: names of the methods to fit. kbr_db: how far the kick should
    stand over the bass, dB; smooth: -1 to 1, see `measure.sharing.duck`. detector: what compressors listen to, where
    that is not the kick as it arrives; tail_ms: of the kick where it is known. stop: asked all the time, raises
    `Cancelled` where nobody waits any more. UserError where the key has fewer than three hits.
    """
    first, second = _mono(key), _mono(target)
    count = max(len(first), len(second))
    first, second = (np.pad(side, (0, count - len(side))) for side in (first, second))
    listening = None if detector is None else np.pad(_mono(detector), (0, max(0, count - len(detector))))[:count]
    traces = trace_samples(first[:, np.newaxis], sample_rate)
    found = hits.find_hits(traces, kick=True) if hits_s is None else None
    times = tuple(found.times_s if found is not None else sorted(hits_s or ()))
    if len(times) < FEWEST_HITS:
        raise UserError(f"The key has {len(times)} hits; a duck needs at least {FEWEST_HITS} to be judged.")
    level = tails.envelope_db(traces.low)
    tail = tails.typical(tails.tails(level, times))
    kick = pitch.kick_pitch(traces.low, level, times)
    pulse = tempo.find_tempo([tempo.Train(times, "kick")], count / sample_rate)
    beat_s = 60.0 / pulse.bpm if pulse is not None else None
    meeting = duck.meet(first, second, sample_rate, times, tail_ms or (tail.ms if tail else DEFAULT_TAIL_MS))
    distance = float(np.median(np.diff(times)))
    grid, beats = _placed(times, pulse, distance, count / sample_rate)
    prepared = methods.sketch(meeting, kick.peak_hz or DEFAULT_PEAK_HZ, beat_s or distance, grid, beats, listening)
    nothing = np.zeros(len(meeting.key_power))
    unducked = duck.low_figures(meeting, nothing, kbr_db=kbr_db, smooth=smooth)
    wanted = [method for method in methods.METHODS if only is None or method.name in only]
    fitted = [fit(method, prepared, kbr_db=kbr_db, smooth=smooth, stop=stop) for method in wanted]
    proposed = [one for one in fitted if not one.effect_only] or fitted
    pile_up = min(proposed, key=lambda one: one.rank).low.pile_up_db if proposed else unducked.pile_up_db
    everything = [*fitted, *_controls(prepared, unducked, pile_up, kbr_db, smooth)]
    everything.sort(key=lambda one: one.rank)
    infeasible = None
    if proposed and not any(one.feasible for one in proposed):
        nearest = min(proposed, key=lambda one: (one.low.unrecovered_hits, one.low.cost))
        infeasible = (
            f"The tail of {meeting.tail_ms:.0f} ms fills the {1000.0 * distance:.0f} ms between hits: the bass can't "
            f"be back before the next one. Nearest: {nearest.name}, {nearest.low.unrecovered_hits} hits not recovered."
        )
    needed = unducked.cost >= duck.NOT_NEEDED
    key_hz = kick.frequency_hz or kick.peak_hz
    return Ducks(meeting, key_hz, beat_s, tuple(everything), needed, infeasible, prepared)


def fit(
    method: Method,
    sketch: Sketch,
    *,
    kbr_db: float = duck.KBR_DB,
    smooth: float = 0.0,
    stop: Callable[[], None] = lambda: None,
) -> Duck:
    """The best settings of one method, judged at full rate."""
    fixed = {"range_db": methods.BAND_RANGE_DB} if method.name == "band" else {}
    knobs = method.knobs
    if method.name == "band":  # deeper than its range it only goes on longer
        knobs = (replace(methods.DEPTH, high=2.5 * methods.BAND_RANGE_DB, coarse=5), *knobs[1:])

    def cost(shares: Array, sketch: Sketch = sketch) -> float:
        stop()
        numbers = {knob.name: float(knob.unscaled(share)) for knob, share in zip(knobs, shares, strict=True)}
        outside = float(np.sum(np.maximum(0.0, np.abs(shares - 0.5) - 0.5)))
        gain = method.gain_db(sketch, numbers | fixed)
        powers = method.powers(sketch, gain)
        found, unrecovered = duck.cost(sketch.meeting, gain, powers=powers, kbr_db=kbr_db, smooth=smooth)
        return found + UNRECOVERED_COST * unrecovered / len(sketch.meeting.first) + 100.0 * outside

    starts = itertools.product(*(np.linspace(0.0, 1.0, knob.coarse) for knob in knobs))
    opening = methods.beginning(sketch, COARSE_HITS)
    best = min((np.array(start) for start in starts), key=lambda start: cost(start, opening))
    simplex = np.vstack([best, *(best + 0.12 * step * np.where(best > 0.5, -1.0, 1.0) for step in np.eye(len(knobs)))])
    result = scipy.optimize.minimize(
        cost, best, method="Nelder-Mead",
        options={"maxiter": SIMPLEX_STEPS, "initial_simplex": simplex, "xatol": 1e-3, "fatol": 1e-3},
    )  # fmt: skip
    shares = result.x if result.fun <= cost(best) else best
    numbers = {knob.name: float(knob.unscaled(share)) for knob, share in zip(knobs, shares, strict=True)}
    return judge(method, sketch, numbers | fixed, kbr_db=kbr_db, smooth=smooth)


def judge(
    method: Method,
    sketch: Sketch,
    numbers: Parameters,
    *,
    control: bool = False,
    kbr_db: float = duck.KBR_DB,
    smooth: float = 0.0,
) -> Duck:
    """Plays a method at full rate and measures it."""
    ducked, gain_db, settings = methods.played(method.name, sketch, numbers)
    meeting = sketch.meeting
    gain = duck.per_millisecond(gain_db, meeting.sample_rate)
    powers = None
    if method.name == "band":
        powers = (sketch.whole_power, duck.smoothed_power(duck.low_band(ducked, meeting.sample_rate)))
    low = duck.low_figures(meeting, gain, powers=powers, kbr_db=kbr_db, smooth=smooth)
    sound = duck.sound_figures(meeting, ducked, gain_db)
    return Duck(method.name, settings, numbers, low, sound, control, method.effect_only)


def sketched(
    method: Method, sketch: Sketch, numbers: Parameters, kbr_db: float = duck.KBR_DB, smooth: float = 0.0
) -> LowFigures:
    """The low figures of a setting from the sketch: quick enough to follow a hand."""
    gain = method.gain_db(sketch, numbers)
    return duck.low_figures(sketch.meeting, gain, powers=method.powers(sketch, gain), kbr_db=kbr_db, smooth=smooth)


def _controls(sketch: Sketch, unducked: LowFigures, pile_up_db: float, kbr_db: float, smooth: float) -> list[Duck]:
    """What every proposal is compared with: nothing, plain compression, and a keyed compressor left at its defaults."""
    meeting = sketch.meeting
    silent = np.zeros(len(meeting.target))
    none = Duck("none", {}, {}, unducked, duck.sound_figures(meeting, meeting.target, silent), control=True)
    plain = judge(methods.CONTROL_PLAIN, sketch, PLAIN, control=True, kbr_db=kbr_db, smooth=smooth)
    # The depth at which the default reaches the same pile-up: it falls as the depth grows.
    low, high = 0.1, methods.DEEPEST_DB
    for _ in range(14):
        middle = 0.5 * (low + high)
        found = sketched(methods.CONTROL_DEFAULT, sketch, {"depth_db": middle, **DEFAULT}, kbr_db, smooth)
        low, high = (middle, high) if found.pile_up_db > pile_up_db else (low, middle)
    numbers = {"depth_db": 0.5 * (low + high), **DEFAULT}
    default = judge(methods.CONTROL_DEFAULT, sketch, numbers, control=True, kbr_db=kbr_db, smooth=smooth)
    return [none, plain, default]


def _placed(
    times: tuple[float, ...], pulse: tempo.Tempo | None, distance: float, duration_s: float
) -> tuple[Array, Array]:
    """The hits as a timeline would place them (the nearest sixteenths), and every beat."""
    if pulse is None:
        start = times[0]
        beats = np.arange(start, duration_s, distance)
        return beats, beats
    grid = pulse.grid_s()
    nearest = grid[np.argmin(np.abs(grid[:, np.newaxis] - np.array(times)[np.newaxis, :]), axis=0)]
    beats = np.array([beat for beat in pulse.beats_s if beat >= 0.0])
    return np.unique(np.maximum(0.0, nearest)), beats


def _mono(x: NDArray[np.floating]) -> Array:
    samples = np.asarray(x, dtype=np.float64)
    return samples if samples.ndim == 1 else middle_of(samples)
