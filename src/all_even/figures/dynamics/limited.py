"""What a limiter does to a mix, in four figures: for a loud copy, and for a mix whose highest peaks are held.

- loudness lost: the gain before it less the rise in LUFS;
- hits lost: by how much the power of 0 to 20 ms over that of 40 to 200 ms after strong hits, the median, falls;
- pump: the standard deviation of the gain reduction between 0.5 and 8 Hz;
- ripple: what the gain adds by moving with the wave (the gain less its mean over 25 ms), against the sound.

Rules of ours, tried on six mixes; nobody has listened to where they stop.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of, power_of
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.processor import Single
from all_even.figures.book.look import Look
from all_even.late import scipy
from all_even.measure.dynamics import punch
from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter
from all_even.measure.level.true_peak import true_peak
from all_even.session.song.hits import is_struck, lane_hits_s

Array = NDArray[np.float64]
CEILING_DBTP, RELEASE_MS, LOOKAHEAD_MS = -1.0, 80.0, 2.0
MOST_LOST_LU, MOST_HITS_DB, MOST_PUMP_DB, MOST_RIPPLE_DB = 1.0, 1.0, 1.0, -28.0
"""Of a loud copy."""
HIT_S, BODY_S = (0.0, 0.020), (0.040, 0.200)
PUMP_HZ = (0.5, 8.0)
HOP_S, SMOOTH_S = 0.01, 0.025
NO_RIPPLE_DB, RIPPLE_RANGE_DB = -120.0, 20.0
BLOCK = 1 << 16


@dataclass(frozen=True, slots=True)
class Tried:
    """What a gain would do. lost_lu, hits_db, pump_db, ripple_db: see the top of this file; hits_db is None without
    strong hits. lufs, true_peak_dbtp: of what comes out."""

    gain_db: float
    lost_lu: float
    hits_db: float | None
    pump_db: float
    ripple_db: float
    lufs: float | None
    true_peak_dbtp: float

    @property
    def limits(self) -> tuple[tuple[str, str, bool], ...]:
        """(what, its figure against its limit, whether it is kept) of all four."""
        hits = "no strong hits" if self.hits_db is None else f"{number(self.hits_db)} of {number(MOST_HITS_DB)} dB"
        return (
            ("Loudness lost", f"{number(self.lost_lu)} of {number(MOST_LOST_LU)} LU", self.lost_lu <= MOST_LOST_LU),
            ("Hits lost", hits, self.hits_db is None or self.hits_db <= MOST_HITS_DB),
            ("Pump", f"{number(self.pump_db)} of {number(MOST_PUMP_DB)} dB", self.pump_db <= MOST_PUMP_DB),
            (
                "Low-frequency distortion",
                f"{number(self.ripple_db, 0)} of {number(MOST_RIPPLE_DB, 0)} dB",
                self.ripple_db <= MOST_RIPPLE_DB,
            ),
        )

    @property
    def shares(self) -> tuple[float, ...]:
        """How much of each limit is used up, 1 at it; ripple in dB over a range of 20."""
        hits = 0.0 if self.hits_db is None else self.hits_db / MOST_HITS_DB
        ripple = 1.0 + (self.ripple_db - MOST_RIPPLE_DB) / RIPPLE_RANGE_DB
        return (self.lost_lu / MOST_LOST_LU, hits, self.pump_db / MOST_PUMP_DB, ripple)

    @property
    def is_kept(self) -> bool:
        return all(kept for _, _, kept in self.limits)


def limited(
    mix: NDArray[np.floating],
    sample_rate: int,
    gain_db: float,
    ceiling_db: float = CEILING_DBTP,
    release_ms: float = RELEASE_MS,
) -> tuple[NDArray[np.float32], Array]:
    """The sound, on time with the mix, (frames, 2), and the gain of its limiter in dB, (frames,)."""
    station = Limiter(ceiling_db=ceiling_db, input_db=gain_db, release_ms=release_ms, lookahead_ms=LOOKAHEAD_MS)
    single, late = Single(station, sample_rate), station.latency_frames(sample_rate)
    out = np.zeros((len(mix) + late, 2), dtype=np.float32)
    gains = np.zeros(len(out))
    for start in range(0, len(out), BLOCK):
        block = np.zeros((min(BLOCK, len(out) - start), 2))
        part = mix[start : start + len(block)]
        block[: len(part)] = part
        gain = np.zeros(len(block))
        out[start : start + len(block)] = single(block, gain=gain)
        gains[start : start + len(block)] = gain
    return out[late:], gains[late:]


def tried(
    mix: NDArray[np.floating],
    sample_rate: int,
    hits_s: Sequence[float],
    gain_db: float,
    ceiling_db: float = CEILING_DBTP,
    release_ms: float = RELEASE_MS,
) -> tuple[Tried, NDArray[np.float32]]:
    """A gain with its four figures, and the sound it makes. hits_s: of what is struck, in s."""
    out, gain = limited(mix, sample_rate, gain_db, ceiling_db, release_ms)
    return judged(mix, out, gain, sample_rate, hits_s, gain_db), out


def judged(
    mix: NDArray[np.floating], out: NDArray[np.float32], gain: Array, sample_rate: int, hits_s: Sequence[float],
    gain_db: float,
) -> Tried:  # fmt: skip
    """The figures of a gain that was tried. out, gain: from `limited`."""
    before, after = lufs_of(mix, sample_rate), lufs_of(out, sample_rate)
    lost = gain_db - (after - before) if before is not None and after is not None else 0.0
    peak = 20.0 * float(np.log10(max(true_peak(out, sample_rate), 1e-9)))
    return Tried(
        gain_db, lost, hits_lost_db(mix, out, sample_rate, hits_s), pump_db(gain, sample_rate),
        ripple_db(mix, gain, sample_rate), after, peak,
    )  # fmt: skip


def lufs_of(sound: NDArray[np.floating], sample_rate: int) -> float | None:
    meter = HopMeter(sample_rate, sound.shape[1])
    meter.add(np.ascontiguousarray(sound, dtype=np.float32))
    return loudness.integrated_lufs(meter.result().weighted)


def hits_lost_db(
    before: NDArray[np.floating], after: NDArray[np.floating], sample_rate: int, hits_s: Sequence[float]
) -> float | None:
    """By how much strong hits stand less over what follows; None with fewer than four of them."""
    was, now = middle_of(before), middle_of(after)
    strong = punch.strong(was, sample_rate, hits_s)
    if len(strong) < punch.FEWEST:
        return None

    def over(sound: Array) -> float:
        """Median over the hits of how far each stands over what follows."""
        return float(np.median([_level(sound, sample_rate, hit, HIT_S) - _level(sound, sample_rate, hit, BODY_S)
                                for hit in strong]))  # fmt: skip

    return over(was) - over(now)


def _level(sound: Array, sample_rate: int, hit_s: float, part_s: tuple[float, float]) -> float:
    return punch.level_after_db(sound, sample_rate, [hit_s], part_s)


def pump_db(gain_db: Array, sample_rate: int) -> float:
    """Standard deviation of a gain between 0.5 and 8 Hz, dB."""
    per_hop = round(HOP_S * sample_rate)
    hops = gain_db[: len(gain_db) // per_hop * per_hop].reshape(-1, per_hop).mean(axis=1)
    if len(hops) < 4.0 / HOP_S:
        return float(np.std(hops)) if len(hops) else 0.0
    sections = scipy.signal.butter(2, PUMP_HZ, "bandpass", fs=1.0 / HOP_S, output="sos")
    return float(np.std(scipy.signal.sosfiltfilt(sections, hops)))


def ripple_db(sound: NDArray[np.floating], gain_db: Array, sample_rate: int) -> float:
    """What a gain adds by moving with the wave, against the sound, dB; over the whole sound."""
    gain = 10.0 ** (gain_db[: len(sound)] / 20.0)
    window = np.hanning(round(SMOOTH_S * sample_rate) + 2)[1:-1]
    smooth = scipy.signal.oaconvolve(np.pad(gain, len(window) // 2, mode="edge"), window / window.sum(), "valid")
    smooth = smooth[: len(gain)]
    power = power_of(sound[: len(smooth)])
    moved, stays = float((gain[: len(smooth)] - smooth) ** 2 @ power), float(smooth**2 @ power)
    return max(NO_RIPPLE_DB, 10.0 * float(np.log10(max(moved, 1e-20) / stays))) if stays > 0.0 else NO_RIPPLE_DB


def struck_hits(look: Look) -> tuple[float, ...]:
    """Hits of all struck lanes that are heard, in s of the song."""
    found: set[float] = set()
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        if report is not None and report.character is not None and is_struck(lane.role) and not lane.mute:
            found |= set(lane_hits_s(lane, report.character))
    return tuple(sorted(found))
