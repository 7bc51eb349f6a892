"""What may stand in a row: tracks, buses, folder groups and the mix, as the stage wants them; and heads of families."""

from collections.abc import Collection
from dataclasses import dataclass

from all_even.decibels import OFF_DB
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus, FolderGroup, Lane
from all_even.session.tracks.roles import family_of
from all_even.stages.stage import RowKind


@dataclass(frozen=True, slots=True)
class MixEntry:
    """The mix bus as a row; it has no fader but its trim."""

    level_db: float
    id: str = MIX
    name: str = "Mix"
    role: str = "mix bus"
    hidden: bool = False


FAMILY = "family:"


@dataclass(frozen=True, slots=True)
class FamilyEntry:
    """The head over all shown tracks of a family. What is done to it is done to each of them."""

    family: str
    lanes: tuple[Lane, ...]

    @staticmethod
    def id_of(family: str) -> str:
        return FAMILY + family

    @property
    def id(self) -> str:
        return self.id_of(self.family)

    @property
    def name(self) -> str:
        return self.family[:1].upper() + self.family[1:]

    @property
    def role(self) -> str:
        """One of the family, so that it has its colour and mark."""
        return self.lanes[0].role

    @property
    def hidden(self) -> bool:
        return False

    @property
    def level_db(self) -> float:
        """In the middle of those that are not off; as a handle it moves them all by the same."""
        levels = sorted(lane.level_db for lane in self.lanes if lane.level_db > OFF_DB)
        return levels[len(levels) // 2] if levels else OFF_DB

    @property
    def mute(self) -> bool:
        return all(lane.mute for lane in self.lanes)

    @property
    def solo(self) -> bool:
        return all(lane.solo for lane in self.lanes)


Entry = Lane | Bus | FolderGroup | MixEntry | FamilyEntry


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
    if entry_id.startswith(FAMILY):
        lanes = tuple(lane for lane in session.lanes if FamilyEntry.id_of(family_of(lane.role)) == entry_id)
        if lanes:
            return FamilyEntry(entry_id.removeprefix(FAMILY), lanes)
    places: tuple[tuple[Lane | Bus | FolderGroup, ...], ...] = (session.lanes, session.buses, session.folder_groups)
    for items in places:
        for item in items:
            if item.id == entry_id:
                return item
    raise KeyError(entry_id)
