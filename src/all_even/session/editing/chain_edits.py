"""Edits of chains: stations are added, moved, changed, copied, removed; settings are automated.

strip_id is a lane, a bus, or `mix`. Values are brought into their ranges here.
"""

from collections.abc import Callable, Iterable, Sequence
from operator import itemgetter
from typing import Any, TypeVar, cast

import msgspec
from msgspec.structs import replace

from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.parameter import Parameter
from all_even.dsp.processor import Processor, clamped, numbers, settings
from all_even.dsp.tone.equaliser import MOST_BANDS, Equaliser
from all_even.dsp.utility import Gain
from all_even.errors import UserError
from all_even.session.editing import automating, curves, edits
from all_even.session.editing.routing_edits import checked
from all_even.session.model.alike import same_start
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Automation, Point
from all_even.session.model.values import LONGEST_S

T = TypeVar("T", bound=Processor)


def valid(station: T) -> T:
    """The station with every number in its range; a UserError for a word or a part that its kind has not."""
    inside = clamped(station)
    bands = getattr(inside, "bands", None)
    if bands is not None:
        inside = replace(inside, bands=tuple(clamped(band) for band in bands))
    try:
        msgspec.convert(msgspec.to_builtins(inside), type=AnyProcessor)
    except (msgspec.ValidationError, TypeError, ValueError):
        raise UserError(f"{station.LABEL} can't be set to that.") from None
    return inside


def move_bands(session: Session, strip_id: str, station_id: str, semitones: float) -> Session:
    """All bands of an equaliser up or down by the same interval: a curve that fits a note fits the next one. A
    UserError where one would leave its range, or the station has no bands."""
    station = next((item for item in session.chain(strip_id) if item.id == station_id), None)
    bands: tuple[Any, ...] = getattr(station, "bands", ())
    if not bands or not hasattr(bands[0], "frequency_hz"):
        raise UserError("This processor has no bands to move.")
    described = settings(type(bands[0]))["frequency_hz"]
    assert isinstance(described, Parameter)
    moved = [band.frequency_hz * 2.0 ** (semitones / 12.0) for band in bands]
    if min(moved) < described.low or max(moved) > described.high:
        raise UserError(f"A band would leave {described.low:.0f} to {described.high:.0f} Hz: nothing was moved.")
    fresh = tuple(replace(band, frequency_hz=round(hz, 2)) for band, hz in zip(bands, moved, strict=True))
    return change_station(session, strip_id, station_id, bands=fresh)


def add_to_all(session: Session, strip_ids: Iterable[str], kind: type[Processor]) -> Session:
    """A processor at the end of several chains, each its own."""
    for strip_id in strip_ids:
        session = add_station(session, strip_id, kind())
    return session


def set_chain(session: Session, strip_id: str, chain: Sequence[Processor]) -> Session:
    """A whole new chain; a key that would make a loop raises a RoutingError.

    Automation of what is gone with it ends.
    """
    stations = tuple(cast("AnyProcessor", station) for station in chain)
    if strip_id == MIX:
        mix = replace(session.mix, chain=stations)
        return checked(replace(session, mix=replace(mix, automation=automating.kept(mix))))
    automation = automating.kept(replace(session.strip(strip_id), chain=stations))
    return checked(edits.change_strips(session, (strip_id,), chain=stations, automation=automation))


def add_station(session: Session, strip_id: str, station: Processor, index: int | None = None) -> Session:
    """Puts a station into a chain, at its end or before another; it gets an id of its own."""
    named = replace(valid(station), id=edits.free_id(session, "s"))
    chain: list[Processor] = list(session.chain(strip_id))
    chain.insert(len(chain) if index is None else index, named)
    return set_chain(session, strip_id, chain)


def with_equaliser(session: Session, strip_id: str, station: Equaliser) -> Session:
    """An equaliser at the end of a chain: its bands in the one that ends it already, where that sounds the same."""
    chain = session.chain(strip_id)
    last = chain[-1] if chain else None
    if not isinstance(last, Equaliser) or not _can_be_one(last, station):
        return add_station(session, strip_id, station)
    if any(item.parameter.startswith(f"{last.id}.") for item in automation_of(session, strip_id)):
        return add_station(session, strip_id, station)
    together = (*last.bands, *station.bands)
    output_db = last.output_db + station.output_db
    return change_station(session, strip_id, last.id, bands=together, output_db=output_db, matched_db=0.0)


def _can_be_one(one: Equaliser, other: Equaliser) -> bool:
    """Whether two equalisers in a row sound like one with the bands of both."""
    plain = all(item.phase == "minimum" and not item.bypass for item in (one, other))
    low, high = numbers(Equaliser)["output_db"].low, numbers(Equaliser)["output_db"].high
    return (
        plain and len(one.bands) + len(other.bands) <= MOST_BANDS and low <= one.output_db + other.output_db <= high
    )  # fmt: skip


def remove_station(session: Session, strip_id: str, station_id: str) -> Session:
    return set_chain(session, strip_id, [item for item in session.chain(strip_id) if item.id != station_id])


def move_station(session: Session, strip_id: str, station_id: str, by: int) -> Session:
    """Moves a station earlier (negative) or later in its chain."""
    chain = list(session.chain(strip_id))
    at = [item.id for item in chain].index(station_id)
    station = chain.pop(at)
    chain.insert(max(0, min(len(chain), at + by)), station)
    return set_chain(session, strip_id, chain)


def change_station(session: Session, strip_id: str, station_id: str, **values: Any) -> Session:
    """New settings of one station; KeyError where it is not there."""
    chain = session.chain(strip_id)
    if station_id not in {item.id for item in chain}:
        raise KeyError(station_id)
    changed = [
        valid(replace(cast(Processor, item), **values)) if item.id == station_id else cast(Processor, item)
        for item in chain
    ]
    return set_chain(session, strip_id, changed)


def match_station(session: Session, strip_id: str, station_id: str, change_db: float) -> Session:
    """Makes a station as loud as its bypass, by what it was measured to change.

    Where it has a make-up or an output level that takes it back; else the bypass is given the same level.
    """
    _, station = find_station(session, station_id)
    for field in OUTPUTS:
        if hasattr(station, field) and not station.bypass:
            return change_station(
                session, strip_id, station_id, **{field: round(getattr(station, field) - change_db, 2)}
            )
    return change_station(session, strip_id, station_id, matched_db=round(change_db, 2))


OUTPUTS = ("makeup_db", "output_db")
"""Fields of stations that are their level after all else."""


def output_of(station: Processor) -> str:
    """The field that is a station's own output level; empty where it has none."""
    if isinstance(station, Gain):
        return "gain_db"
    return next((field for field in OUTPUTS if hasattr(station, field)), "")


def raise_output(session: Session, strip_id: str, station_id: str, by_db: float) -> Session:
    """What comes out of a station, louder: by its own output level, else by a gain station behind it."""
    at, station = find_station(session, station_id)
    field = output_of(station)
    if field and not station.bypass:
        return change_station(session, strip_id, station_id, **{field: round(getattr(station, field) + by_db, 2)})
    index = [item.id for item in session.chain(at)].index(station_id) + 1
    return add_station(session, strip_id, Gain(gain_db=by_db), index)


def change_part(session: Session, strip_id: str, station_id: str, index: int, **values: Any) -> Session:
    """New settings of one band of a station."""
    station: Any = next(item for item in session.chain(strip_id) if item.id == station_id)
    bands = list(station.bands)
    if not 0 <= index < len(bands):
        raise KeyError(index)
    bands[index] = clamped(replace(bands[index], **values))
    return change_station(session, strip_id, station_id, bands=tuple(bands))


def add_band(session: Session, strip_id: str, station_id: str, index: int) -> Session:
    """One more band behind band `index`; automation of the bands above it moves up with them."""
    station: Any = next(item for item in session.chain(strip_id) if item.id == station_id)
    if len(station.bands) >= station.BAND_COUNTS[1]:
        raise UserError(f"{station.LABEL}: {station.BAND_COUNTS[1]} bands are the most there can be.")
    return _with_bands(session, strip_id, station.with_band(index), lambda n: n + 1 if n > index else n)


def drop_band(session: Session, strip_id: str, station_id: str, index: int) -> Session:
    """Takes a band away, with its automation."""
    station: Any = next(item for item in session.chain(strip_id) if item.id == station_id)
    if len(station.bands) <= station.BAND_COUNTS[0]:
        raise UserError(f"{station.LABEL}: {station.BAND_COUNTS[0]} bands are the fewest there can be.")
    return _with_bands(
        session, strip_id, station.without_band(index), lambda n: None if n == index else n - 1 if n > index else n
    )


def _with_bands(
    session: Session, strip_id: str, station: AnyProcessor, renumbered: Callable[[int], int | None]
) -> Session:
    """Puts a station of other bands in its place. renumbered: from the old number of a band to the new one."""
    kept = []
    for item in automation_of(session, strip_id):
        head, _, path = item.parameter.partition(".bands.")
        if head == station.id and path:
            number, _, name = path.partition(".")
            new = renumbered(int(number))
            if new is None:
                continue
            item = replace(item, parameter=f"{station.id}.bands.{new}.{name}")
        kept.append(item)
    chain = [station if item.id == station.id else item for item in session.chain(strip_id)]
    return _with_automation(set_chain(session, strip_id, chain), strip_id, tuple(kept))


def copy_stations(session: Session, strip_id: str, station_ids: Iterable[str], to: Iterable[str]) -> Session:
    """Copies stations to the ends of other chains, in order, keys included."""
    wanted = set(station_ids)
    copied = [station for station in session.chain(strip_id) if station.id in wanted]
    for target in to:
        if target != strip_id:
            for station in copied:
                session = add_station(session, target, station)
    return session


def find_station(session: Session, station_id: str) -> tuple[str, AnyProcessor]:
    """The strip and the station with this id; KeyError where there is none."""
    for strip_id in (*(strip.id for strip in session.strips), MIX):
        for station in session.chain(strip_id):
            if station.id == station_id:
                return strip_id, station
    raise KeyError(station_id)


def automation_of(session: Session, strip_id: str) -> tuple[Automation, ...]:
    return session.mix.automation if strip_id == MIX else session.member(strip_id).automation


def automate(session: Session, strip_id: str, parameter: str, points: Iterable[tuple[float, float]]) -> Session:
    """Automates a setting with (seconds, value) points; without points it stands still again.

    parameter as in `Automation`. KeyError where the strip has no such setting; ValueError where it
    can't be automated because it changes latency or structure.
    """
    described = automating.automatable(session.mix if strip_id == MIX else session.member(strip_id), parameter)
    ordered = sorted(points, key=itemgetter(0))
    known = next((item.points for item in automation_of(session, strip_id) if item.parameter == parameter), ())
    fresh = _points(ordered, known, described)
    kept = tuple(item for item in automation_of(session, strip_id) if item.parameter != parameter)
    return _with_automation(
        session, strip_id, (*kept, Automation(parameter=parameter, points=fresh)) if fresh else kept
    )


def _points(
    ordered: Sequence[tuple[float, float]], known: tuple[Point, ...], described: Parameter
) -> tuple[Point, ...]:
    """Points in their ranges. known: those before; what stays at either end stays the same object: a hand that moves
    one of thousands pays for one."""

    before = curves.of_points(known)
    first = same_start(before, ordered)
    most = min(len(ordered), len(known)) - first
    last = same_start(before[::-1][:most], ordered[::-1][:most])
    middle = (
        Point(time_s=min(LONGEST_S, max(0.0, float(time))), value=described.clamped(float(value)))
        for time, value in ordered[first : len(ordered) - last]
    )
    return (*known[:first], *middle, *known[len(known) - last :])


def _with_automation(session: Session, strip_id: str, automation: tuple[Automation, ...]) -> Session:
    if strip_id == MIX:
        return replace(session, mix=replace(session.mix, automation=automation))
    return edits.change_strips(session, (strip_id,), automation=automation)


def set_shape(session: Session, shape: DuckShape) -> Session:
    """Adds a duck shape or takes its id over; all lanes linked to it follow."""
    kept = tuple(item for item in session.shapes if item.id != shape.id)
    if len(kept) < len(session.shapes):
        kept = tuple(clamped(shape) if item.id == shape.id else item for item in session.shapes)
        return replace(session, shapes=kept)
    return replace(session, shapes=(*kept, clamped(shape)))


def remove_shape(session: Session, shape_id: str) -> Session:
    """Takes a shape away; linked duckers stay, without effect."""
    return replace(session, shapes=tuple(item for item in session.shapes if item.id != shape_id))
