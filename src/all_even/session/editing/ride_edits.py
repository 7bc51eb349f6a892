"""Automation by hand, of any setting of a strip: drawn, trimmed, copied between sections, thinned, recorded; and what
can be automated at all, by name.

strip_id is a lane, a bus, a folder group, or `mix`; parameter as in `Automation`. All values are brought into their
ranges.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from all_even.dsp.parameter import Parameter
from all_even.dsp.processor import settings
from all_even.session.editing import automating, chain_edits, curves
from all_even.session.editing.automating import OWN_WORDS, Automated
from all_even.session.editing.curves import Curve
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, FolderGroup, Lane, MixSettings, Strip

RAMP_S = 0.05
"""Outside a passage that is trimmed, and between two values of a ride that is recorded."""
BACK_S = 0.4
"""Back to the curve as it was, when a recorded ride is punched out."""
ONE_PART_OF = 200.0
"""Of a setting's range or, for levels, 0.1 dB: what thinning may move a curve by."""
LEVEL_WITHIN_DB = 0.1


def holder(session: Session, strip_id: str) -> Automated:
    """What has the automation; KeyError where there is none of that id."""
    return session.mix if strip_id == MIX else session.member(strip_id)


def choices(session: Session, strip_id: str) -> list[tuple[str, str]]:
    """Everything of a strip that can be automated, (parameter, words)."""
    strip = holder(session, strip_id)
    found: list[str] = []
    if isinstance(strip, FolderGroup):
        return [(parameter, OWN_WORDS[parameter]) for parameter in automating.FOLDER_SETTINGS]
    if isinstance(strip, Strip):
        found += ["level_db", "pan", "mute"]
        if isinstance(strip, Lane):
            found.append("clip_gain_db")
        found += [f"send:{send.to}" for send in strip.sends]
    for station in strip.chain:
        bands = getattr(station, "bands", ())
        owners = [("", station), *((f"bands.{index}.", band) for index, band in enumerate(bands))]
        for path, owner in owners:
            found += [
                f"{station.id}.{path}{name}" for name, setting in settings(type(owner)).items()
                if isinstance(setting, Parameter) and not setting.fixed
            ]  # fmt: skip
    return [(parameter, words(session, strip_id, parameter)) for parameter in found]


def words(session: Session, strip_id: str, parameter: str) -> str:
    """What people call a setting that is automated: `level`, `send to Hall`, `2. Equaliser, band 1 gain`."""
    if parameter in OWN_WORDS:
        return OWN_WORDS[parameter]
    if parameter.startswith("send:"):
        return f"send to {session.strip_name(parameter.removeprefix('send:'))}"
    try:
        strip = holder(session, strip_id)
        described = automating.automatable(strip, parameter)
    except (KeyError, ValueError):
        return parameter
    assert not isinstance(strip, FolderGroup)  # all of its settings are its own words
    station_id, _, path = parameter.partition(".")
    place = next(index for index, item in enumerate(strip.chain) if item.id == station_id)
    band = f"band {int(path.split('.')[1]) + 1} " if path.startswith("bands.") else ""
    return f"{place + 1}. {strip.chain[place].LABEL}, {band}{described.name.lower()}"


def curve_of(session: Session, strip_id: str, parameter: str) -> Curve:
    """The points of a setting, (seconds, value); none where it stands still or is not there. Not to be changed."""
    for item in holder(session, strip_id).automation:
        if item.parameter == parameter:
            return curves.of_points(item.points)
    return ()


def rest_of(session: Session, strip_id: str, parameter: str) -> float:
    """The value of a setting where it is not automated; KeyError where there is none."""
    strip = holder(session, strip_id)
    automating.automatable(strip, parameter)
    if not isinstance(strip, MixSettings):
        if parameter == "mute":
            return 0.0
        if parameter in OWN_WORDS:
            return float(getattr(strip, parameter))
    assert not isinstance(strip, FolderGroup)
    if isinstance(strip, Strip) and parameter.startswith("send:"):
        return next(send.level_db for send in strip.sends if send.to == parameter[5:])
    station_id, _, path = parameter.partition(".")
    owner: Any = next(item for item in strip.chain if item.id == station_id)
    if path.startswith("bands."):
        _, number, path = path.split(".", 2)
        return float(getattr(owner.bands[int(number)], path))
    return float(getattr(owner, path))


def value_at(session: Session, strip_id: str, parameter: str, time_s: float) -> float:
    """What a setting is at a moment of the song."""
    rest = rest_of(session, strip_id, parameter)
    return curves.value_at(curve_of(session, strip_id, parameter), time_s, rest)


def toggle_mute(session: Session, strip_id: str, start_s: float, end_s: float) -> Session:
    """A strip muted between two moments, or heard there again."""
    base = curve_of(session, strip_id, "mute")
    to = 0.0 if curves.value_at(base, 0.5 * (start_s + end_s)) >= 0.5 else 1.0
    made = curves.replaced(base, start_s, end_s, [(start_s, to), (end_s, to)])
    return set_curve(session, strip_id, "mute", made if any(value for _, value in made) else ())


def set_curve(session: Session, strip_id: str, parameter: str, points: Iterable[tuple[float, float]]) -> Session:
    """Another curve; none lets it stand still again. Errors as `chain_edits.automate`."""
    return chain_edits.automate(session, strip_id, parameter, points)


def add_ride(session: Session, strip_id: str, parameter: str, ride: Sequence[tuple[float, float]]) -> Session:
    """Puts changes over time upon what is there."""
    base, rest = curve_of(session, strip_id, parameter), rest_of(session, strip_id, parameter)
    return set_curve(session, strip_id, parameter, curves.added(base, ride, rest))


def trim_passage(
    session: Session, strip_id: str, parameter: str, start_s: float, end_s: float, by: float, *, ramp_s: float = RAMP_S
) -> Session:
    """A passage up or down by so much."""
    base, rest = curve_of(session, strip_id, parameter), rest_of(session, strip_id, parameter)
    return set_curve(session, strip_id, parameter, curves.trimmed(base, start_s, end_s, by, ramp_s=ramp_s, rest=rest))


def copy_passage(
    session: Session, strip_id: str, parameter: str, source: tuple[float, float], to: Iterable[tuple[float, float]]
) -> Session:
    """A passage of a curve laid over others, from their beginnings on."""
    base, rest = curve_of(session, strip_id, parameter), rest_of(session, strip_id, parameter)
    return set_curve(session, strip_id, parameter, curves.copied(base, source, to, rest)) if base else session


def repeat_passage(
    session: Session, strip_id: str, parameter: str, passage: tuple[float, float], starts_s: Sequence[float]
) -> tuple[Session, int]:
    """What a curve does from the nearest of these times on, over as long as the passage, laid from each of the others
    on; nowhere longer than to the next. Returns how many there are. starts_s: rising, of beats or bars."""
    base, rest = curve_of(session, strip_id, parameter), rest_of(session, strip_id, parameter)
    if not base or len(starts_s) < 2:
        return session, 0
    own_s = min(starts_s, key=lambda start: abs(start - passage[0]))
    length_s = passage[1] - passage[0]
    ends_s = [*starts_s[1:], starts_s[-1] + starts_s[-1] - starts_s[-2]]
    to = [(start, min(end, start + length_s)) for start, end in zip(starts_s, ends_s, strict=True) if start != own_s]
    made = curves.copied(base, (own_s, own_s + length_s), to, rest)
    return set_curve(session, strip_id, parameter, made), len(to)


def scale(session: Session, strip_id: str, parameter: str, share: float) -> Session:
    """A curve with each point so many times as far from where the setting rests; what is off stays off."""
    rest = rest_of(session, strip_id, parameter)
    described = automating.automatable(holder(session, strip_id), parameter)

    def scaled(value: float) -> float:
        off = described.unit == "dB" and value <= described.low
        return value if off else described.clamped(rest + share * (value - rest))

    points = [(at_s, scaled(value)) for at_s, value in curve_of(session, strip_id, parameter)]
    return set_curve(session, strip_id, parameter, points)


def thin(session: Session, strip_id: str, parameter: str, passage: tuple[float, float] | None = None) -> Session:
    """Fewer points, nowhere further off than can be seen; of a passage or of all."""
    base, within = curve_of(session, strip_id, parameter), fineness(session, strip_id, parameter)
    if passage is None:
        return set_curve(session, strip_id, parameter, curves.thinned(base, within))
    inside = curves.thinned(curves.passage(base, *passage), within)
    return set_curve(session, strip_id, parameter, curves.replaced(base, *passage, inside)) if base else session


def smooth(session: Session, strip_id: str, parameter: str, passage: tuple[float, float], width_s: float) -> Session:
    """A passage averaged over so many seconds."""
    base = curve_of(session, strip_id, parameter)
    if not base or passage[1] - passage[0] <= curves.GRID_S:
        return session
    within = fineness(session, strip_id, parameter)
    return set_curve(session, strip_id, parameter, curves.smoothed(base, *passage, width_s, within=within))


def write_ride(
    session: Session, strip_id: str, parameter: str, taken: Sequence[tuple[float, float]], out_s: float
) -> Session:
    """A ride that was taken while it played: (seconds, offset), punched out at `out_s`."""
    base, rest = curve_of(session, strip_id, parameter), rest_of(session, strip_id, parameter)
    made = curves.written(base, taken, out_s, ramp_s=RAMP_S, back_s=BACK_S, rest=rest)
    return set_curve(session, strip_id, parameter, made)


def fineness(session: Session, strip_id: str, parameter: str) -> float:
    """What a curve of this setting may be moved by and nobody sees or hears it: 0.1 dB, else 1/200 of its range."""
    described = automating.automatable(holder(session, strip_id), parameter)
    return LEVEL_WITHIN_DB if described.unit == "dB" else (described.high - described.low) / ONE_PART_OF
