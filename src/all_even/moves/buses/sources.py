"""One fader for a source with several microphones: a summing group each, inside the section it is in.

Common practice: what is one source is treated as one; its microphones keep their balance under one fader and one chain.
Parts that only move together, as overheads and rooms do, are better in a folder, which no sound passes through.
"""

from all_even.figures.book.look import Look
from all_even.figures.sources.units import Unit, units
from all_even.moves.buses.sections import METRIC as LOUDNESS
from all_even.moves.buses.sections import loudness_lufs
from all_even.moves.kind import Kind, left_out
from all_even.session.editing import routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import PAIRED

NAMES = {"kick": "Kick", "snare top": "Snare", "bass DI": "Bass", "bass amplifier": "Bass", "bass": "Bass"}


def several(look: Look) -> list[Unit]:
    """Sources of several microphones whose lanes go one way, and are not all of a group yet."""
    session = look.session
    found = []
    for unit in units(look):
        ids = {lane.id for lane in unit.lanes}
        goals = {lane.destination for lane in unit.lanes}
        whole = {lane.id for lane in session.lanes if lane.destination in goals}
        grouped = len(goals) == 1 and whole == ids
        in_folder = all(lane.group is not None for lane in unit.lanes)
        if len(unit.lanes) > 1 and len(goals) == 1 and not grouped and not in_folder:
            found.append(unit)
    return found


def propose(look: Look) -> list[Proposal]:
    found = several(look)
    if not found:
        return []
    before = loudness_lufs(look)
    return [
        KIND.move(
            targets=tuple(unit.id for unit in found),
            title=f"{len(found)} source{'s' if len(found) > 1 else ''} of several microphones under one fader",
            reason=", ".join(_words(unit) for unit in found[:4]) + ". One source is treated as one: a summing group; "
            "overheads and rooms only move together: a folder. Both add up to what is there: the mix stays as it is.",
            parameters={unit.id: tuple(lane.id for lane in unit.lanes) for unit in found},
            evidence={"sources": len(found)},
            metric=LOUDNESS,
            before=before,
            expected=before,
            weight=3.0,
        )
    ]


def _words(unit: Unit) -> str:
    return f"{name_of(unit)} ({len(unit.lanes)})"


def name_of(unit: Unit) -> str:
    """What the group of a source is called."""
    if unit.role in PAIRED:
        return f"{unit.role.capitalize()}s"
    return NAMES.get(unit.role, unit.head.name)


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    found = []
    for unit_id in proposal.targets:
        lanes = proposal.parameters.get(unit_id)
        if isinstance(lanes, tuple):
            found.append((unit_id, ", ".join(session.strip_name(lane_id) for lane_id in lanes)))
    return found


def edit(session: Session, proposal: Proposal) -> Session:
    out = left_out(proposal)
    for unit_id in proposal.targets:
        lanes = proposal.parameters.get(unit_id)
        wanted = [i for i in lanes if session.is_lane(i)] if isinstance(lanes, tuple) else []
        if unit_id in out or len(wanted) < 2:
            continue
        unit = Unit(tuple(session.lane(i) for i in wanted))
        if unit.role in PAIRED:
            session, _ = routing_edits.folder_strips(session, wanted, name_of(unit))
        else:
            session, _ = routing_edits.group_strips(session, wanted, name_of(unit))
    return session


KIND = Kind(
    "buses.sources", ("files", "order", "names", "routing", "levels", "mix"), propose, edit, starting_point=True,
    steady=True, parts=parts,
)  # fmt: skip
