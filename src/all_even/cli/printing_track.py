"""The command `print-track`: a track printed with its inserts, and the session that goes on with the file."""

import argparse

from all_even.cli.looking import changing, look_at
from all_even.cli.printing import say
from all_even.errors import UserError


def print_track(options: argparse.Namespace) -> int:
    from all_even.deliver import lacking, printed_track
    from all_even.engine.planning import make_plan
    from all_even.session.editing import edits

    with changing(options) as (session, save):
        named = [lane for lane in session.lanes if lane.name == options.track] or [
            lane for lane in session.lanes if lane.name.lower() == options.track.lower()
        ]
        if not named:
            raise UserError(f"There is no track {options.track}.")
        look = look_at(session)
        lacking.check(make_plan(session, look.book.sources).lacking(), False)
        folder = printed_track.folder_of((options.output or options.session).absolute())
        path = printed_track.print_track(look, named[0].id, folder)
        text = f"{named[0].name} printed with its inserts: {path.name}"
        save(edits.record(printed_track.with_printed(session, named[0].id, path), text))
        say(str(path))
    return 0
