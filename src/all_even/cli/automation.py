"""The command `automation`: what moves in a session, carried away as a table or MIDI, and brought in again."""

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING

from all_even.cli.looking import changing, opened
from all_even.cli.printing import print_json, say
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.session.model.session import Session


def automation(options: argparse.Namespace) -> int:
    if options.source is not None and options.track is not None:
        with changing(options) as (held, save):
            return _brought_in(held, options, save)
    if options.track is not None and (options.every is not None or options.scale is not None):
        with changing(options) as (held, save):
            return _changed(held, options, save)
    session = opened(options.session)
    if options.track is None:
        if options.setting or options.to or options.source or options.every or options.scale is not None:
            raise UserError("Say which track's setting with --track.")
        return _listed(session, options.json)
    strip_id = _strip(session, options.track)
    parameter = _parameter(session, strip_id, options.setting or "level")
    return _carried(session, strip_id, parameter, options)


def _listed(session: "Session", as_json: bool) -> int:
    """Everything that moves."""
    from all_even.session.editing import ride_edits
    from all_even.session.model.strips import MIX

    found = [
        {"track": session.strip_name(strip_id), "setting": ride_edits.words(session, strip_id, item.parameter),
         "parameter": item.parameter, "points": [[point.time_s, point.value] for point in item.points]}
        for strip_id in (*(member.id for member in session.members), MIX)
        for item in ride_edits.holder(session, strip_id).automation
    ]  # fmt: skip
    if as_json:
        print_json({"automation": found})
        return 0
    for row in found:
        say(f"{row['track']}: {row['setting']}, {len(row['points'])} points")
    return 0


def _strip(session: "Session", name: str) -> str:
    from all_even.session.model.strips import MIX

    if name.lower() in ("mix", "the mix"):
        return MIX
    named = [member.id for member in session.members if member.name == name] or [
        member.id for member in session.members if member.name.lower() == name.lower()
    ]
    if not named:
        raise UserError(f"There is no track {name}.")
    return named[0]


def _parameter(session: "Session", strip_id: str, wanted: str) -> str:
    """By its words, by what automation calls it, or by a part of its words that is of one setting only."""
    from all_even.session.editing import ride_edits

    choices = ride_edits.choices(session, strip_id)
    for parameter, words in choices:
        if wanted in (parameter, words):
            return parameter
    near = [parameter for parameter, words in choices if wanted.lower() in words.lower()]
    if len(near) == 1:
        return near[0]
    told = ", ".join(words for _, words in choices)
    raise UserError(f"{'Several settings are' if near else 'No setting is'} called {wanted}: there are {told}.")


def _carried(session: "Session", strip_id: str, parameter: str, options: argparse.Namespace) -> int:
    from all_even.deliver import automation_files
    from all_even.session.editing import automating, ride_edits
    from all_even.session.file import store

    curve = ride_edits.curve_of(session, strip_id, parameter)
    words = ride_edits.words(session, strip_id, parameter)
    if options.to is None:
        if options.json:
            print_json({"track": session.strip_name(strip_id), "setting": words, "parameter": parameter,
                        "points": [list(point) for point in curve]})  # fmt: skip
            return 0
        for at_s, value in curve:
            say(f"{at_s:g} {value:g}")
        return 0
    if not curve:
        raise UserError(f"{session.strip_name(strip_id)}: {words} has no automation, there is nothing to write.")
    described = automating.automatable(ride_edits.holder(session, strip_id), parameter)
    name = f"{session.strip_name(strip_id)}: {words}"
    written = automation_files.write(curve, described, name, options.to, store.recordings(session))
    say(written.name)
    return 0


def _changed(session: "Session", options: argparse.Namespace, save: "Callable[[Session], object]") -> int:
    """A passage laid over every beat or bar, a curve scaled, or both, in this order."""
    from all_even.cli.looking import look_at
    from all_even.figures.song import SONG
    from all_even.session.editing import edits, ride_edits
    from all_even.session.file import describe

    strip_id = _strip(session, options.track)
    parameter = _parameter(session, strip_id, options.setting or "level")
    words, before = ride_edits.words(session, strip_id, parameter), session
    if not ride_edits.curve_of(session, strip_id, parameter):
        raise UserError(f"{session.strip_name(strip_id)}: {words} has no automation, there is nothing to change.")
    if options.every is not None:
        tempo = look_at(session).get(SONG).tempo
        if options.passage is None or options.passage[1] <= options.passage[0]:
            raise UserError("Say which passage with --passage FROM TO, in seconds.")
        if tempo is None:
            raise UserError("The song has no tempo that is known.")
        starts = tempo.every(options.every)
        session, _ = ride_edits.repeat_passage(session, strip_id, parameter, tuple(options.passage), starts)
    if options.scale is not None:
        session = ride_edits.scale(session, strip_id, parameter, options.scale)
    text = describe.sentence(before, session)
    save(edits.record(session, text, audible=True) if text else session)
    say(text or f"{session.strip_name(strip_id)}: {words} is as before.")
    return 0


def _brought_in(session: "Session", options: argparse.Namespace, save: "Callable[[Session], object]") -> int:
    from all_even.deliver import automation_files
    from all_even.session.editing import automating, edits, ride_edits

    strip_id = _strip(session, options.track)
    parameter = _parameter(session, strip_id, options.setting or "level")
    described = automating.automatable(ride_edits.holder(session, strip_id), parameter)
    found = automation_files.read(options.source, described)
    words = ride_edits.words(session, strip_id, parameter)
    made = ride_edits.set_curve(session, strip_id, parameter, found)
    text = f"{session.strip_name(strip_id)}: {words} automated with {len(found)} points from {options.source.name}"
    save(edits.record(made, text))
    say(text)
    return 0
