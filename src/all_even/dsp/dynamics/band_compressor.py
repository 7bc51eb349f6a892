"""Band compressor: two to five bands, each with a compressor of its own.

The bands come from a crossover that adds up to an all-pass (`dsp.filters.crossover`); the dry side of `mix` is
the sum of the untouched bands, so it went through the same all-pass and nothing cancels. Where there is
a key, it is split by the same crossover and each band hears its own part of it. A band whose `bypass` is
on passes untouched. Look-ahead is common to all bands.
"""

import math
from typing import Annotated, Any, ClassVar

import numpy as np
from msgspec import Meta
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics import compressor
from all_even.dsp.dynamics.compressor import Compressor, compress
from all_even.dsp.filters import crossover
from all_even.dsp.filters.biquad import clean
from all_even.dsp.filters.crossover import split
from all_even.dsp.processor import NO_GAIN, NO_HISTORY, NOTHING, Key, Processor, setting
from all_even.kernels import brief

Array = NDArray[np.float64]
Crossing = Annotated[float, Meta(ge=crossover.LOWEST_HZ, le=crossover.HIGHEST_HZ)]

HEAD = 4
PER_BAND = compressor.HEAD + 10


class BandCompressor(Processor, frozen=True, kw_only=True, tag_field="kind", tag="band-compressor"):
    """Compresses frequency bands by themselves."""

    LABEL: ClassVar[str] = "Band compressor"
    SHORT: ClassVar[str] = "Bands"
    WORDS: ClassVar[str] = "multiband low band crossover dynamics"
    DYNAMIC: ClassVar[bool] = True
    LEVEL_DEPENDENT: ClassVar[bool] = True
    BAND_COUNTS: ClassVar[tuple[int, int]] = (2, crossover.MOST_BANDS)

    crossovers_hz: Annotated[tuple[Crossing, ...], Meta(min_length=1, max_length=crossover.MOST_BANDS - 1)] = (120.0,)
    bands: Annotated[tuple[Compressor, ...], Meta(min_length=2, max_length=crossover.MOST_BANDS)] = (
        Compressor(),
        Compressor(bypass=True),
    )
    key: Key | None = None
    mix: Annotated[float, setting("Mix", "%", 0.0, 100.0, step=1.0, decimals=0)] = 100.0
    lookahead_ms: Annotated[
        float, setting("Look-ahead", "ms", 0.0, compressor.LONGEST_LOOKAHEAD_MS, step=0.5, fixed=True)
    ] = 0.0

    def __post_init__(self) -> None:
        if len(self.bands) != len(self.crossovers_hz) + 1:
            raise ValueError("a band compressor needs one more band than crossovers")
        if list(self.crossovers_hz) != sorted(self.crossovers_hz):
            raise ValueError("the crossovers of a band compressor have to rise")
        if not all(crossover.LOWEST_HZ <= frequency <= crossover.HIGHEST_HZ for frequency in self.crossovers_hz):
            raise ValueError("the crossovers of a band compressor have to be from 20 Hz to 20 kHz")

    def with_band(self, index: int) -> "BandCompressor":
        """Splits a band in the middle of its octaves; both halves keep its settings."""
        edges = (crossover.LOWEST_HZ, *self.crossovers_hz, crossover.HIGHEST_HZ)
        middle = round(math.sqrt(edges[index] * edges[index + 1]), 1)
        return replace(
            self,
            crossovers_hz=(*self.crossovers_hz[:index], middle, *self.crossovers_hz[index:]),
            bands=(*self.bands[: index + 1], *self.bands[index:]),
        )

    def without_band(self, index: int) -> "BandCompressor":
        """Gives a band's range to the one under it; the lowest goes to the one above."""
        edge = max(0, index - 1)
        return replace(
            self,
            crossovers_hz=(*self.crossovers_hz[:edge], *self.crossovers_hz[edge + 1 :]),
            bands=(*self.bands[:index], *self.bands[index + 1 :]),
        )

    def with_crossover(self, index: int, frequency_hz: float) -> "BandCompressor":
        """Moves the upper edge of a band, at most up to its neighbours."""
        edges = (crossover.LOWEST_HZ, *self.crossovers_hz, crossover.HIGHEST_HZ)
        moved = min(edges[index + 2], max(edges[index], frequency_hz))
        return replace(self, crossovers_hz=(*self.crossovers_hz[:index], moved, *self.crossovers_hz[index + 1 :]))

    def _bands(self) -> list[Compressor]:
        """The bands as they run: common look-ahead; a bypassed band never reduces."""
        common = {"lookahead_ms": self.lookahead_ms, "listen": False}
        idle = {"range_db": 0.0, "makeup_db": 0.0}
        return [replace(band, **common, **(idle if band.bypass else {})) for band in self.bands]

    def latency_frames(self, sample_rate: int) -> int:
        return self._bands()[0].latency_frames(sample_rate)

    def settling_s(self) -> float:
        return max(band.settling_s() for band in self._bands()) + crossover.ring_s(self.crossovers_hz)

    def state_size(self, sample_rate: int) -> int:
        return 2 * crossover.STATE + (len(self.bands) + 1) * self._bands()[0].state_size(sample_rate)

    def coefficients(self, sample_rate: int) -> Array:
        head = [float(len(self.bands)), self.mix / 100.0, float(self._bands()[0].state_size(sample_rate)), 0.0]
        parts = crossover.sections(self.crossovers_hz, sample_rate).ravel()
        bands = [band.coefficients(sample_rate) for band in self._bands()]
        return np.concatenate((head, parts, *bands))

    @classmethod
    def kernels(cls) -> Any:
        return compress

    @classmethod
    def process(
        cls,
        block: Array,
        key: Array,
        gain: Array,
        coefficients: Array,
        state: Array,
        position: int,
        short: bool,
        history: Array = NO_HISTORY,
    ) -> None:
        splitting, compressing, cleaning = (
            (brief(split), brief(compress), brief(clean)) if short else (split, compress, clean)
        )
        count, mix, size = int(coefficients[0]), coefficients[1], int(coefficients[2])
        at = HEAD + crossover.SECTIONS * 5 * (count - 1)
        parts = coefficients[HEAD:at].reshape(count - 1, crossover.SECTIONS, 5)
        cleaning(block)
        bands = np.empty((count, *block.shape))
        splitting(block, bands, parts, state[: crossover.STATE])
        keys = [NOTHING] * count
        if len(key):
            heard = np.array(key)
            cleaning(heard)
            split_keys = np.empty((count, *key.shape))
            splitting(heard, split_keys, parts, state[crossover.STATE : 2 * crossover.STATE])
            keys = list(split_keys)
        states = state[2 * crossover.STATE :]
        dry = bands.sum(axis=0)
        gains = np.zeros((count, len(block))) if len(gain) else [NO_GAIN] * count
        for k in range(count):
            own = coefficients[at + k * PER_BAND : at + (k + 1) * PER_BAND]
            compressing(bands[k], keys[k], gains[k], own, states[k * size : (k + 1) * size], position)
        if mix < 1.0:
            delayed = bands[0] * 0.0
            delayed[:] = dry
            flat = coefficients[at : at + PER_BAND].copy()
            flat[6] = 0.0  # no range: only the look-ahead's delay
            flat[7] = 1.0
            flat.setflags(write=False)
            compressing(delayed, NOTHING, NO_GAIN, flat, states[count * size :], position)
            block[:] = mix * bands.sum(axis=0) + (1.0 - mix) * delayed
        else:
            block[:] = bands.sum(axis=0)
        if len(gain):
            gain[:] = np.min(gains, axis=0)
