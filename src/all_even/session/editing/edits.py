"""Edits: pure functions from a session to a session.

Every value is brought into its range here, so that no caller has to; an unknown lane is a KeyError.
"""

import itertools
from collections.abc import Callable, Container, Iterable, Sequence
from typing import Any, TypeVar

from msgspec.structs import replace

from all_even import clock
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.parameter import CLIP_GAIN, LEVEL, PAN, TRIM
from all_even.dsp.processor import clamped, key_of
from all_even.session.editing import automating
from all_even.session.model import routing
from all_even.session.model.ledger import (
    MOST_LINES,
    MOST_TRIED,
    Decline,
    LedgerEntry,
    Proposal,
    Result,
    StageDone,
    State,
)
from all_even.session.model.on_time_line import Loop, Note
from all_even.session.model.session import Blind, Session, Snapshot, Use
from all_even.session.model.strips import BACK_ROW, MIX, NOWHERE, Automation, Bus, FolderGroup, Lane
from all_even.session.tracks.roles import family_of

LINES_AT_ONCE = 1_000
"""So many old lines make room together where a ledger is full."""
NOW = "now"
"""What the present state is called among snapshots."""

S = TypeVar("S", Lane, Bus, FolderGroup)
Edit = Callable[[Session], Session]


def now_text() -> str:
    """The local time, to the second, as ISO 8601 with its zone."""
    return clock.now().isoformat(timespec="seconds")


def change_strips(session: Session, strip_ids: Iterable[str], **values: Any) -> Session:
    """The same new values on several lanes, buses or folder groups."""
    wanted = set(strip_ids)
    known = {item.id for item in session.members}
    if wanted - known:
        raise KeyError(sorted(wanted - known)[0])
    if "level_db" in values:
        values["level_db"] = LEVEL.clamped(values["level_db"])
    if "pan" in values:
        values["pan"] = PAN.clamped(values["pan"])
    if "clip_gain_db" in values:
        values["clip_gain_db"] = CLIP_GAIN.clamped(values["clip_gain_db"])
    if "seat_row" in values:
        row = values["seat_row"]
        values["seat_row"] = None if row is None else min(BACK_ROW, max(0, int(row)))
    if "name" in values:
        values["name"] = _one_line(values["name"], 200)
        if not values["name"]:
            return session

    def changed(items: tuple[S, ...]) -> tuple[S, ...]:
        if not any(item.id in wanted for item in items):
            return items
        own = {name: value for name, value in values.items() if name in items[0].__struct_fields__}
        return tuple(_with(item, own) if item.id in wanted else item for item in items)

    return replace(
        session,
        lanes=changed(session.lanes),
        buses=changed(session.buses),
        folder_groups=changed(session.folder_groups),
    )


def _with(item: S, values: dict[str, Any]) -> S:
    return replace(item, **automating.follow(item, values))


def set_levels(session: Session, levels_db: dict[str, float]) -> Session:
    """A level for each lane id."""
    for lane_id, level_db in levels_db.items():
        session = change_strips(session, (lane_id,), level_db=level_db)
    return session


def nudge_levels(session: Session, lane_ids: Iterable[str], by_db: float) -> Session:
    """Moves several levels by the same amount; a lane that is off stays off."""
    for lane_id in lane_ids:
        present = session.member(lane_id).level_db
        if present > LEVEL.low:
            session = change_strips(session, (lane_id,), level_db=present + by_db)
    return session


def nudge_clip_gains(session: Session, lane_ids: Iterable[str], by_db: float) -> Session:
    """Moves the clip gains of lanes by the same amount, at rest or over time; buses and folders have none."""
    for lane_id in lane_ids:
        if session.is_lane(lane_id):
            lane = session.lane(lane_id)
            gain_db = round(lane.clip_gain_db + by_db, 2)
            moved = tuple(
                _shifted(item, by_db) if item.parameter == "clip_gain_db" else item for item in lane.automation
            )
            session = change_strips(session, (lane_id,), clip_gain_db=gain_db, automation=moved)
    return session


def _shifted(automation: Automation, by_db: float) -> Automation:
    if automation.parameter != "clip_gain_db":
        return automation
    points = (replace(p, value=CLIP_GAIN.clamped(round(p.value + by_db, 2))) for p in automation.points)
    return replace(automation, points=tuple(points))


def nudge_pans(session: Session, strip_ids: Iterable[str], by: float) -> Session:
    """Moves pans by a distance (0 to 2) as long as each can; what has none is left out."""
    for strip_id in strip_ids:
        strip = next((item for item in session.strips if item.id == strip_id), None)
        if strip is not None:
            session = change_strips(session, (strip_id,), pan=PAN.clamped(round(strip.pan + by, 3)))
    return session


def set_trim(session: Session, trim_db: float) -> Session:
    return replace(session, mix=replace(session.mix, trim_db=TRIM.clamped(trim_db)))


def set_pan_law(session: Session, law: str) -> Session:
    return replace(session, pan_law=law)


def set_anchor(session: Session, lane_id: str | None) -> Session:
    """The lane around which starting points place the others; KeyError where it is not there."""
    return replace(session, anchor=None if lane_id is None else session.lane(lane_id).id)


def set_work(session: Session, **values: float | str) -> Session:
    """Other targets or weights (`session.model.settings`), each in its range."""
    return replace(session, settings=clamped(replace(session.settings, **values)))


def set_approaches(session: Session, **values: bool | str) -> Session:
    """Other approaches (`session.model.approaches`) chosen."""
    return replace(session, approaches=replace(session.approaches, **values))


def set_loop(session: Session, loop: Loop | None) -> Session:
    """A loop shorter than a tenth of a second is no loop."""
    if loop is not None and loop.end_s - loop.start_s < 0.1:
        loop = None
    return replace(session, loop=loop)


def move_lanes(session: Session, lane_ids: Iterable[str], to_index: int) -> Session:
    """Puts lanes, in their present order, before the lane that is now at `to_index`."""
    wanted = set(lane_ids)
    before = [lane for lane in session.lanes[:to_index] if lane.id not in wanted]
    moved = [lane for lane in session.lanes if lane.id in wanted]
    after = [lane for lane in session.lanes[to_index:] if lane.id not in wanted]
    return replace(session, lanes=(*before, *moved, *after))


def order_lanes(session: Session, key: Callable[[Lane], Any]) -> Session:
    """A new order; lanes that compare equal keep theirs."""
    return replace(session, lanes=tuple(sorted(session.lanes, key=key)))


def add_lanes(session: Session, lanes: Sequence[Lane]) -> Session:
    return replace(session, lanes=(*session.lanes, *lanes))


def free_id(session: Session, prefix: str) -> str:
    """An id that nothing in the session has, nor in its snapshots: the prefix and the next free number."""
    taken = _ids(session)
    for snapshot in session.snapshots:
        taken |= _ids(snapshot)
    number = 1
    while f"{prefix}{number}" in taken:
        number += 1
    return f"{prefix}{number}"


def _ids(state: Session | Snapshot) -> set[str]:
    found = {item.id for item in (*state.lanes, *state.buses)}
    found |= {group.id for group in state.folder_groups} | {shape.id for shape in state.shapes}
    chains = [state.mix.chain, *(strip.chain for strip in (*state.lanes, *state.buses))]
    return found | {station.id for chain in chains for station in chain}


def add_note(
    session: Session, text: str, position_s: float, written: str | None = None, *, heard_on: str = ""
) -> Session:
    """heard_on: where a fault was heard, for a note that comes back until it is settled."""
    text = text.strip()[:4000]
    if not text:
        return session
    where = _one_line(heard_on, 200)
    note = Note(text=text, position_s=max(0.0, position_s), written=written or now_text(), heard_on=where)
    return replace(session, notes=(*session.notes, note))


def settle_note(session: Session, index: int, settled: bool = True) -> Session:
    """A fault heard elsewhere is settled, or open again; other notes stay as they are."""
    note = session.notes[index]
    if not note.heard_on:
        return session
    changed = replace(note, settled=now_text() if settled else "")
    return replace(session, notes=(*session.notes[:index], changed, *session.notes[index + 1 :]))


def add_blind(session: Session, blind: Blind) -> Session:
    """Keeps a blind comparison that was finished."""
    return replace(session, blinds=(*session.blinds, blind))


def use_reference(session: Session, index: int, use: Use) -> Session:
    """Says what a reference is."""
    changed = replace(session.references[index], use=use)
    return replace(session, references=(*session.references[:index], changed, *session.references[index + 1 :]))


def remove_reference(session: Session, index: int) -> Session:
    """A reference less; its file stays."""
    return replace(session, references=session.references[:index] + session.references[index + 1 :])


def remove_note(session: Session, index: int) -> Session:
    return replace(session, notes=session.notes[:index] + session.notes[index + 1 :])


def take_snapshot(session: Session, name: str, taken: str | None = None) -> Session:
    """Keeps lanes and mix bus under a name; a name in use is taken over."""
    name = _one_line(name, 200) or f"Snapshot {len(session.snapshots) + 1}"
    if name == NOW:
        name = f"{NOW} (snapshot)"
    kept = tuple(snapshot for snapshot in session.snapshots if snapshot.name != name)
    new = Snapshot(
        name=name, taken=taken or now_text(), lanes=session.lanes, mix=session.mix,
        buses=session.buses, folder_groups=session.folder_groups, shapes=session.shapes, serial=last_serial(session),
    )  # fmt: skip
    return replace(session, snapshots=(*kept, new))


def without_key(station: AnyProcessor, strips: Container[str]) -> AnyProcessor:
    """The station without its key where the key's source is not among these strips."""
    key = key_of(station)
    return replace(station, key=None) if key is not None and key.source not in strips else station


def remove_snapshot(session: Session, name: str) -> Session:
    return replace(session, snapshots=tuple(snapshot for snapshot in session.snapshots if snapshot.name != name))


def recall_snapshot(session: Session, name: str) -> Session:
    """Lanes, buses and mix as they were; lanes that came later stay at the end, going to the mix.

    A later lane's station that has the id of one in the snapshot gets a new one; where later lanes would
    close a loop with the routing of the snapshot, they lose their keys and sends.
    """
    snapshot = next(snapshot for snapshot in session.snapshots if snapshot.name == name)
    taken = _ids(snapshot)
    later = tuple(lane for lane in session.lanes if lane.id not in taken)
    strips = {bus.id for bus in snapshot.buses} | {lane.id for lane in (*snapshot.lanes, *later)}
    added: list[Lane] = []
    for lane in later:
        added.append(_fitted(lane, snapshot, strips, taken))
        taken |= {station.id for station in added[-1].chain}
    back = replace(
        session, lanes=(*snapshot.lanes, *added), mix=snapshot.mix, buses=snapshot.buses,
        folder_groups=snapshot.folder_groups, shapes=snapshot.shapes,
    )  # fmt: skip
    if routing.find_loop(back):
        plain = tuple(_alone(lane) for lane in added)
        back = replace(back, lanes=(*snapshot.lanes, *plain))
    return back


def _fitted(lane: Lane, snapshot: Snapshot, strips: Container[str], taken: set[str]) -> Lane:
    """A lane that a snapshot does not know, made to fit its buses, its folders and the ids that are taken."""
    buses, groups = {bus.id for bus in snapshot.buses}, {group.id for group in snapshot.folder_groups}
    used = taken | {station.id for station in lane.chain}
    renamed: dict[str, str] = {}
    for station in lane.chain:
        if station.id in taken:
            renamed[station.id] = next(new for number in itertools.count(1) if (new := f"s{number}") not in used)
            used.add(renamed[station.id])
    chain = tuple(
        replace(without_key(station, strips), id=renamed.get(station.id, station.id)) for station in lane.chain
    )
    sends = tuple(send for send in lane.sends if send.to in buses)
    automation = []
    for item in automating.without_lost_sends(lane.automation, {send.to for send in sends}):
        station_id, dot, path = item.parameter.partition(".")
        automation.append(replace(item, parameter=renamed.get(station_id, station_id) + dot + path))
    return replace(
        lane, chain=chain, sends=sends, automation=tuple(automation),
        destination=lane.destination if lane.destination in buses | {MIX, NOWHERE} else MIX,
        group=lane.group if lane.group in groups else None,
    )  # fmt: skip


def _alone(lane: Lane) -> Lane:
    """A lane that depends on nothing and leads to the mix only."""
    return replace(
        lane, chain=tuple(without_key(station, ()) for station in lane.chain), sends=(), destination=MIX,
        automation=automating.without_lost_sends(lane.automation, set()),
    )  # fmt: skip


def decline(session: Session, move_id: str, reason: str) -> Session:
    kept = tuple(item for item in session.declined if item.move_id != move_id)
    return replace(session, declined=(*kept, Decline(move_id=move_id, reason=reason.strip()[:4000])))


def tick_off(session: Session, stage: str, fingerprint: str | None) -> Session:
    """Marks a stage as done as long as what it depends on stays; None takes the mark away."""
    kept = tuple(item for item in session.done if item.stage != stage)
    return replace(session, done=kept if fingerprint is None else (*kept, StageDone(stage=stage, ground=fingerprint)))


def last_serial(session: Session) -> int:
    """The number of the ledger's last line, 0 before the first."""
    return session.ledger[-1].serial if session.ledger else 0


def record(
    session: Session,
    text: str,
    *,
    reason: str = "",
    move: Proposal | None = None,
    undoes: int | None = None,
    redoes: int | None = None,
    back_to: int | None = None,
    audible: bool = False,
) -> Session:
    """Adds a line to the ledger. A move's keeps the session as it is now, until its result is measured."""
    entry = LedgerEntry(
        when=now_text(), text=text[:4000], reason=reason[:4000], move=move, serial=last_serial(session) + 1,
        undoes=undoes, redoes=redoes, back_to=back_to, audible=audible,
        state=state_of(session) if move is not None else None,
    )  # fmt: skip
    return replace(session, ledger=(*_with_room(session.ledger), entry))


def _with_room(ledger: tuple[LedgerEntry, ...]) -> tuple[LedgerEntry, ...]:
    """A ledger that has room for a line: where it is full its oldest lines that are about no move make it. What stands
    and what was undone of moves is known as before."""
    if len(ledger) < MOST_LINES:
        return ledger
    plain = [
        place for place, entry in enumerate(ledger)
        if entry.move is None and entry.undoes is None and entry.redoes is None and entry.back_to is None
    ][:LINES_AT_ONCE]  # fmt: skip
    if not plain:
        return ledger  # refused as over the limit
    gone = set(plain)
    last = ledger[plain[-1]]
    told = replace(last, text=f"{len(plain)} older changes up to here are not listed any more", reason="")
    return tuple(told if place == plain[-1] else entry for place, entry in enumerate(ledger)
                 if place not in gone or place == plain[-1])  # fmt: skip


def record_result(session: Session, serial: int, result: Result) -> Session:
    """Writes what was measured after a move beside its expectation, at its line of the ledger."""
    ledger = tuple(
        replace(entry, result=result, state=None) if entry.serial == serial else entry for entry in session.ledger
    )
    return replace(session, ledger=ledger)


def record_tried(session: Session, serial: int, move_ids: Iterable[str], reason: str) -> Session:
    """Writes at a line of the ledger which moves were tried there and left out, and why."""
    tried = tuple(dict.fromkeys(move_ids))[:MOST_TRIED]
    ledger = tuple(
        replace(entry, tried=tried, reason=reason[:4000]) if entry.serial == serial else entry
        for entry in session.ledger
    )
    return replace(session, ledger=ledger)


def state_of(session: Session) -> State:
    """What its sound and order rest on."""
    return State(
        lanes=session.lanes, mix=session.mix, buses=session.buses, folder_groups=session.folder_groups,
        shapes=session.shapes, pan_law=session.pan_law, folders=session.folders, responses=session.responses,
        references=session.references,
    )  # fmt: skip


def in_state(session: Session, state: State) -> Session:
    """The session as it was then; all that is no part of a state stays."""
    return replace(
        session, lanes=state.lanes, mix=state.mix, buses=state.buses, folder_groups=state.folder_groups,
        shapes=state.shapes, pan_law=state.pan_law,
        folders=session.folders if state.folders is None else state.folders,
        responses=session.responses if state.responses is None else state.responses,
        references=session.references if state.references is None else state.references,
    )  # fmt: skip


def lanes_of_family(session: Session, family: str) -> tuple[str, ...]:
    return tuple(lane.id for lane in session.lanes if family_of(lane.role) == family)


def _one_line(text: str, longest: int) -> str:
    return " ".join(text.split())[:longest]
