"""Which track belongs under which: by group as routing nests, or by family; a head over each, and what is folded.

Plain functions of a session, tested without a screen. A folder group holds its members; a summing group those that lead
to it. A folder whose members all lead to one bus stands under that bus.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from typing import Literal

from all_even.app.lanes.entries import Entry, FamilyEntry
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus, FolderGroup, Lane, Strip
from all_even.session.tracks.roles import FAMILIES, family_of

Nesting = Literal["flat", "groups", "families"]


@dataclass(frozen=True, slots=True)
class Placed:
    """A row in its order. depth: of how many heads it is under. members: ids of the tracks below a head, however deep;
    empty for what is no head. folded: whether they are not shown."""

    entry: Entry
    depth: int = 0
    members: tuple[str, ...] = ()
    folded: bool = False


def head_ids(session: Session, nesting: Nesting) -> tuple[str, ...]:
    """Everything that can be folded, the outermost first."""
    if nesting == "flat":
        return ()
    placed = nested(session, [lane for lane in session.lanes if not lane.hidden], nesting)
    return tuple(item.entry.id for item in placed if item.members)


def nested(
    session: Session, shown: Iterable[Entry], nesting: Nesting, folded: Collection[str] = frozenset()
) -> list[Placed]:
    """What is shown, each under its head. A head stands where the first of its members stood, and is there only where
    it has one; what leads straight to the mix stands where it stood."""
    found = list(shown)
    if nesting == "flat":
        return [Placed(item) for item in found]
    above = _ByFamily(session, found) if nesting == "families" else _ByGroup(session, found)
    parents = {item.id: above(item) for item in found}
    known: dict[str, Entry] = {item.id: item for item in found}
    waiting = [head for head in parents.values() if head is not None]
    while waiting:  # heads that are no rows of this stage, and theirs
        head = waiting.pop()
        if head.id not in parents:
            known[head.id] = head
            parents[head.id] = above(head)
            parent = parents[head.id]
            if parent is not None:
                waiting.append(parent)
    below: dict[str | None, list[str]] = defaultdict(list)
    for item in found:
        _hang(item.id, parents, below)
    placed: list[Placed] = []
    for entry_id in _families_first(below[None]) if nesting == "families" else below[None]:
        _place(entry_id, 0, known, below, folded, placed)
    return placed


def _hang(entry_id: str, parents: dict[str, Entry | None], below: dict[str | None, list[str]]) -> None:
    """Puts an entry under its head, and heads that are not placed yet under theirs."""
    parent = parents[entry_id]
    under = parent.id if parent is not None else None
    if entry_id in below[under]:
        return
    below[under].append(entry_id)
    if under is not None:
        _hang(under, parents, below)


def _place(
    entry_id: str,
    depth: int,
    known: dict[str, Entry],
    below: dict[str | None, list[str]],
    folded: Collection[str],
    placed: list[Placed],
) -> None:
    members = _tracks_below(entry_id, known, below)
    closed = bool(members) and entry_id in folded
    placed.append(Placed(known[entry_id], depth, members, closed))
    if not closed:
        for child in below[entry_id]:
            _place(child, depth + 1, known, below, folded, placed)


def _tracks_below(entry_id: str, known: dict[str, Entry], below: dict[str | None, list[str]]) -> tuple[str, ...]:
    found: list[str] = []
    for child in below[entry_id]:
        found += [child] if isinstance(known[child], Lane) else _tracks_below(child, known, below)
    return tuple(found)


def _families_first(ids: list[str]) -> list[str]:
    order = {FamilyEntry.id_of(family): place for place, family in enumerate(FAMILIES)}
    return sorted(ids, key=lambda item: order.get(item, len(order)))


class _ByFamily:
    def __init__(self, session: Session, shown: list[Entry]) -> None:
        members: dict[str, list[Lane]] = defaultdict(list)
        for item in shown:
            if isinstance(item, Lane):
                members[family_of(item.role)].append(item)
        self._heads = {family: FamilyEntry(family, tuple(lanes)) for family, lanes in members.items()}

    def __call__(self, item: Entry) -> Entry | None:
        return self._heads[family_of(item.role)] if isinstance(item, Lane) else None


class _ByGroup:
    def __init__(self, session: Session, shown: list[Entry]) -> None:
        self._buses = {bus.id: bus for bus in session.buses}
        self._folders = {folder.id: folder for folder in session.folder_groups}
        leads: dict[str, set[str]] = defaultdict(set)
        for strip in session.strips:
            if strip.group is not None:
                leads[strip.group].add(strip.destination)
        self._leads = leads

    def __call__(self, item: Entry) -> Entry | None:
        if not isinstance(item, Strip | FolderGroup):
            return None
        if item.group is not None and item.group in self._folders:
            return self._folders[item.group]
        if isinstance(item, Strip):
            return self._buses.get(item.destination)
        together = self._leads[item.id]
        bus = self._buses.get(next(iter(together))) if len(together) == 1 else None
        return bus if bus is not None and not self._holds(item, bus) else None

    def _holds(self, folder: FolderGroup, bus: Bus) -> bool:
        """Whether a bus stands itself under a folder, on whatever way."""
        seen: set[str] = set()
        entry: Strip | FolderGroup | None = bus
        while entry is not None and entry.id not in seen:
            seen.add(entry.id)
            if entry.group == folder.id:
                return True
            up: str | None = entry.group
            if up is None and isinstance(entry, Strip) and entry.destination != MIX:
                up = entry.destination
            entry = self._folders.get(up or "") or self._buses.get(up or "")
        return False
