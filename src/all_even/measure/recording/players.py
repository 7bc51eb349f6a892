"""Two microphones at one player, or two players who hear each other.

A microphone is nearest to its own player. Of two players, what the first microphone picks up louder arrives there
first, and what the second picks up louder arrives there first: the order turns around with the level. Two microphones
at one player hear whatever he plays with the same time between them. Time and level are read tile by tile (a frame and
a frequency), those that are louder on one side against those that are louder on the other, each with its lag by phase
(the phase transform of Knapp and Carter, IEEE Trans. ASSP 24, 1976: 320).
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy

FRAME_S, HOPS = 0.0427, 4
EDGES_HZ = (200.0, 400.0, 800.0, 1600.0, 3200.0, 6000.0)
UNDER_DB = 25.0
"""Tiles this far under the loudest of their octave say nothing."""
LOUDEST, SIDE = 99.5, 30.0
"""Percentile that is an octave's loudest; share of the tiles that are louder on one side, percent."""
FURTHEST_S = 0.025
"""Players further apart than 8 m are not taken for one."""
NEAR_S = 0.0001
APART_DB, TURNS_MS = 19.0, 0.6
"""Two players: the level between both sides differs by more (5th to 95th percentile), and the louder side is first."""
FAR_MS, SHARED = 2.5, 0.35
"""Two players in unison are equally loud everywhere: their lags lie further apart, and the lag of one side
explains less than this share of the other."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Order:
    """lag_ms: of b after a, where a is the louder, and where b is. shared: 0 to 1, how well the lag of one
    side does for the other. spread_db: of the level between them."""

    lag_ms: tuple[float, float]
    shared: float
    spread_db: float

    @property
    def turns_ms(self) -> float:
        """By how much later b is where a is the louder."""
        return self.lag_ms[0] - self.lag_ms[1]

    @property
    def are_two_players(self) -> bool:
        if self.spread_db > APART_DB and self.turns_ms >= TURNS_MS:
            return True
        return self.shared < SHARED and abs(self.turns_ms) > FAR_MS


def order(pieces: list[tuple[Array, Array]], rate: int) -> Order | None:
    """Of pieces of two tracks at one time, mono, at `rate`; None where too little sounds."""
    frame = round(FRAME_S * rate)
    size = scipy.fft.next_fast_len(2 * frame, real=True)
    hertz = np.fft.rfftfreq(size, 1.0 / rate)
    bins = np.flatnonzero((hertz >= EDGES_HZ[0]) & (hertz < EDGES_HZ[-1]))
    tiles = [[_tiles(side, frame, size)[:, bins] for side in piece] for piece in pieces if len(piece[0]) >= 2 * frame]
    if not tiles:
        return None
    a, b = (np.concatenate([piece[side] for piece in tiles]) for side in (0, 1))
    power_a, power_b = _powers(a), _powers(b)
    strong = _strong(np.maximum(power_a, power_b), hertz[bins])
    if int(strong.sum()) < 200:
        return None
    level_db = 10.0 * np.log10(np.maximum(power_b, 1e-12) / np.maximum(power_a, 1e-12))
    low, first, second, high = np.percentile(level_db[strong], (5.0, SIDE, 100.0 - SIDE, 95.0))
    phase = np.conj(a) * b
    phase /= np.maximum(np.abs(phase), 1e-30)
    lags = [_lags(phase, strong & side, bins, size, rate) for side in (level_db <= first, level_db >= second)]
    reach = len(lags[0]) // 2
    at = [int(np.argmax(side)) for side in lags]
    weaker = min(float(side[top]) for side, top in zip(lags, at, strict=True))
    near = [_widened(side, rate) for side in lags]
    common = max(float(near[0][at[1]]), float(near[1][at[0]]))
    lag_ms = 1000.0 * (at[0] - reach) / rate, 1000.0 * (at[1] - reach) / rate
    return Order(lag_ms, float(np.clip(common / max(weaker, 1e-9), 0.0, 1.0)), float(high - low))


def _tiles(samples: Array, frame: int, size: int) -> NDArray[np.complex128]:
    """Spectra of overlapping frames, (frames, bins)."""
    windows = np.lib.stride_tricks.sliding_window_view(samples, frame)[:: frame // HOPS]
    return np.asarray(scipy.fft.rfft(windows * np.hanning(frame), size, axis=1))


def _powers(tiles: NDArray[np.complex128]) -> Array:
    """Of each tile, 1 in the mean."""
    power = np.square(tiles.real) + np.square(tiles.imag)
    return np.asarray(power / max(float(power.mean()), 1e-30), dtype=np.float64)


def _strong(power: NDArray[np.floating[Any]], hertz: NDArray[np.floating[Any]]) -> NDArray[np.bool_]:
    """The loud tiles of each octave that sounds."""
    strong = np.zeros(power.shape, dtype=bool)
    for low, high in pairwise(EDGES_HZ):
        inside = (hertz >= low) & (hertz < high)
        loudest = float(np.percentile(power[:, inside], LOUDEST))
        if loudest > float(power.max()) * 1e-5:
            strong[:, inside] = power[:, inside] > loudest * 10.0 ** (-UNDER_DB / 10.0)
    return strong


def _lags(
    phase: NDArray[np.complex128], which: NDArray[np.bool_], bins: NDArray[np.intp], size: int, rate: int
) -> Array:
    """How well each lag explains the phases of some tiles, 1 for all of them; from -FURTHEST_S to FURTHEST_S."""
    spectrum = np.zeros(size // 2 + 1, dtype=complex)
    spectrum[bins] = np.sum(phase * which, axis=0)
    found = np.fft.irfft(spectrum, size) * size / 2.0 / max(1, int(which.sum()))
    reach = round(FURTHEST_S * rate)
    return np.concatenate((found[-reach:], found[: reach + 1]))


def _widened(lags: Array, rate: int) -> Array:
    """The best value within `NEAR_S`."""
    return np.asarray(scipy.ndimage.maximum_filter1d(lags, 2 * round(NEAR_S * rate) + 1))
