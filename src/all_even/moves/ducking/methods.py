"""The ways to duck: how the numbers a fit turns become processors, and the gain they make.

A fit has to try hundreds of settings, so it works on a sketch: detectors hear the key as its largest
magnitude 6000 times a second, through the engine's own compressor and ducker kernels; gains are taken at
1 kHz. The result is then played at full rate (`played`).
"""

import dataclasses
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import soxr
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducking.clicks import click_track
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics import compressor_gain
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.filters import crossover
from all_even.dsp.processor import Key, Single
from all_even.late import scipy
from all_even.measure.sharing import duck
from all_even.measure.sharing.duck import Meeting

Array = NDArray[np.float64]
Parameters = dict[str, float]

SKETCH_RATE = 6_000
RATIO = 4.0
KEY_HIGH_PASS_HZ = 3_000.0
BAND_RANGE_DB = 4.0
BAND_FACTOR = 1.6
"""The band of the band method reaches from the kick's peak / 1.6 to the peak * 1.6."""
SMOOTHING_MS = 3.0
"""How quickly a shape steps back: under this it clicks."""
KEY = Key(source="key")
DEEPEST_DB = 30.0


@dataclass(frozen=True, slots=True)
class Knob:
    """A number a fit turns, between limits, on a logarithmic or straight scale. coarse: places of the first look."""

    name: str
    low: float
    high: float
    coarse: int
    log: bool = True

    def places(self) -> Array:
        return self.unscaled(np.linspace(0.0, 1.0, self.coarse))

    def unscaled(self, share: Array) -> Array:
        """From 0 to 1 to the number itself."""
        share = np.clip(share, 0.0, 1.0)
        if self.log:
            return np.asarray(self.low * (self.high / self.low) ** share)
        return np.asarray(self.low + (self.high - self.low) * share)

    def scaled(self, value: float) -> float:
        if self.log:
            return float(np.log(value / self.low) / np.log(self.high / self.low))
        return (value - self.low) / (self.high - self.low)


ATTACK = Knob("attack_ms", 0.3, 20.0, 2)
RELEASE = Knob("release_ms", 8.0, 600.0, 11)
DEPTH = Knob("depth_db", 1.0, DEEPEST_DB, 6)
SHAPE_DEPTH = Knob("depth_db", 1.0, 12.0, 5)
"""Common practice is 3 to 6 dB. Deeper and shorter costs about the same by the figures (a tune with a loud bass: 25 dB
for 70 ms), but takes the start of the bass's notes with it; by hand a shape may go deeper."""
HOLD = Knob("hold_ms", 1.0, 400.0, 6)
LENGTH = Knob("length_ms", 10.0, 500.0, 5)
BEND = Knob("curve", -1.0, 1.0, 2, log=False)


@dataclass(frozen=True, slots=True, eq=False)
class Sketch:
    """What does not change while a fit turns its knobs. squares: of the keys' largest
    magnitudes, at 6 kHz; levels_db: their peaks at the hits. detector: what detectors listen to at full rate.

    band: the target outside and inside the band of the band method, low-band analytic at 1 kHz; whole_power: of
    both together.
    """

    meeting: Meeting
    peak_hz: float
    beat_s: float
    grid_s: tuple[float, ...]
    beats_s: tuple[float, ...]
    squares: dict[str, Array]
    levels_db: dict[str, float]
    band: tuple[NDArray[np.complex128], NDArray[np.complex128]]
    whole_power: Array
    detector: Array


def sketch(
    meeting: Meeting,
    peak_hz: float,
    beat_s: float,
    grid_s: Array,
    beats_s: Array,
    detector: Array | None = None,
) -> Sketch:
    """Prepares the keys of all methods. grid_s: the hits as the tempo would place them; beats_s: every beat. detector:
    what the keys listen to, (frames,), where that is not the kick as it arrives."""
    m = meeting
    heard = m.key if detector is None else detector
    high = _high_passed(heard, m.sample_rate)
    low_band = _band_of(heard, peak_hz, m.sample_rate)[1]
    keys = {
        "full": _held(heard, m.sample_rate),
        "high": _held(high, m.sample_rate),
        "band": _held(low_band, m.sample_rate),
        "click": _held(click_track(m.hits_s, len(m.key), m.sample_rate), m.sample_rate),
        "own": _held(m.target, m.sample_rate),
    }
    levels = {name: _hit_level_db(key, m.hits_s) for name, key in keys.items()}
    levels["own"] = _level_db(float(np.percentile(keys["own"], 99)))
    outside, inside = _band_of(m.target, peak_hz, m.sample_rate)
    parts = (duck.low_band(outside, m.sample_rate), duck.low_band(inside, m.sample_rate))
    whole = duck.smoothed_power(parts[0] + parts[1])
    squares = {name: np.square(key) for name, key in keys.items()}
    return Sketch(
        m, peak_hz, beat_s, tuple(map(float, grid_s)), tuple(map(float, beats_s)), squares, levels, parts, whole,
        heard,
    )  # fmt: skip


def beginning(sketch: Sketch, hits: int) -> Sketch:
    """The same up to the given number of hits: enough for the coarse look."""
    meeting = sketch.meeting
    if len(meeting.hits_s) <= hits + 1:
        return sketch
    end = round(meeting.hits_s[hits] * duck.RATE)
    cut = dataclasses.replace(
        meeting, hits_s=meeting.hits_s[: hits + 1], key_power=meeting.key_power[:end],
        target_power=meeting.target_power[:end], active=meeting.active[:end], first=meeting.first[:hits],
        last=np.minimum(meeting.last[:hits], end), tail=np.minimum(meeting.tail[:hits], end),
    )  # fmt: skip
    sixths = end * SKETCH_RATE // duck.RATE
    return dataclasses.replace(
        sketch, meeting=cut, squares={name: x[:sixths] for name, x in sketch.squares.items()},
        band=(sketch.band[0][:end], sketch.band[1][:end]), whole_power=sketch.whole_power[:end],
    )  # fmt: skip


def _held(key: Array, sample_rate: int) -> Array:
    """Largest magnitude per sixth of a millisecond."""
    if sample_rate < SKETCH_RATE:
        return np.abs(soxr.resample(key, sample_rate, SKETCH_RATE))
    edges = np.round(np.arange(int(len(key) * SKETCH_RATE / sample_rate) + 1) * sample_rate / SKETCH_RATE).astype(int)
    return np.maximum.reduceat(np.abs(key), edges[:-1]) if len(edges) > 1 else np.zeros(0)


def _hit_level_db(key: Array, hits_s: tuple[float, ...]) -> float:
    """Median peak of the key in the 50 ms after its hits."""
    peaks = [
        float(key[max(0, round((hit - 0.002) * SKETCH_RATE)) : round((hit + 0.05) * SKETCH_RATE)].max(initial=0.0))
        for hit in hits_s
    ]
    return _level_db(float(np.median(peaks)) if peaks else 0.0)


def _level_db(value: float) -> float:
    return float(20.0 * np.log10(max(value, 1e-6)))


def _crossovers(peak_hz: float) -> tuple[float, float]:
    return (max(20.0, peak_hz / BAND_FACTOR), peak_hz * BAND_FACTOR)


def _band_of(x: Array, peak_hz: float, sample_rate: int) -> tuple[Array, Array]:
    """(outside, inside) of the band around the kick's peak, through the engine's crossover."""
    crossings = _crossovers(peak_hz)
    block = np.ascontiguousarray(x[:, np.newaxis])
    bands = np.empty((3, *block.shape))
    crossover.split(block, bands, crossover.sections(crossings, sample_rate), np.zeros(crossover.STATE))
    return bands[0, :, 0] + bands[2, :, 0], bands[1, :, 0]


@dataclass(frozen=True, slots=True)
class Method:
    """One way to duck. knobs: what is fitted. gain_db: at 1 kHz, from the sketch. effect_only: never proposed first."""

    name: str
    knobs: tuple[Knob, ...]
    gain_db: Callable[[Sketch, Parameters], Array]
    effect_only: bool = False

    def powers(self, sketch: Sketch, gain_db: Array) -> tuple[Array, Array] | None:
        """Low-band power of the bass without and with the duck, where only a band of it is taken down."""
        if self.name != "band":
            return None
        outside, inside = sketch.band
        count = min(len(gain_db), len(inside))
        ducked = outside[:count] + inside[:count] * 10.0 ** (gain_db[:count] / 20.0)
        return sketch.whole_power, duck.smoothed_power(ducked)


def compressor(sketch: Sketch, key: str, p: Parameters) -> Compressor:
    """4:1, peak, hard knee: as deep at the key's usual peak as asked."""
    threshold_db = sketch.levels_db[key] - p["depth_db"] / (1.0 - 1.0 / RATIO)
    return Compressor(
        id="duck",
        threshold_db=float(np.clip(threshold_db, -80.0, 12.0)),
        ratio=RATIO,
        knee_db=0.0,
        attack_ms=p["attack_ms"],
        release_ms=p["release_ms"],
        range_db=min(100.0, p.get("range_db", 100.0)),
        key=None if key == "own" else KEY,
        key_high_pass_hz=KEY_HIGH_PASS_HZ if key == "high" else 0.0,
    )


def _compressed(key: str) -> Callable[[Sketch, Parameters], Array]:
    def gain_db(sketch: Sketch, p: Parameters) -> Array:
        return compressed_gain_db(compressor(sketch, key, p), sketch.squares[key])

    return gain_db


def compressed_gain_db(station: Compressor, squares: Array) -> Array:
    """What a compressor does to a sound, at 1 kHz. squares: of what it listens to, at 6 kHz (`listening`)."""
    return compressor_gain.gain_db(squares, SKETCH_RATE, station, every=SKETCH_RATE // duck.RATE)


def listening(method: str, sound: Array, sample_rate: int) -> Array:
    """Squares at 6 kHz of what a keyed compressor hears of a sound, (frames,)."""
    return np.square(_held(_high_passed(sound, sample_rate) if KEYS[method] == "high" else sound, sample_rate))


def _high_passed(sound: Array, sample_rate: int) -> Array:
    sections = scipy.signal.butter(2, KEY_HIGH_PASS_HZ, "highpass", fs=sample_rate, output="sos")
    return np.asarray(scipy.signal.sosfilt(sections, sound))


def shape(hits_s: tuple[float, ...], p: Parameters) -> DuckShape:
    return DuckShape(
        id="shape", name="duck", hits_s=hits_s, hold_ms=p["hold_ms"], length_ms=p["length_ms"], curve=p["curve"],
        smoothing_ms=SMOOTHING_MS,
    )  # fmt: skip


def _ducked(block: Array, sample_rate: int, depth_db: float, drawn: DuckShape) -> tuple[Array, Array]:
    """(frames, channels) behind a ducker that follows a shape, and its gain in dB."""
    ducker = Ducker(id="duck", shape=drawn.id, depth_db=depth_db)
    gain = np.zeros(len(block))
    run = Single(ducker, sample_rate, coefficients=ducker.following(drawn, sample_rate))
    return run(block, None, gain), gain


def _shaped(times: str) -> Callable[[Sketch, Parameters], Array]:
    def gain_db(sketch: Sketch, p: Parameters) -> Array:
        hits = {"hits": sketch.meeting.hits_s, "grid": sketch.grid_s, "beats": sketch.beats_s}[times]
        return _ducked(np.zeros((len(sketch.meeting.key_power), 1)), duck.RATE, p["depth_db"], shape(hits, p))[1]

    return gain_db


def _pulse(sketch: Sketch, p: Parameters) -> Array:
    return _shaped("beats")(sketch, pulse_parameters(sketch, p))


def pulse_parameters(sketch: Sketch, p: Parameters) -> Parameters:
    """A pulse falls all through the beat."""
    return {
        "depth_db": p["depth_db"],
        "hold_ms": 0.0,
        "length_ms": min(1000.0, 990.0 * sketch.beat_s),
        "curve": p["curve"],
    }


METHODS: tuple[Method, ...] = (
    Method("keyed", (DEPTH, ATTACK, RELEASE), _compressed("full")),
    Method("keyed_click", (DEPTH, ATTACK, RELEASE), _compressed("click")),
    Method("keyed_high_pass", (DEPTH, ATTACK, RELEASE), _compressed("high")),
    Method("band", (DEPTH, ATTACK, RELEASE), _compressed("band")),
    Method("drawn", (SHAPE_DEPTH, HOLD, LENGTH, BEND), _shaped("hits")),
    Method("timeline", (SHAPE_DEPTH, HOLD, LENGTH, BEND), _shaped("grid")),
    Method("pulse", (DEPTH, BEND), _pulse, effect_only=True),
)
CONTROL_PLAIN = Method("plain", (), _compressed("own"))
CONTROL_DEFAULT = Method("keyed_default", (), _compressed("full"))
KEYS = {"keyed": "full", "keyed_default": "full", "keyed_click": "click", "keyed_high_pass": "high", "plain": "own"}


def band_compressor(crossovers_hz: tuple[float, float], inner: Compressor) -> BandCompressor:
    """Only what lies between the two crossovers gives way."""
    idle = Compressor(bypass=True)
    bands = (idle, replace(inner, key=None, key_high_pass_hz=0.0), idle)
    return BandCompressor(id="duck", crossovers_hz=crossovers_hz, bands=bands, key=KEY)


def rebuilt(method: str, settings: Mapping[str, float]) -> Compressor | BandCompressor:
    """The keyed station of a method from the settings that `played` told."""
    plain = Compressor(
        id="duck", knee_db=0.0, threshold_db=settings["threshold_db"], ratio=settings["ratio"],
        attack_ms=settings["attack_ms"], release_ms=settings["release_ms"], range_db=settings.get("range_db", 100.0),
        key=KEY, key_high_pass_hz=settings.get("key_high_pass_hz", 0.0),
    )  # fmt: skip
    if method != "band":
        return plain
    return band_compressor((settings["low_hz"], settings["high_hz"]), plain)


def played(method: str, sketch: Sketch, p: Parameters) -> tuple[Array, Array, dict[str, float | str]]:
    """(ducked bass, gain in dB, both (frames,) at full rate; settings by name) by the engine's processors."""
    m = sketch.meeting
    block, gain = m.target[:, np.newaxis], np.zeros(len(m.target))
    key = sketch.detector[:, np.newaxis]
    if method in KEYS:
        station = compressor(sketch, KEYS[method], p)
        heard = (
            None
            if method == "plain"
            else click_track(m.hits_s, len(key), m.sample_rate)[:, np.newaxis]
            if method == "keyed_click"
            else key
        )
        out = Single(station, m.sample_rate)(block, heard, gain)
        settings: dict[str, float | str] = {
            "threshold_db": station.threshold_db, "ratio": station.ratio, "attack_ms": station.attack_ms,
            "release_ms": station.release_ms,
        }  # fmt: skip
        if method == "keyed_high_pass":
            settings["key_high_pass_hz"] = station.key_high_pass_hz
        return out[:, 0], gain, settings
    if method == "band":
        station_of_bands = band_compressor(_crossovers(sketch.peak_hz), compressor(sketch, "band", p))
        inner, crossings = station_of_bands.bands[1], station_of_bands.crossovers_hz
        out = Single(station_of_bands, m.sample_rate)(block, key, gain)
        return out[:, 0], gain, {
            "low_hz": crossings[0], "high_hz": crossings[1], "threshold_db": inner.threshold_db, "ratio": inner.ratio,
            "range_db": inner.range_db, "attack_ms": inner.attack_ms, "release_ms": inner.release_ms,
        }  # fmt: skip
    hits = {"drawn": m.hits_s, "timeline": sketch.grid_s, "pulse": sketch.beats_s}[method]
    numbers = pulse_parameters(sketch, p) if method == "pulse" else p
    drawn = shape(hits, numbers)
    out, gain = _ducked(block, m.sample_rate, numbers["depth_db"], drawn)
    return out[:, 0], gain, {
        "depth_db": numbers["depth_db"], "hold_ms": drawn.hold_ms, "length_ms": drawn.length_ms, "curve": drawn.curve,
        "smoothing_ms": drawn.smoothing_ms,
    }  # fmt: skip
