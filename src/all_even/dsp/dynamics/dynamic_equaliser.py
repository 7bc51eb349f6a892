"""Dynamic equaliser: bells and shelves whose gain follows the level in their own band.

Each band listens to its band of the sound, or of the key: a band-pass of its frequency and Q for a bell,
a low-pass or high-pass for a shelf. Over the threshold each dB moves the gain by (1 - 1/ratio) dB towards
`range_db` (negative: it ducks; positive: it lifts), at most that far, with the attack and release of
`dsp.dynamics.compressor`'s branching detector. The filter is designed anew every 32 frames of the song.
"""

import math
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from msgspec import Meta
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import smoothing
from all_even.dsp.filters.biquad import bell, clean, high_pass, high_shelf, low_pass, low_shelf, run_sections
from all_even.dsp.processor import Described, Key, Processor, finite, named, quiet, setting
from all_even.kernels import kernel

Array = NDArray[np.float64]

GRID_FRAMES = 32
PER_BAND = 16
STATE_PER_BAND = 24
MOST_BANDS = 8
DB_PER_NEPER = 10.0 / np.log(10.0)


class DynamicBand(Described, frozen=True, kw_only=True):
    """One band: where it is, when it acts and how far it goes."""

    on: Annotated[bool, named("On")] = True
    shape: Annotated[Literal["bell", "low shelf", "high shelf"], named("Shape")] = "bell"
    frequency_hz: Annotated[float, setting("Frequency", "Hz", 20.0, 20000.0, step=3.0, scale="log", decimals=0)] = (
        1000.0
    )
    q: Annotated[float, setting("Q", "", 0.2, 20.0, step=5.0, scale="log", decimals=2)] = 2.0
    gain_db: Annotated[float, setting("Gain at rest", "dB", -18.0, 18.0, step=0.5)] = 0.0
    threshold_db: Annotated[float, setting("Threshold", "dB", -80.0, 0.0, step=0.5)] = -30.0
    range_db: Annotated[float, setting("Range", "dB", -18.0, 18.0, step=0.5)] = -4.0
    ratio: Annotated[float, setting("Ratio", ":1", 1.0, 20.0, step=5.0, scale="log")] = 3.0
    attack_ms: Annotated[float, setting("Attack", "ms", 0.1, 200.0, step=5.0, scale="log")] = 5.0
    release_ms: Annotated[float, setting("Release", "ms", 5.0, 2000.0, step=5.0, scale="log")] = 80.0


class DynamicEqualiser(Processor, frozen=True, kw_only=True, tag_field="kind", tag="dynamic-equaliser"):
    """A tone curve that moves with the sound."""

    LABEL: ClassVar[str] = "Dynamic equaliser"
    SHORT: ClassVar[str] = "Dyn EQ"
    WORDS: ClassVar[str] = "eq de-ess resonance band"
    DYNAMIC: ClassVar[bool] = True
    LEVEL_DEPENDENT: ClassVar[bool] = True
    BAND_COUNTS: ClassVar[tuple[int, int]] = (1, MOST_BANDS)

    bands: Annotated[tuple[DynamicBand, ...], Meta(max_length=MOST_BANDS)] = (DynamicBand(),)
    key: Key | None = None

    def with_band(self, index: int) -> "DynamicEqualiser":
        """A new band behind this one."""
        return replace(self, bands=(*self.bands[: index + 1], DynamicBand(), *self.bands[index + 1 :]))

    def without_band(self, index: int) -> "DynamicEqualiser":
        return replace(self, bands=(*self.bands[:index], *self.bands[index + 1 :]))

    def settling_s(self) -> float:
        rings = [18.4 * 4.0 * max(0.5, 2.0 * b.q) / (2 * math.pi * b.frequency_hz) for b in self.bands]
        return sum(rings) + max((0.001 * 20.0 * (b.release_ms + b.attack_ms) for b in self.bands), default=0.0)

    def state_size(self, sample_rate: int) -> int:
        return STATE_PER_BAND * MOST_BANDS

    def coefficients(self, sample_rate: int) -> Array:
        rows = []
        for band in self.bands:
            f = band.frequency_hz / sample_rate
            if band.shape == "bell":
                w, alpha = 2.0 * math.pi * min(0.49, f), math.sin(2.0 * math.pi * min(0.49, f)) / (2.0 * band.q)
                # Band-pass of the audio EQ cookbook (R. Bristow-Johnson), 0 dB at its peak.
                listen = [x / (1.0 + alpha) for x in (alpha, 0.0, -alpha, -2.0 * math.cos(w), 1.0 - alpha)]
            else:
                listen = list((low_pass if band.shape == "low shelf" else high_pass)(f, math.sqrt(0.5)))
            rows.append(
                [
                    {"bell": 0.0, "low shelf": 1.0, "high shelf": 2.0}[band.shape] if band.on else -1.0,
                    f,
                    band.q,
                    band.gain_db,
                    band.threshold_db,
                    band.range_db,
                    1.0 - 1.0 / band.ratio,
                    smoothing(band.attack_ms, sample_rate),
                    smoothing(band.release_ms, sample_rate),
                    *listen,
                    0.0,
                    0.0,
                ]
            )
        return np.array(rows).ravel()

    @classmethod
    def kernels(cls) -> Any:
        return _move_bands


@kernel
def _design(kind, f, gain_db, q):  # type: ignore[no-untyped-def]
    if kind == 0.0:
        return bell(f, gain_db, q)
    if kind == 1.0:
        return low_shelf(f, gain_db, min(1.0, q))
    return high_shelf(f, gain_db, min(1.0, q))


@kernel
def _move_bands(block, key, gain, c, state, position):  # type: ignore[no-untyped-def]
    """state, per band: 0 reached dB, 1 whether designed, 2-6 the section, 7-10 its memory, 11-14 detector."""
    frames, channels = block.shape
    clean(block)
    keyed = len(key) > 0
    heard = np.empty((frames, 2))
    for i in range(frames):
        for channel in range(2):
            if keyed:
                heard[i, channel] = finite(key[i, min(channel, key.shape[1] - 1)])
            else:
                heard[i, channel] = block[i, min(channel, channels - 1)]
    if len(gain) > 0:
        gain[:] = 0.0
    for band in range(min(len(c) // PER_BAND, len(state) // STATE_PER_BAND)):
        b = c[band * PER_BAND : (band + 1) * PER_BAND]
        s = state[band * STATE_PER_BAND : (band + 1) * STATE_PER_BAND]
        if b[0] < 0.0:
            continue
        detected = heard.copy()
        run_sections(detected, b[9:14].copy().reshape((1, 5)), s[11:15])
        reached = s[0]
        start = 0
        while start < frames:
            end = min(frames, start + GRID_FRAMES - (position + start) % GRID_FRAMES)
            if s[1] == 0.0 or (position + start) % GRID_FRAMES == 0:
                s[2], s[3], s[4], s[5], s[6] = _design(b[0], b[1], b[3] + (reached if b[5] >= 0.0 else -reached), b[2])
                s[1] = 1.0
            run_sections(block[start:end], s[2:7].copy().reshape((1, 5)), s[7:11])
            for i in range(start, end):
                level = 2.0 * DB_PER_NEPER * np.log(max(abs(detected[i, 0]), abs(detected[i, 1])) + 1e-9)
                goal = min(abs(b[5]), max(0.0, (level - b[4]) * b[6]))
                a = b[7] if goal >= reached else b[8]
                reached = a * reached + (1.0 - a) * goal
                if len(gain) > 0:
                    moved = reached if b[5] >= 0.0 else -reached
                    if abs(moved) > abs(gain[i]):
                        gain[i] = moved
            start = end
        s[0] = quiet(reached)
