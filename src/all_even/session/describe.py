"""Changes in sentences: what is different between two sessions, as the ledger says it."""

from collections import defaultdict

from all_even.dsp.parameter import LEVEL, PAN, TRIM, time_text
from all_even.session.model import Lane, Session

MOST_NAMES = 3


def changes(old: Session, new: Session) -> list[str]:
    """One sentence per kind of change, lanes that changed alike named together."""
    sentences: list[str] = []
    before = {lane.id: lane for lane in old.lanes}
    after = {lane.id: lane for lane in new.lanes}
    alike: dict[str, list[str]] = defaultdict(list)
    for lane in new.lanes:
        if lane.id in before:
            for phrase in _lane_changes(before[lane.id], lane):
                alike[phrase].append(lane.name)
    sentences += [f"{_names(names)}: {phrase}" for phrase, names in alike.items()]
    added = [lane.name for lane in new.lanes if lane.id not in before]
    removed = [lane.name for lane in old.lanes if lane.id not in after]
    if added:
        sentences.append(f"{_names(added)}: added")
    if removed:
        sentences.append(f"{_names(removed)}: removed")
    common = [lane.id for lane in old.lanes if lane.id in after]
    if common != [lane.id for lane in new.lanes if lane.id in before]:
        moved = _moved(common, [lane.id for lane in new.lanes if lane.id in before])
        sentences.append(f"{_names([after[i].name for i in moved])}: moved in the order of lanes")
    if old.mix.trim_db != new.mix.trim_db:
        sentences.append(f"Mix trim {TRIM.text(old.mix.trim_db)} → {TRIM.text(new.mix.trim_db)}")
    if old.pan_law != new.pan_law:
        sentences.append(f"Pan law {old.pan_law} → {new.pan_law}".replace("-", "−"))
    if old.name != new.name:
        sentences.append(f"Song renamed from {old.name} to {new.name}")
    if old.loop != new.loop:
        sentences.append(_loop_change(new))
    for note in new.notes[len(old.notes) :]:
        sentences.append(f"Note at {time_text(note.position_s)}: {note.text}")
    if len(new.notes) < len(old.notes):
        sentences.append("Note removed")
    names_before = {snapshot.name for snapshot in old.snapshots}
    names_after = {snapshot.name for snapshot in new.snapshots}
    sentences += [f"Snapshot “{name}” taken" for name in sorted(names_after - names_before)]
    sentences += [f"Snapshot “{name}” removed" for name in sorted(names_before - names_after)]
    if len(new.declined) > len(old.declined):
        sentences.append(f"Move declined: {new.declined[-1].reason or 'no reason given'}")
    return sentences


def sentence(old: Session, new: Session) -> str:
    """All changes in one line, or nothing where nothing changed."""
    found = changes(old, new)
    return "; ".join(found[:6]) + ("; …" if len(found) > 6 else "")


def _lane_changes(old: Lane, new: Lane) -> list[str]:
    phrases = []
    if old.level_db != new.level_db:
        phrases.append(f"level {LEVEL.text(old.level_db)} → {LEVEL.text(new.level_db)}")
    if old.pan != new.pan:
        phrases.append(f"pan {PAN.text(old.pan)} → {PAN.text(new.pan)}")
    for field, yes, no in (
        ("mute", "muted", "unmuted"),
        ("solo", "soloed", "solo off"),
        ("polarity_inverted", "polarity inverted", "polarity normal"),
        ("hidden", "hidden", "shown"),
    ):
        if getattr(old, field) != getattr(new, field):
            phrases.append(yes if getattr(new, field) else no)
    if old.name != new.name:
        phrases.append(f"named {new.name} (was {old.name})")
    if old.role != new.role:
        phrases.append(f"role {old.role} → {new.role}")
    if old.take != new.take:
        channels = " and ".join(map(str, new.take)) if new.take else "all"
        phrases.append(f"channels of the file used: {channels}")
    if old.start_s != new.start_s:
        phrases.append(f"starts at {time_text(new.start_s)}")
    return phrases


def _loop_change(new: Session) -> str:
    if new.loop is None:
        return "Loop removed"
    state = "on" if new.loop.active else "off"
    return f"Loop {time_text(new.loop.start_s)} to {time_text(new.loop.end_s)}, {state}"


def _names(names: list[str]) -> str:
    if len(names) <= MOST_NAMES:
        return ", ".join(names)
    return f"{', '.join(names[:MOST_NAMES])} and {len(names) - MOST_NAMES} more"


def _moved(old: list[str], new: list[str]) -> list[str]:
    """The ids that have to move to get from one order to the other (the rest keeps its order)."""
    place = {lane_id: index for index, lane_id in enumerate(old)}
    # Longest increasing subsequence of old places in the new order stays where it is.
    best: list[tuple[int, int | None]] = []
    for index, lane_id in enumerate(new):
        length, previous = 1, None
        for earlier in range(index):
            if place[new[earlier]] < place[lane_id] and best[earlier][0] + 1 > length:
                length, previous = best[earlier][0] + 1, earlier
        best.append((length, previous))
    at: int | None = max(range(len(best)), key=lambda i: best[i][0]) if best else None
    stays = set()
    while at is not None:
        stays.add(new[at])
        at = best[at][1]
    return [lane_id for lane_id in new if lane_id not in stays]
