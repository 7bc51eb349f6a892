"""Bands set by hand on a source: all its microphones get the same, at the end of their chains."""

from typing import Any

from msgspec.structs import replace

from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.processor import clamped
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session


def last_equaliser(session: Session, lane_id: str) -> Equaliser | None:
    """The equaliser of a lane whose bars are shown: the last one that works."""
    found = [item for item in session.lane(lane_id).chain if isinstance(item, Equaliser) and not item.bypass]
    return found[-1] if found else None


def add_band(session: Session, lanes: tuple[str, ...], band: Band) -> Session:
    """One more band on each lane; an equaliser for it where there is none."""
    for lane_id in lanes:
        station = last_equaliser(session, lane_id)
        wanted = clamped(band)
        if station is None:
            session = chain_edits.add_station(session, lane_id, Equaliser(bands=(wanted,)))
        else:
            session = chain_edits.change_station(session, lane_id, station.id, bands=(*station.bands, wanted))
    return session


def change_band(session: Session, lanes: tuple[str, ...], index: int, **values: Any) -> Session:
    """New settings of one band on each lane that has as many."""
    for lane_id in lanes:
        station = last_equaliser(session, lane_id)
        if station is not None and index < len(station.bands):
            session = chain_edits.change_part(session, lane_id, station.id, index, **values)
    return session


def drop_band(session: Session, lanes: tuple[str, ...], index: int) -> Session:
    """Takes a band away; an equaliser without bands goes too."""
    for lane_id in lanes:
        station = last_equaliser(session, lane_id)
        if station is None or index >= len(station.bands):
            continue
        if len(station.bands) == 1:
            session = chain_edits.remove_station(session, lane_id, station.id)
        else:
            session = chain_edits.drop_band(session, lane_id, station.id, index)
    return session


def add_dynamic(
    session: Session, lanes: tuple[str, ...], hz: float, q: float, range_db: float, at_db: float
) -> Session:
    """A band that moves only where the place is loud."""
    band = clamped(DynamicBand(frequency_hz=hz, q=min(q, 20.0), threshold_db=at_db, range_db=range_db))
    for lane_id in lanes:
        session = chain_edits.add_station(session, lane_id, DynamicEqualiser(bands=(band,)))
    return session


def set_output(session: Session, lanes: tuple[str, ...], output_db: float) -> Session:
    """The equaliser's output on each lane."""
    for lane_id in lanes:
        station = last_equaliser(session, lane_id)
        if station is not None:
            session = chain_edits.change_station(session, lane_id, station.id, output_db=output_db)
    return session


def without_bands(session: Session, lanes: tuple[str, ...]) -> Session:
    """The lanes without any equaliser, to compare with."""
    for lane_id in lanes:
        chain = [replace(item, bypass=True) if isinstance(item, Equaliser | DynamicEqualiser) else item
                 for item in session.lane(lane_id).chain]  # fmt: skip
        session = chain_edits.set_chain(session, lane_id, chain)
    return session
