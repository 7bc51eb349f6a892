"""One harmonic held: a narrow band that compresses where one partial runs away on some notes.

The places come from Share's look at partials (a partial against the same one of other pitches, and against others
nearby). The band's threshold is the level that partial usually has there, so that it works on the notes on which it
sticks out and leaves the others as they are.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.parameter import number
from all_even.dsp.processor import Processor, numbers
from all_even.figures.book.look import Look
from all_even.late import scipy
from all_even.measure.level.levels import playing_hops
from all_even.moves.approaches.trial import Draft, Numbers, at_the_end, on_trial
from all_even.moves.metric import Arguments, Metric
from all_even.moves.share.lane_places import PLACES

Q, MOST_DB, HOP_S = 6.0, 9.0, 0.02
USUAL_PERCENT, LOUD_PERCENT = 60, 97
ATTACK_MS, RELEASE_MS = 8.0, 120.0


def band_levels_db(sound: NDArray[np.floating], rate: int, hz: float) -> NDArray[np.floating]:
    """Levels of a narrow band in hops of 20 ms while the sound plays, dB. sound: (frames,)."""
    b, a = scipy.signal.iirpeak(min(hz, 0.45 * rate), Q, fs=rate)
    hop = max(1, round(HOP_S * rate))
    count = len(sound) // hop

    def hops(x: NDArray[np.floating]) -> NDArray[np.float64]:
        return np.asarray(np.square(x[: count * hop]).reshape(count, hop).mean(axis=1))

    whole, inside = hops(sound), hops(np.asarray(scipy.signal.lfilter(b, a, sound)))
    playing = playing_hops(whole) if count else np.zeros(0, dtype=bool)
    return np.asarray(10.0 * np.log10(inside[playing] + 1e-14))


def _sound(look: Look, lane_id: str) -> NDArray[np.floating]:
    kept = look.sound(lane_id)
    return middle_of(kept.read(0, kept.frames))


def _runs_db(look: Look, arguments: Arguments) -> float | None:
    lane_id, hz = str(arguments.get("strip", "")), arguments.get("hz")
    if not look.session.is_lane(lane_id) or not isinstance(hz, int | float):
        return None
    levels = band_levels_db(_sound(look, lane_id), look.session.sample_rate, float(hz))
    if not len(levels):
        return None
    usual, loud = np.percentile(levels, (USUAL_PERCENT, LOUD_PERCENT))
    return float(loud - usual)


def station(p: Numbers) -> tuple[Processor, ...]:
    band = DynamicBand(
        frequency_hz=p["place_hz"], q=Q, threshold_db=p["threshold_db"], range_db=p["range_db"], ratio=4.0,
        attack_ms=ATTACK_MS, release_ms=RELEASE_MS,
    )  # fmt: skip
    return (DynamicEqualiser(bands=(band,)),)


def _drafts(look: Look) -> Iterator[Draft]:
    rate = look.session.sample_rate
    for lane in look.session.lanes:
        if lane.hidden or look.reports.get(lane.id) is None:
            continue
        place = next((one for one in look.get(PLACES, lane.id) if one.sort == "sticks out"), None)
        if place is None or place.hz > 0.4 * rate:
            continue
        levels = band_levels_db(_sound(look, lane.id), rate, place.hz)
        if not len(levels):
            continue
        threshold_db = float(np.clip(round(float(np.percentile(levels, USUAL_PERCENT)), 1), -80.0, 0.0))
        p = {"place_hz": round(place.hz, 1), "threshold_db": threshold_db,
             "range_db": -min(MOST_DB, round(place.size_db, 1))}  # fmt: skip
        yield Draft(
            (lane.id,), f"Hold one harmonic of {lane.name} at {number(place.hz, 0)} Hz", f"{place.text}. The band "
            f"works from {number(threshold_db)} dB on, where that place usually is, and takes {number(-p['range_db'])} "
            "dB at most.",
            dict(p), of=lane.id, arguments={"strip": lane.id, "hz": place.hz}, evidence={"over_db": place.size_db},
        )  # fmt: skip


RUNS = Metric("harmonic-runs", "how far the harmonic runs away", "dB", 1, 0.3, ("strips", "files"), _runs_db)
KIND = on_trial("dynamics.one-harmonic", "one_harmonic", RUNS, _drafts, at_the_end(station),
                parameters={"threshold_db": numbers(DynamicBand)["threshold_db"],
                            "range_db": numbers(DynamicBand)["range_db"]}, weight=1.2)  # fmt: skip
