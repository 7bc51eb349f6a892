"""Keep: the output gain that gives a source its own loudness back behind an equaliser, measured on its sound.

Predicted from bands it is up to 1.3 dB beside, and what is promised then up to 0.035 of a track's share; measured, the
promise holds to 0.003.
"""

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial

import msgspec
import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Equaliser
from all_even.engine.mixing import add_lane
from all_even.figures.book.fingerprint import digest
from all_even.figures.book.look import Look
from all_even.figures.sources.units import Unit, gains_to_mix
from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter
from all_even.priority import step_back

Array = NDArray[np.float64]
BLOCK_S, QUIET = 2.0, 1e-9
NAME = "level behind an equaliser"


@dataclass(frozen=True, slots=True)
class Kept:
    """output_db: the gain that keeps the loudness, 0 where nothing is loud enough to be measured; peak_db: by how much
    the peak is higher then."""

    output_db: float
    peak_db: float


def kept_of(look: Look, wanted: dict[str, tuple[Unit, Equaliser]]) -> dict[str, Kept]:
    """For each source's equaliser, by unit id."""
    for unit, _ in wanted.values():
        look.hear(*(("sound", lane.id) for lane in unit.lanes if lane.chain))
    with ThreadPoolExecutor(look.workers, thread_name_prefix="keep", initializer=step_back) as pool:
        found = list(pool.map(partial(_kept, look), wanted.values()))
    return dict(zip(wanted, found, strict=True))


def outputs_db(look: Look, wanted: dict[str, tuple[Unit, Equaliser]]) -> dict[str, float]:
    """The output gains alone, dB."""
    return {unit: kept.output_db for unit, kept in kept_of(look, wanted).items()}


def _kept(look: Look, wanted: tuple[Unit, Equaliser]) -> Kept:
    unit, station = wanted
    ways = {lane.id: matrix for lane in unit.lanes if (matrix := gains_to_mix(look, lane)) is not None}
    if not ways:
        return Kept(0.0, 0.0)
    before, after = _level(look, ways, None), _level(look, ways, station)
    output = 0.0 if before.lufs is None or after.lufs is None else round(before.lufs - after.lufs, 2)
    return Kept(output, after.peak_db - before.peak_db + output)


@dataclass(frozen=True, slots=True)
class _Level:
    """lufs: None where nothing is loud enough to be measured."""

    lufs: float | None
    peak_db: float


def _level(look: Look, ways: Mapping[str, Array], station: Equaliser | None) -> _Level:
    """What arrives of a source, and of it behind an equaliser: measured once, as bands are tried out one by one.
    ways: how each of its lanes comes to the mix, (channels, 2), by lane id."""
    prints, pages = look.book.fingerprints(look.session), look.book.pages
    lanes = [(prints.strips.get(lane_id), matrix.tolist()) for lane_id, matrix in ways.items()]
    bands = None if station is None else [msgspec.structs.astuple(band) for band in station.bands]
    key = digest((lanes, bands))
    found: _Level | None = pages.get(NAME, 1, key)
    if found is None:
        found = _measured(look, ways, station)
        pages.put(NAME, 1, key, found)
    return found


def _measured(look: Look, ways: Mapping[str, Array], station: Equaliser | None) -> _Level:
    session, rate = look.session, look.session.sample_rate
    sounds = {one: look.book.sound(session, one, cancelled=look.cancelled, workers=1) for one in ways}
    run, meter = None if station is None else Single(station, rate), HopMeter(rate, 2)
    frames, block = max(sound.frames for sound in sounds.values()), round(BLOCK_S * rate)
    for start in range(0, frames, block):
        look.stop_if_cancelled()
        count = min(block, frames - start)
        arriving = np.zeros((count, 2))
        for lane_id, matrix in ways.items():
            add_lane(arriving, sounds[lane_id].read(start, count), matrix, False)
        meter.add(arriving if run is None else run(arriving))
    hops = meter.result()
    peak = max(float(hops.high.max(initial=0.0)), -float(hops.low.min(initial=0.0)), QUIET)
    return _Level(loudness.integrated_lufs(hops.weighted), 20.0 * float(np.log10(peak)))
