"""The command `print-track`: a track or group printed with its inserts, and the session that goes on with the file."""

import argparse
from typing import TYPE_CHECKING

from all_even.cli.looking import changing, look_at
from all_even.cli.printing import say
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.audio.round_trip import Way

STAND_IN = "stand-in"


def print_track(options: argparse.Namespace) -> int:
    from all_even.deliver import lacking, printed_track
    from all_even.engine.planning import make_plan
    from all_even.session.editing import edits

    with changing(options) as (session, save):
        named = [strip for strip in session.strips if strip.name == options.track] or [
            strip for strip in session.strips if strip.name.lower() == options.track.lower()
        ]
        if not named:
            raise UserError(f"There is no track or group {options.track}.")
        look = look_at(session)
        lacking.check(make_plan(session, look.book.sources).lacking(), False)
        folder = printed_track.folder_of((options.output or options.session).absolute())
        name, strip_id = named[0].name, named[0].id
        if options.back is not None:
            path, late = printed_track.take_back(look, strip_id, options.back, folder)
            text = f"{name}: {options.back.name} taken back, {late} samples late"
        elif options.through is not None:
            path, trip = printed_track.send_and_take_back(look, strip_id, _way(*options.through), folder, watch=_quiet)
            text = f"{name} taken back from {' to '.join(options.through)}, {trip.late} samples late"
        else:
            path = printed_track.print_strip(look, strip_id, folder)
            text = f"{name} printed with its inserts: {path.name}"
        save(edits.record(printed_track.with_printed(session, strip_id, path), text))
        say(str(path))
    return 0


def _quiet(_share: float) -> None:
    """Nobody watches."""


def _way(output: str, source: str) -> "Way":
    """From an output to an input of these names; `stand-in` stands for a device that is not there."""
    from all_even.audio import available, round_trip

    if STAND_IN in (output, source):
        return round_trip.StandIn()
    ends = []
    for what, name, known in (("output", output, available.find_outputs()), ("input", source, available.find_inputs())):
        found = next((item for item in known if item.name == name), None)
        if found is None:
            raise UserError(f"There is no {what} {name}. There are: {', '.join(item.name for item in known)}.")
        ends.append(found)
    return round_trip.CardWay(*ends)
