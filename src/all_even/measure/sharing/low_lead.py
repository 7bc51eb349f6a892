"""Who leads the low end of a finished mix: kick hits against what sustains between them, under 250 Hz.

Nothing can be taken apart there, but time can: power under 250 Hz in the first 60 ms of each hit of a kick, against the
second half of the way to the next hit, where a bass or a sub goes on. Both medians. Far over 0 the kick stands out and
leads; near 0 what sustains is as strong. It is a figure to lay beside one's own mix, read the same way; the two limits
are our own.
"""

import itertools

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.late import scipy
from all_even.measure.time.hits import find_hits
from all_even.measure.time.traces import TraceMeter

HIGHEST_HZ, RATE_HZ = 250.0, 100
HIT_S, CLEAR_S = 0.06, 0.02
FEWEST, SHORTEST_S = 8, 0.15
KICK_DB, BASS_DB = 9.0, 4.0
"""Over the first the kick leads, under the second what sustains."""
FLOOR = 1e-12


def low_lead_db(sound: NDArray[np.floating], sample_rate: int) -> float | None:
    """(frames, 1 or 2): by how much hits stand over what sustains, dB; None with fewer than eight hits that leave
    room between them."""
    meter = TraceMeter(sample_rate, sound.shape[1])
    meter.add(np.ascontiguousarray(sound, dtype=np.float32))
    return over_sustained_db(sound, sample_rate, find_hits(meter.result(), kick=True).times_s)


def over_sustained_db(sound: NDArray[np.floating], sample_rate: int, hits_s: tuple[float, ...]) -> float | None:
    """The same with known hits."""
    sections = scipy.signal.butter(4, HIGHEST_HZ, "lowpass", fs=sample_rate, output="sos")
    low = np.square(scipy.signal.sosfiltfilt(sections, middle_of(sound)))
    struck, between = [], []
    for hit, following in itertools.pairwise(hits_s):
        if following - hit < SHORTEST_S:
            continue
        parts = ((hit, hit + HIT_S), (0.5 * (hit + following), following - CLEAR_S))
        first, second = (low[round(a * sample_rate) : round(b * sample_rate)] for a, b in parts)
        if len(first) and len(second):
            struck.append(float(first.mean()))
            between.append(float(second.mean()))
    if len(struck) < FEWEST:
        return None
    return 10.0 * float(np.log10((np.median(struck) + FLOOR) / (np.median(between) + FLOOR)))


def who(lead_db: float) -> str:
    """kick, bass, or both."""
    return "kick" if lead_db >= KICK_DB else "bass" if lead_db <= BASS_DB else "both"
