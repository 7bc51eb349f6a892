"""Every setting of a session as lines that can be read and carried by hand: where, what, how much.

The lines come from the same descriptions as the controls on the screen: a new processor, or a new field of a
lane, appears by itself.
"""

from dataclasses import dataclass, replace
from typing import Any

from msgspec import Struct, structs

from all_even.dsp.parameter import CLIP_GAIN, LEVEL, PAN, TRIM, Setting, Switch, time_text
from all_even.dsp.processor import Described, settings
from all_even.session.model.session import Session
from all_even.session.model.strips import Automation, HitChanges, Send

DESCRIBED: dict[str, Setting] = {
    "level_db": LEVEL,
    "pan": PAN,
    "trim_db": TRIM,
    "clip_gain_db": CLIP_GAIN,
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
LISTED_POINTS = 12
"""Of a longer curve a summary is read; the values themselves are in the .json, the .csv and the automation files."""
LEFT_OUT = frozenset({"id", "name", "folder"})
ALWAYS_SAID = frozenset({"level_db", "pan", "destination"})
"""Of a lane, a bus or a send: worth reading also where nobody has set it."""
SAID_WHERE_SET = frozenset({"bypass", "matched_db"})
"""Of a station. All its other settings are needed to set another device to it: that one starts elsewhere."""
WORDS = {"use": "Use", "take": "Channels used", "start_s": "Starts at, s", "destination": "Output", "group": "Folder"}


@dataclass(frozen=True, slots=True)
class SettingLine:
    """where: whose setting it is, as words: a strip, and which part of it. text: for people, with its unit.

    value: unrounded, as the session holds it. neutral: it stands as at first and goes without saying.
    """

    where: str
    what: str
    text: str
    value: Any
    neutral: bool = False


@dataclass(frozen=True, slots=True)
class Owner:
    """What has settings: a strip, and after it each of its parts. part: "1. High-pass", empty for the strip itself.
    owner_id: of the strip; empty for the session and its shapes."""

    strip: str
    part: str
    lines: tuple[SettingLine, ...]
    owner_id: str = ""


def owners(session: Session) -> list[Owner]:
    """All that is set, in the order of the signal, with what has a name of its own for each."""
    found = [
        Owner("Session", "", (SettingLine("Session", "Pan law", session.pan_law.replace("-", "−"), session.pan_law),))
    ]
    for member in session.members:
        found += [replace(item, owner_id=member.id) for item in _owners(session, member.name, "", member)]
    for shape in session.shapes:
        found += _owners(session, f"Duck shape {shape.name}", "", shape)
    found += _owners(session, "Mix bus", "", session.mix)
    return found


def every_setting(session: Session) -> list[SettingLine]:
    """All settings of lanes, buses, folder groups, shapes and the mix bus, in the order of the signal."""
    return [line for owner in owners(session) for line in owner.lines]


def _owners(session: Session, strip: str, part: str, owner: Struct) -> list[Owner]:
    """A thing with settings, then its parts: stations, sends, bands, keys."""
    described = settings(type(owner)) if isinstance(owner, Described) else {}
    where = f"{strip}, {part}" if part else strip
    inside = f"{part}, " if part else ""
    lines: list[SettingLine] = []
    parts: list[Owner] = []
    for field in structs.fields(owner):
        name, value = field.name, getattr(owner, field.name)
        if name in LEFT_OUT:
            continue
        if name == "chain":
            for place, station in enumerate(value, 1):
                parts += _owners(session, strip, f"{place}. {station.LABEL}", station)
        elif name == "automation":
            lines += [
                SettingLine(where, f"Automation of {_parameter(session, owner, item)}", _points(item), _raw(item))
                for item in value
            ]
        elif isinstance(value, HitChanges):
            for words, times in (("Hits added at", value.added_s), ("Hits removed at", value.removed_s)):
                if times:
                    lines.append(SettingLine(where, words, ", ".join(time_text(time) for time in times), times))
        elif isinstance(value, tuple) and value and isinstance(value[0], Send):
            for send in value:
                parts += _owners(session, strip, f"send to {session.strip_name(send.to)}", send)
        elif isinstance(value, tuple) and value and isinstance(value[0], Struct):
            for place, item in enumerate(value, 1):
                parts += _owners(session, strip, f"{inside}{_words(name).lower().removesuffix('s')} {place}", item)
        elif isinstance(value, Struct):
            parts += _owners(session, strip, inside + _words(name).lower(), value)
        else:
            setting = described.get(name) or DESCRIBED.get(name)
            what = setting.name if setting else _words(name)
            neutral = _neutral(owner, name, field.default)
            lines.append(SettingLine(where, what, _text(session, name, setting, value), value, neutral))
    return [Owner(strip, part, tuple(lines)), *parts]


def _neutral(owner: Struct, name: str, default: Any) -> bool:
    """Whether a setting goes without saying."""
    if name == "to":  # a send's target is part of its name
        return True
    said_where_set = name in SAID_WHERE_SET if isinstance(owner, Described) else name not in ALWAYS_SAID
    return said_where_set and bool(getattr(owner, name) == default)


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
    """All points of a short curve; of a long one how many, from when to when, between what."""
    setting = DESCRIBED.get(item.parameter)

    def told(value: float) -> str:
        return str(setting.text(value)) if setting else f"{value:g}"  # type: ignore[arg-type]

    if len(item.points) <= LISTED_POINTS:
        return ", ".join(f"{time_text(point.time_s)} {told(point.value)}" for point in item.points)
    values = [point.value for point in item.points]
    first, last = item.points[0].time_s, item.points[-1].time_s
    return (
        f"{len(item.points)} points from {time_text(first)} to {time_text(last)}, between {told(min(values))} and "
        f"{told(max(values))}"
    )


def _raw(item: Automation) -> list[Any]:
    """What is moved, and its points as time in seconds and value."""
    return [item.parameter, [[point.time_s, point.value] for point in item.points]]
