"""Which settings automation may name, and what becomes of it when what it names is gone.

One description for the edit, the session file and the engine: a setting that exists, is a number, and does
not change latency or structure; values inside its range.
"""

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from all_even.decibels import OFF_DB
from all_even.dsp.parameter import CLIP_GAIN, LEVEL, MUTE, PAN, Parameter
from all_even.dsp.processor import settings
from all_even.session.model.strips import Automation, FolderGroup, Lane, MixSettings, Point, Strip

LONGEST_BAND_NUMBER = 3
OWN_WORDS = {"level_db": "level", "pan": "pan", "mute": "mute", "clip_gain_db": "clip gain"}
"""What people call the settings that every strip has."""


Automated = Strip | FolderGroup | MixSettings
FOLDER_SETTINGS = {"level_db": LEVEL, "mute": MUTE}


def automatable(strip: Automated, parameter: str) -> Parameter:
    """The description of the setting that an automation of this strip names.

    KeyError where there is no such setting; ValueError where it can't be automated because it changes
    latency or structure.
    """
    if isinstance(strip, FolderGroup):
        return FOLDER_SETTINGS[parameter]
    if isinstance(strip, Strip):
        if parameter == "level_db":
            return LEVEL
        if parameter == "pan":
            return PAN
        if parameter == "mute":
            return MUTE
        if parameter == "clip_gain_db" and isinstance(strip, Lane):
            return CLIP_GAIN
        if parameter.startswith("send:"):
            if any(send.to == parameter[5:] for send in strip.sends):
                return LEVEL
            raise KeyError(parameter)
    station_id, _, path = parameter.partition(".")
    holder: Any = next((item for item in strip.chain if item.id == station_id), None)
    if holder is None:
        raise KeyError(parameter)
    if path.startswith("bands."):
        _, number, path = (*path.split(".", 2), "")[:3]
        bands = getattr(holder, "bands", ())
        if not (number.isascii() and number.isdigit() and len(number) <= LONGEST_BAND_NUMBER):
            raise KeyError(parameter)
        if int(number) >= len(bands):
            raise KeyError(parameter)
        holder = bands[int(number)]
    found = settings(type(holder)).get(path)
    if not isinstance(found, Parameter):
        raise KeyError(parameter)
    if found.fixed:
        raise ValueError(f"{found.name} can't be automated: it changes the latency")
    return found


def change_of(described: Parameter, most: float) -> Parameter:
    """A change of a setting as a number of its own, up or down by `most` at most."""
    return Parameter(f"{described.name}, by", described.unit, -most, most, 0.0, described.step, described.decimals)


def clamped(strip: Automated, item: Automation) -> Automation:
    """The automation with every value in the range of its setting; errors as `automatable`."""
    described = automatable(strip, item.parameter)
    points = tuple(
        point if described.low <= point.value <= described.high
        else Point(time_s=point.time_s, value=described.clamped(point.value))
        for point in item.points
    )  # fmt: skip
    return item if points == item.points else replace(item, points=points)


def follow(strip: Strip | FolderGroup, values: Mapping[str, Any]) -> dict[str, Any]:
    """New settings of a strip, with its curves of level and pan moved along: a fader moves its ride as a whole.

    A fader that is turned off leaves its curve as it is (the engine lets nothing through); brought up again, the
    curve begins where the fader stands.
    """
    new = dict(values)
    if not strip.automation or "automation" in new or not {"level_db", "pan"} & new.keys():
        return new
    new["automation"] = tuple(
        _along(strip, item, float(getattr(strip, item.parameter)), new[item.parameter])
        if item.parameter in ("level_db", "pan") and item.parameter in new else item
        for item in strip.automation
    )  # fmt: skip
    return new


def _along(strip: Strip | FolderGroup, item: Automation, old: float, value: float) -> Automation:
    if item.parameter == "level_db" and value <= OFF_DB:
        return item
    by = value - (item.points[0].value if item.parameter == "level_db" and old <= OFF_DB else old)
    return raised(strip, item, by)


def raised(strip: Automated, item: Automation, by: float) -> Automation:
    """All of a curve up or down, inside the range of its setting."""
    described = automatable(strip, item.parameter)
    points = tuple(replace(p, value=described.clamped(round(p.value + by, 4))) for p in item.points)
    return replace(item, points=points) if by else item


def without_lost_sends(automation: tuple[Automation, ...], sends: set[str]) -> tuple[Automation, ...]:
    """Without the levels of sends that are not there: a later bus of that id would inherit them."""
    kept = tuple(item for item in automation if not item.parameter.startswith("send:") or item.parameter[5:] in sends)
    return automation if len(kept) == len(automation) else kept


def kept(strip: Automated) -> tuple[Automation, ...]:
    """The automation of a strip without that of settings it no longer has."""
    return tuple(item for item in strip.automation if _is_there(strip, item))


def _is_there(strip: Automated, item: Automation) -> bool:
    try:
        automatable(strip, item.parameter)
    except (KeyError, ValueError):
        return False
    return True
