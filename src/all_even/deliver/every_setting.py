"""Every setting of a session as lines that can be read and carried by hand: where, what, how much.

The lines come from the same descriptions as the controls on the screen: a new processor, or a new field of a
lane, appears by itself.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from msgspec import Struct, structs

from all_even.dsp.parameter import LEVEL, PAN, TRIM, Setting, Switch, time_text
from all_even.dsp.processor import Described, settings
from all_even.session.model import Automation, HitChanges, Send, Session

DESCRIBED: dict[str, Setting] = {
    "level_db": LEVEL,
    "pan": PAN,
    "trim_db": TRIM,
    "mute": Switch("Mute", False),
    "solo": Switch("Solo", False),
    "polarity_inverted": Switch("Polarity inverted", False),
    "hidden": Switch("Hidden", False),
    "bypass": Switch("Bypass", False),
    "pre_fader": Switch("Before the fader", False),
    "on": Switch("On", True),
}
"""Settings of strips that are no fields of a processor."""
NAMES_A_STRIP = frozenset({"destination", "group", "to", "source"})
LEFT_OUT = frozenset({"id", "name", "folder"})
WORDS = {"use": "Use", "take": "Channels used", "start_s": "Starts at, s", "destination": "Goes to", "group": "Folder"}


@dataclass(frozen=True, slots=True)
class Line:
    """where: whose setting it is. text: for people, with its unit; value: unrounded, as the session holds it."""

    where: str
    what: str
    text: str
    value: Any


def every_setting(session: Session) -> list[Line]:
    """All settings of lanes, buses, folder groups, shapes and the mix bus, in the order of the signal."""
    lines = [Line("Session", "Pan law", session.pan_law.replace("-", "−"), session.pan_law)]
    for member in session.members:
        lines += _fields(session, member.name, member)
    for shape in session.shapes:
        lines += _fields(session, f"Duck shape {shape.name}", shape)
    lines += _fields(session, "Mix bus", session.mix)
    return lines


def _fields(session: Session, where: str, owner: Struct) -> Iterator[Line]:
    described = settings(type(owner)) if isinstance(owner, Described) else {}
    for field in structs.fields(owner):
        name, value = field.name, getattr(owner, field.name)
        if name in LEFT_OUT:
            continue
        if name == "chain":
            for place, station in enumerate(value, 1):
                yield from _fields(session, f"{where}, {place}. {station.LABEL}", station)
        elif name == "automation":
            for item in value:
                yield Line(where, f"Automation of {_parameter(session, owner, item)}", _points(item), _raw(item))
        elif isinstance(value, HitChanges):
            for words, times in (("Hits added at", value.added_s), ("Hits removed at", value.removed_s)):
                if times:
                    yield Line(where, words, ", ".join(time_text(time) for time in times), times)
        elif isinstance(value, tuple) and value and isinstance(value[0], Send):
            for send in value:
                yield from _fields(session, f"{where}, send to {session.strip_name(send.to)}", send)
        elif isinstance(value, tuple) and value and isinstance(value[0], Struct):
            for place, part in enumerate(value, 1):
                yield from _fields(session, f"{where}, {_words(name).lower().removesuffix('s')} {place}", part)
        elif isinstance(value, Struct):
            yield from _fields(session, f"{where}, {_words(name).lower()}", value)
        else:
            setting = described.get(name) or DESCRIBED.get(name)
            yield Line(where, setting.name if setting else _words(name), _text(session, name, setting, value), value)


def _text(session: Session, name: str, setting: Any, value: Any) -> str:
    if setting is not None:
        return str(setting.text(value))
    if value is None or value == ():
        return "–"
    if name in NAMES_A_STRIP:
        return session.strip_name(value)
    if name == "shape":
        return next((shape.name for shape in session.shapes if shape.id == value), str(value))
    if isinstance(value, tuple):
        return ", ".join(f"{part:g}" if isinstance(part, float) else str(part) for part in value)
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value)


def _words(name: str) -> str:
    """A field's name as words, where nothing describes it."""
    return WORDS.get(name) or name.replace("_", " ").capitalize()


def _parameter(session: Session, owner: Any, item: Automation) -> str:
    """What an automation moves, in words."""
    setting = DESCRIBED.get(item.parameter)
    if setting is not None:
        return setting.name.lower()
    if item.parameter.startswith("send:"):
        return f"the send to {session.strip_name(item.parameter.removeprefix('send:'))}"
    station_id, _, path = item.parameter.partition(".")
    for place, station in enumerate(owner.chain, 1):
        if station.id == station_id:
            return f"{place}. {station.LABEL}, {path.replace('bands.', 'band ').replace('_', ' ').replace('.', ' ')}"
    return item.parameter


def _points(item: Automation) -> str:
    setting = DESCRIBED.get(item.parameter)
    return ", ".join(
        f"{time_text(point.time_s)} {setting.text(point.value) if setting else f'{point.value:g}'}"  # type: ignore[arg-type]
        for point in item.points
    )


def _raw(item: Automation) -> list[Any]:
    """What is moved, and its points as time in seconds and value."""
    return [item.parameter, [[point.time_s, point.value] for point in item.points]]
