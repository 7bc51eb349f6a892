"""The loudest passage of a finished mix, as it is compared with others: like with like.

Sections of one song differ by 4.4 dB in the lows, 2.2 in the middle and 3.1 over 4 kHz; so the loudest 20 s are taken
(ITU-R BS.1770-5 power), and their spectrum is read against the loudness of that same stretch. Third octaves (IEC
61260-1, 16384-point Hann frames) are smoothed by a Gaussian of 1.5 bands: without it a song in another key moves bands
under 100 Hz by 5 to 7 dB, with it by 1.7. The low share is all under 125 Hz: 100 Hz is less sure of the key.
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.level import loudness, zones
from all_even.measure.level.hops import HOP_S, HopMeter
from all_even.measure.level.third_octave import NOMINAL_HZ, ThirdOctaveMeter, frame_length
from all_even.measure.level.true_peak import true_peak
from all_even.measure.sharing.low_lead import low_lead_db

VERSION = 2
LENGTH_S = 20.0
SMOOTH_BANDS = 1.5
LOW_ZONES = 2
"""The zones under 125 Hz."""
NARROWEST_DB = -60.0
BLOCK = 1 << 16
Read = Callable[[int, int], NDArray[np.float32]]
"""First frame, count: (count, channels), full scale 1."""


class Passage(Struct, frozen=True):
    """start_s, length_s: of the loudest stretch. integrated_lufs: of it; peak_to_loudness_db: its true peak over that.
    bands_db: smoothed third octaves, 25 Hz to 20 kHz; zones_db: power of the zones (`zones`); low_share_db: all under
    125 Hz, these three against its loudness. width_db: side over mid of each zone; None for one channel and in silence.
    low_lead_db: kick hits over what sustains under 250 Hz (`measure.sharing.low_lead`).
    """

    start_s: float
    length_s: float
    integrated_lufs: float
    peak_to_loudness_db: float
    bands_db: tuple[float | None, ...]
    zones_db: tuple[float | None, ...]
    low_share_db: float | None
    width_db: tuple[float | None, ...]
    low_lead_db: float | None = None


def loudest(weighted: NDArray[np.floating], length_s: float = LENGTH_S) -> tuple[int, int]:
    """First hop and number of hops of the loudest stretch. weighted: (hops, channels) K-weighted power."""
    power = weighted.sum(axis=1, dtype=np.float64)
    length = min(len(power), round(length_s / HOP_S))
    if length == 0:
        return 0, 0
    sums = np.concatenate(([0.0], np.cumsum(power)))
    return int(np.argmax(sums[length:] - sums[:-length])), length


def weighted_of(read: Read, frames: int, channels: int, sample_rate: int) -> NDArray[np.float32]:
    """(hops, channels) K-weighted power of a sound that is read block by block."""
    meter = HopMeter(sample_rate, channels)
    for start in range(0, frames, BLOCK):
        meter.add(np.ascontiguousarray(read(start, min(BLOCK, frames - start))))
    return meter.result().weighted


def passage(read: Read, frames: int, channels: int, sample_rate: int) -> Passage | None:
    """The loudest passage of a sound; None where nothing sounds."""
    weighted = weighted_of(read, frames, channels, sample_rate)
    first, length = loudest(weighted)
    lufs = loudness.integrated_lufs(weighted[first : first + length])
    if lufs is None:
        return None
    start = round(first * HOP_S * sample_rate)
    sound = read(start, min(frames - start, round(length * HOP_S * sample_rate)))
    return of_samples(np.ascontiguousarray(sound), sample_rate, lufs, first * HOP_S)


def of_samples(sound: NDArray[np.float32], sample_rate: int, lufs: float, start_s: float = 0.0) -> Passage:
    """The figures of a stretch, (frames, 1 or 2), of known loudness."""
    meter = ThirdOctaveMeter(sample_rate, sound.shape[1])
    meter.add(sound)
    bands = smoothed(meter.result_db())
    levels = zones.zone_levels(bands, lufs)
    low = [10.0 ** (level / 10.0) for level in levels[:LOW_ZONES] if level is not None]
    peak = true_peak(sound, sample_rate)
    return Passage(
        start_s, len(sound) / sample_rate, lufs, 20.0 * float(np.log10(max(peak, 1e-9))) - lufs,
        tuple(None if band is None else band - lufs for band in bands), levels,
        10.0 * float(np.log10(sum(low))) if low else None, widths_db(sound, sample_rate),
        low_lead_db(sound, sample_rate),
    )  # fmt: skip


def smoothed(bands_db: list[float | None]) -> tuple[float | None, ...]:
    """Third octaves with their powers spread over their neighbours; unknown ones stay unknown."""
    known = np.array([band is not None for band in bands_db])
    power = np.array([0.0 if band is None else 10.0 ** (band / 10.0) for band in bands_db])
    apart = np.arange(len(power))[:, np.newaxis] - np.arange(len(power))[np.newaxis, :]
    near = np.exp(-0.5 * (apart / SMOOTH_BANDS) ** 2) * known
    spread = near @ power / np.maximum(near.sum(axis=1), 1e-12)
    return tuple(
        10.0 * float(np.log10(value)) if is_known and value > 0.0 else None
        for value, is_known in zip(spread, known, strict=True)
    )


def widths_db(sound: NDArray[np.float32], sample_rate: int) -> tuple[float | None, ...]:
    """Side over mid in each zone, dB, no narrower than -60."""
    if sound.shape[1] != 2 or not len(sound):
        return (None,) * len(zones.NAMES)
    left, right = sound[:, 0].astype(np.float64), sound[:, 1].astype(np.float64)
    length = min(frame_length(sample_rate), len(sound))
    hertz, mid = scipy.signal.welch(0.5 * (left + right), sample_rate, nperseg=length)
    _, side = scipy.signal.welch(0.5 * (left - right), sample_rate, nperseg=length)
    found: list[float | None] = []
    for low, high in zip(zones.EDGES_HZ[:-1], zones.EDGES_HZ[1:], strict=True):
        inside = (hertz >= low) & (hertz < high)
        whole, apart = float(mid[inside].sum()), float(side[inside].sum())
        ratio = apart / whole if whole > 0.0 else 0.0
        found.append(max(NARROWEST_DB, 10.0 * float(np.log10(max(ratio, 1e-12)))) if whole > 0.0 else None)
    return tuple(found)


def slope_db_per_octave(
    bands_db: tuple[float | None, ...], low_hz: float = 100.0, high_hz: float = 4000.0
) -> float | None:
    """Slope of the spectral density between two frequencies, dB per octave; third octaves are 3 flatter."""
    known = [
        (float(np.log2(hertz)), level)
        for hertz, level in zip(NOMINAL_HZ, bands_db, strict=True)
        if level is not None and low_hz <= hertz <= high_hz
    ]
    if len(known) < 2:
        return None
    octaves, levels = np.array(known).T
    return float(np.polyfit(octaves, levels, 1)[0]) - 3.0103
