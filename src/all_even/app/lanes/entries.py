"""What may stand in a row: lanes, buses, folder groups and the mix, as the stage wants them."""

from collections.abc import Collection
from dataclasses import dataclass

from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus, FolderGroup, Lane
from all_even.stages.stage import RowKind


@dataclass(frozen=True, slots=True)
class MixEntry:
    """The mix bus as a row; it has no fader but its trim."""

    level_db: float
    id: str = MIX
    name: str = "Mix"
    role: str = "mix bus"
    hidden: bool = False


Entry = Lane | Bus | FolderGroup | MixEntry


def entries(session: Session, rows: Collection[RowKind]) -> list[Entry]:
    """The rows of a stage, in order."""
    found: list[Entry] = []
    if "lanes" in rows:
        found += session.lanes
    if "buses" in rows:
        found += session.buses
    if "folders" in rows:
        found += session.folder_groups
    if "mix" in rows:
        found.append(MixEntry(session.mix.trim_db))
    return found


def entry(session: Session, entry_id: str) -> Entry:
    """One row by id; KeyError where there is none."""
    if entry_id == MIX:
        return MixEntry(session.mix.trim_db)
    places: tuple[tuple[Lane | Bus | FolderGroup, ...], ...] = (session.lanes, session.buses, session.folder_groups)
    for items in places:
        for item in items:
            if item.id == entry_id:
                return item
    raise KeyError(entry_id)
