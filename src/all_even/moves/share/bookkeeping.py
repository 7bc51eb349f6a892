"""The whole session's equalisers as one picture and one table, and the same for a simple board with three knobs."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.equaliser import GAINLESS, Equaliser
from all_even.dsp.parameter import number
from all_even.dsp.passes import HighPass, LowPass
from all_even.engine.sharing import Sharing
from all_even.engine.three_knobs import ThreeKnobs, three_knobs
from all_even.measure.level import zones
from all_even.measure.sharing import masking
from all_even.moves.share import bands, live
from all_even.session.model import Lane, Session
from all_even.session.roles import family_of

FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, 200)
LEAST_DB = 0.25
"""A curve that moves less is none."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Thread:
    """One lane's curve. curve_db: at `FREQUENCIES_HZ`; texts: its bands in words; knobs: None where it has none that
    stand still, or was not measured."""

    lane_id: str
    name: str
    family: str
    curve_db: Array
    texts: tuple[str, ...]
    knobs: ThreeKnobs | None


@dataclass(frozen=True, slots=True, eq=False)
class Book:
    """lifts, cuts: by zone (`measure.level.zones`), how many lanes are up, or down, by 1 dB or more there."""

    threads: tuple[Thread, ...]
    lifts: tuple[int, ...]
    cuts: tuple[int, ...]


def texts_of(lane: Lane) -> tuple[str, ...]:
    """All that shapes a lane's spectrum, band by band."""
    told: list[str] = []
    for station in lane.chain:
        if station.bypass:
            continue
        if isinstance(station, HighPass | LowPass):
            told.append(f"{station.LABEL.lower()} {number(station.frequency_hz, 0)} Hz, {station.slope} dB/oct")
        elif isinstance(station, Equaliser):
            for band in station.bands:
                if band.on and band.shape in GAINLESS:
                    told.append(f"{band.shape} {number(band.frequency_hz, 0)} Hz")
                elif band.on:
                    told.append(bands.words(band))
            if station.bands and abs(station.output_db) >= 0.05:
                told.append(f"output {number(station.output_db)} dB")
        elif isinstance(station, DynamicEqualiser):
            told += [f"dynamic, up to {number(band.range_db)} dB at {number(band.frequency_hz, 0)} Hz"
                     for band in station.bands if band.on]  # fmt: skip
    return tuple(told)


def book(session: Session, found: Sharing | None) -> Book:
    """Of every lane with an equaliser or a pass. found: for the weights of the three knobs."""
    threads = []
    for lane in session.lanes:
        told = texts_of(lane)
        if not told:
            continue
        curve = 20.0 * np.log10(np.maximum(live.curve(lane, FREQUENCIES_HZ, session.sample_rate), 1e-4))
        threads.append(Thread(lane.id, lane.name, family_of(lane.role), curve, told, _knobs(lane, curve, found)))
    lifts, cuts = [], []
    for low, high in zip(zones.EDGES_HZ[:-1], zones.EDGES_HZ[1:], strict=True):
        inside = (low <= FREQUENCIES_HZ) & (high > FREQUENCIES_HZ)
        levels = [float(thread.curve_db[inside].mean()) for thread in threads]
        lifts.append(sum(level >= 1.0 for level in levels))
        cuts.append(sum(level <= -1.0 for level in levels))
    return Book(tuple(threads), tuple(lifts), tuple(cuts))


def _knobs(lane: Lane, curve_db: Array, found: Sharing | None) -> ThreeKnobs | None:
    """Weighted by the track's spectrum before its equalisers; only where the shape of the curve is not flat."""
    place = found.place(lane.id) if found is not None else None
    if found is None or place is None or float(np.ptp(curve_db)) < LEAST_DB:
        return None
    power = found.scene.power[place].mean(axis=0, dtype=np.float64)
    weight = np.interp(np.log(FREQUENCIES_HZ), np.log(masking.centres_hz()), power, left=0.0, right=0.0)
    inside = weight > 0.0
    return three_knobs(curve_db[inside], FREQUENCIES_HZ[inside], weight[inside])
