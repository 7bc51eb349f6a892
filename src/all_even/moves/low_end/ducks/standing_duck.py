"""The duck that stands in a session: read from its stations, turned by hand, linked to more lanes.

One drawn shape may be followed by many lanes, each with a depth of its own: turned once, all follow. Keyed stations
of one method are turned together.
"""

from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import shape_of
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Processor, key_of, numbers
from all_even.figures.low_end.low_end import bass_strips
from all_even.moves.ducking import methods
from all_even.moves.low_end.ducks.duck import CLICK_KEY, is_click_trigger, is_duck
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session


@dataclass(frozen=True, slots=True)
class Standing:
    """name, numbers: the method and what a fit would turn, read from the stations. lanes: lanes and groups that follow
    it, by id, with the depth of each; shape_id: of a drawn one."""

    name: str
    numbers: methods.Parameters
    lanes: tuple[tuple[str, float], ...]
    shape_id: str | None


def standing(session: Session, sketch: methods.Sketch) -> Standing | None:
    """The duck of the first bass, or group of basses, that has one; None where none has."""
    for strip in bass_strips(session):
        for station in strip.chain:
            if isinstance(station, Ducker):
                shape = shape_of(station, session.shapes)
                if shape is not None:
                    own = {"depth_db": station.depth_db, "hold_ms": shape.hold_ms, "length_ms": shape.length_ms,
                           "curve": shape.curve}  # fmt: skip
                    return Standing("drawn", own, linked_lanes(session, shape.id), shape.id)
            elif is_duck(station):
                return _keyed_standing(session, station, sketch)
    return None


def linked_lanes(session: Session, shape_id: str) -> tuple[tuple[str, float], ...]:
    """Lanes and groups that follow a shape, with the depth of each."""
    return tuple(
        (strip.id, station.depth_db)
        for strip in session.strips
        for station in strip.chain
        if isinstance(station, Ducker) and station.shape == shape_id
    )


def _keyed_standing(session: Session, station: Processor, sketch: methods.Sketch) -> Standing:
    banded = isinstance(station, BandCompressor)
    inner = station.bands[1] if isinstance(station, BandCompressor) and len(station.bands) == 3 else station
    assert isinstance(inner, Compressor | BandCompressor)
    if isinstance(inner, BandCompressor):
        inner = inner.bands[0]
    name = "band" if banded else "keyed_high_pass" if inner.key_high_pass_hz > 0.0 else "keyed"
    key = key_of(station)
    if not banded and key is not None and session.is_lane(key.source) and is_click_trigger(session.lane(key.source)):
        name = CLICK_KEY
    level = sketch.levels_db[methods.KEYS.get(name, "band")]
    depth = (level - inner.threshold_db) * (1.0 - 1.0 / max(1.01, inner.ratio))
    own = {"depth_db": max(1.0, depth), "attack_ms": inner.attack_ms, "release_ms": inner.release_ms}
    if banded:
        own["range_db"] = inner.range_db
    lanes = tuple((strip.id, own["depth_db"]) for strip in session.strips for item in strip.chain if is_duck(item))
    return Standing(name, own, lanes, None)


def turned(session: Session, found: Standing, own: methods.Parameters, sketch: methods.Sketch) -> Session:
    """The session with the numbers of its duck changed; lanes that are linked keep their own depth beside the
    first's."""
    if found.shape_id is not None:
        shape = next(item for item in session.shapes if item.id == found.shape_id)
        drawn = replace(shape, hold_ms=own["hold_ms"], length_ms=own["length_ms"], curve=own["curve"])
        session = chain_edits.set_shape(session, drawn)
        by = own["depth_db"] - found.numbers["depth_db"]
        for lane_id, depth in found.lanes:
            session = with_depth(session, lane_id, found.shape_id, depth + by)
        return session
    inner = methods.compressor(sketch, methods.KEYS.get(found.name, "band"), own)
    for strip in session.strips:
        for station in strip.chain:
            if isinstance(station, Compressor) and is_duck(station):
                new: dict[str, float] = {
                    name: getattr(inner, name) for name in ("threshold_db", "attack_ms", "release_ms")
                }
                session = chain_edits.change_station(session, strip.id, station.id, **new)
            elif isinstance(station, BandCompressor) and is_duck(station) and len(station.bands) == 3:
                band = replace(station.bands[1], threshold_db=inner.threshold_db, attack_ms=inner.attack_ms,
                               release_ms=inner.release_ms)  # fmt: skip
                bands = (station.bands[0], band, station.bands[2])
                session = chain_edits.change_station(session, strip.id, station.id, bands=bands)
    return session


def with_depth(session: Session, lane_id: str, shape_id: str, depth_db: float) -> Session:
    """One linked lane deeper or lighter."""
    for station in session.chain(lane_id):
        if isinstance(station, Ducker) and station.shape == shape_id:
            value = numbers(Ducker)["depth_db"].clamped(depth_db)
            session = chain_edits.change_station(session, lane_id, station.id, depth_db=value)
    return session


def link(session: Session, lane_ids: tuple[str, ...], shape_id: str, depth_db: float) -> Session:
    """More lanes that follow a shape: chords and groups lighter than the bass. One that follows it already stays."""
    known = {lane_id for lane_id, _ in linked_lanes(session, shape_id)}
    for lane_id in lane_ids:
        if is_strip(session, lane_id) and lane_id not in known:
            session = chain_edits.add_station(session, lane_id, Ducker(shape=shape_id, depth_db=depth_db))
    return session


def unlink(session: Session, lane_ids: tuple[str, ...], shape_id: str) -> Session:
    for lane_id in lane_ids:
        for station in session.chain(lane_id) if is_strip(session, lane_id) else ():
            if isinstance(station, Ducker) and station.shape == shape_id:
                session = chain_edits.remove_station(session, lane_id, station.id)
    return session


def is_strip(session: Session, strip_id: str) -> bool:
    """Whether it is a lane or a group, which may follow a shape."""
    return any(strip.id == strip_id for strip in session.strips)
