"""The whole session's equalisers as one picture and one table, and the same for a simple board with three knobs."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.parameter import number
from all_even.dsp.tone.equaliser import GAINLESS, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.sharing.three_knobs import ThreeKnobs, three_knobs
from all_even.measure.level import zones
from all_even.measure.level.third_octave import NOMINAL_HZ
from all_even.measure.recording.files import FileReport
from all_even.moves.share import bands, live
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, 200)
LEAST_DB, FEWEST_BANDS = 0.25, 3
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


def book(session: Session, reports: Mapping[str, FileReport]) -> Book:
    """Of every lane with an equaliser or a pass. reports: of the lanes, for the weights of the three knobs."""
    threads = []
    for lane in session.lanes:
        told = texts_of(lane)
        if not told:
            continue
        curve = 20.0 * np.log10(np.maximum(live.curve(lane, FREQUENCIES_HZ, session.sample_rate), 1e-4))
        threads.append(
            Thread(lane.id, lane.name, family_of(lane.role), curve, told, _knobs(curve, reports.get(lane.id)))
        )
    lifts, cuts = [], []
    for low, high in zip(zones.EDGES_HZ[:-1], zones.EDGES_HZ[1:], strict=True):
        inside = (low <= FREQUENCIES_HZ) & (high > FREQUENCIES_HZ)
        levels = [float(thread.curve_db[inside].mean()) for thread in threads]
        lifts.append(sum(level >= 1.0 for level in levels))
        cuts.append(sum(level <= -1.0 for level in levels))
    return Book(tuple(threads), tuple(lifts), tuple(cuts))


def _knobs(curve_db: Array, report: FileReport | None) -> ThreeKnobs | None:
    """Weighted by what the recording has in each third octave; only where the shape of the curve is not flat."""
    measures = report.measures if report is not None else None
    if measures is None or float(np.ptp(curve_db)) < LEAST_DB:
        return None
    levels = [(hz, db) for hz, db in zip(NOMINAL_HZ, measures.third_octave_db, strict=True) if db is not None]
    if len(levels) < FEWEST_BANDS:
        return None
    hz, db = np.array(levels).T
    weight = 10.0 ** (np.interp(np.log(FREQUENCIES_HZ), np.log(hz), db) / 10.0)
    inside = (hz.min() <= FREQUENCIES_HZ) & (hz.max() >= FREQUENCIES_HZ)
    return three_knobs(curve_db[inside], FREQUENCIES_HZ[inside], weight[inside])
