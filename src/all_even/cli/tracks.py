"""The command on tracks: who is who. What each is and how sure that is, what counts as one source; and saying it."""

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from all_even.cli.looking import changing, look_at, opened
from all_even.cli.printing import print_json, say
from all_even.errors import UserError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from all_even.session.model.session import Session


def tracks(options: argparse.Namespace) -> int:
    said = [*options.role, *options.one_source, *options.players, *options.as_found]
    if not said and options.output is None:
        return _listed(opened(options.session), options.json)
    with changing(options) as (session, save):
        changed = _told(session, options)
        save(changed)
        return _listed(changed, options.json)


def _told(session: "Session", options: argparse.Namespace) -> "Session":
    """The session with what the options say, each a line in the ledger."""
    from all_even.session.editing import edits, sources
    from all_even.session.tracks import naming

    for pair in options.role:
        name, _, role = pair.rpartition("=")
        lane_id = found_lane(session, name)
        session = edits.record(
            naming.with_role(session, lane_id, known_role(role)), f"{session.strip_name(lane_id)} is {role}"
        )
    ways: list[tuple[list[str], str, Callable[[Session, Sequence[str]], Session]]] = [
        (options.one_source, "One source", sources.one_source),
        (options.players, "Players, not microphones", sources.apart),
        (options.as_found, "Sources as found", sources.as_found),
    ]
    for wanted, words, edit in ways:
        for several in wanted:
            chosen = [found_lane(session, name) for name in several.split(",")]
            if len(chosen) < 2 and edit is not sources.as_found:
                raise UserError("At least two tracks are needed, as in --one-source A,B.")
            names = ", ".join(map(session.strip_name, chosen))
            session = edits.record(edit(session, chosen), f"{words}: {names}", audible=False)
    return session


def known_role(role: str) -> str:
    from all_even.session.tracks.roles import ROLES

    names = [item.name for item in ROLES if item.family != "buses"]
    if role not in names:
        raise UserError(f"There is no role {role}; there are {', '.join(names)}.")
    return role


def found_lane(session: "Session", name: str) -> str:
    """A lane by its id, name or file; a UserError where there is none, or several."""
    found = [lane.id for lane in session.lanes if name in (lane.id, lane.name, lane.file)]
    if len(found) != 1:
        how = "no track" if not found else f"{len(found)} tracks are called"
        raise UserError(f"There is {how} {name} in this session." if not found else f"{how} {name}: say its file.")
    return found[0]


def _listed(session: "Session", as_json: bool) -> int:
    from all_even.figures.sources.relations import relations, source_units
    from all_even.figures.sources.who_is_who import confidence_of, is_unsure, likely_roles

    look = look_at(session)
    unit_of = {lane_id: unit for unit in source_units(session, relations(look)) for lane_id in unit}
    rows: list[dict[str, Any]] = []
    for lane in session.lanes:
        rows.append({
            "id": lane.id, "name": lane.name, "file": lane.file, "role": lane.role, "sure": confidence_of(look, lane),
            "unsure": is_unsure(look, lane), "likely": list(likely_roles(look, lane)),
            "source": list(unit_of.get(lane.id, (lane.id,))), "said": lane.source is not None,
        })  # fmt: skip
    if as_json:
        print_json({"tracks": rows, "unsure": sum(row["unsure"] for row in rows)})
        return 0
    for row in rows:
        with_others = [session.strip_name(other) for other in row["source"] if other != row["id"]]
        one = f", one source with {', '.join(with_others)}" if with_others else ""
        unsure = " (unsure)" if row["unsure"] else ""
        say(f"{row['name']} [{row['file']}]: {row['role']}{unsure}{one}")
    return 0
