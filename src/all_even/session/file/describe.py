"""Changes in sentences: what is different between two sessions, as the ledger says it."""

from collections import defaultdict

from all_even.dsp.parameter import CLIP_GAIN, LEVEL, PAN, TRIM, number, time_text
from all_even.dsp.processor import Described, Key, Processor, key_of, settings
from all_even.session.editing.automating import OWN_WORDS
from all_even.session.model.on_time_line import SongMap
from all_even.session.model.session import Reference, Session
from all_even.session.model.strips import Automation, HitChanges, Lane, Strip

MOST_NAMES = 3


def changes(old: Session, new: Session) -> list[str]:
    """One sentence per kind of change, lanes that changed alike named together."""
    sentences: list[str] = []
    before = {strip.id: strip for strip in old.strips}
    after = {strip.id: strip for strip in new.strips}
    alike: dict[str, list[str]] = defaultdict(list)
    for strip in new.strips:
        if strip.id in before and before[strip.id] is not strip:
            for phrase in _strip_changes(before[strip.id], strip, old, new):
                alike[phrase].append(strip.name)
    for phrase in _folder_changes(old, new):
        sentences.append(phrase)
    sentences += [f"{_names(names)}: {phrase}" for phrase, names in alike.items()]
    added = [strip.name for strip in new.strips if strip.id not in before]
    removed = [strip.name for strip in old.strips if strip.id not in after]
    if added:
        sentences.append(f"{_names(added)}: added")
    if removed:
        sentences.append(f"{_names(removed)}: removed")
    common = [lane.id for lane in old.lanes if lane.id in after]
    present = [lane.id for lane in new.lanes if lane.id in before]
    if common != present and sorted(common) == sorted(present):
        moved = _moved(common, present)
        sentences.append(f"{_names([after[i].name for i in moved])}: moved in the order of tracks")
    if old.mix.trim_db != new.mix.trim_db:
        sentences.append(f"Mix trim {TRIM.text(old.mix.trim_db)} → {TRIM.text(new.mix.trim_db)}")
    mix_changes = [
        *_chain_changes(old.mix.chain, new.mix.chain, new),
        *_automation_changes(old.mix.automation, new.mix.automation),
    ]
    sentences += [f"Mix bus: {phrase}" for phrase in mix_changes]
    shapes = {shape.id: shape for shape in old.shapes}
    for shape in new.shapes:
        if shape.id not in shapes:
            sentences.append(f"Duck shape {shape.name} added: {len(shape.hits_s)} hits {shape.hits_from}".rstrip())
        elif shape != shapes[shape.id]:
            sentences.append(
                f"Duck shape {shape.name}: {', '.join(_setting_changes(shapes[shape.id], shape)) or 'hits changed'}"
            )
    known = {response.id for response in old.responses}
    sentences += [f"Response {item.name} added" for item in new.responses if item.id not in known]
    if old.pan_law != new.pan_law:
        sentences.append(f"Pan law {old.pan_law} → {new.pan_law}".replace("-", "−"))
    sentences += [f"Setting: {phrase}" for phrase in _setting_changes(old.settings, new.settings)]
    sentences += [f"Approach: {phrase}" for phrase in _setting_changes(old.approaches, new.approaches)]
    if old.anchor != new.anchor:
        anchored = f"Anchor: {new.strip_name(new.anchor)}" if new.anchor else "No anchor any more"
        sentences.append(anchored)
    sentences += _song_changes(old.song, new.song)
    if old.name != new.name:
        sentences.append(f"Song renamed from {old.name} to {new.name}")
    if old.loop != new.loop:
        sentences.append(_loop_change(new))
    sentences += _note_changes(old, new)
    sentences += [f"Reference added: {item.file}" for item in new.references if _same(item, old.references) is None]
    sentences += [f"Reference removed: {item.file}" for item in old.references if _same(item, new.references) is None]
    sentences += [f"{item.file} is the {item.use}" for item in new.references
                  if (was := _same(item, old.references)) is not None and was.use != item.use]  # fmt: skip
    sentences += [
        f"Blind comparison of {', '.join(item.options)}: {item.verdict}" for item in new.blinds[len(old.blinds) :]
    ]
    if len(new.blinds) < len(old.blinds):
        sentences.append("Blind comparison removed")
    names_before = {snapshot.name for snapshot in old.snapshots}
    names_after = {snapshot.name for snapshot in new.snapshots}
    sentences += [f"Snapshot “{name}” taken" for name in sorted(names_after - names_before)]
    sentences += [f"Snapshot “{name}” removed" for name in sorted(names_before - names_after)]
    if len(new.declined) > len(old.declined):
        sentences.append(f"Move declined: {new.declined[-1].reason or 'no reason given'}")
    return sentences


def _note_changes(old: Session, new: Session) -> list[str]:
    phrases = []
    for note in new.notes[len(old.notes) :]:
        heard = f", heard on {note.heard_on}" if note.heard_on else ""
        phrases.append(f"Note at {time_text(note.position_s)}{heard}: {note.text}")
    if len(new.notes) < len(old.notes):
        phrases.append("Note removed")
    for before, after in zip(old.notes, new.notes, strict=False):
        if before.settled != after.settled and before.text == after.text:
            phrases.append(f"Settled: {after.text}" if after.settled else f"Open again: {after.text}")
    return phrases


def _same(item: Reference, among: tuple[Reference, ...]) -> Reference | None:
    """The reference of the same file."""
    return next((other for other in among if (other.folder, other.file) == (item.folder, item.file)), None)


def sentence(old: Session, new: Session) -> str:
    """All changes in one line, or nothing where nothing changed."""
    found = changes(old, new)
    return "; ".join(found[:6]) + ("; …" if len(found) > 6 else "")


def _strip_changes(old: Strip, new: Strip, before: Session, after: Session) -> list[str]:
    phrases = []
    if old.level_db != new.level_db:
        phrases.append(f"level {LEVEL.text(old.level_db)} → {LEVEL.text(new.level_db)}")
    if old.pan != new.pan:
        phrases.append(f"pan {PAN.text(old.pan)} → {PAN.text(new.pan)}")
    for field, yes, no in (
        ("mute", "muted", "unmuted"),
        ("solo", "soloed", "solo off"),
        ("polarity_inverted", "polarity inverted", "polarity normal"),
    ):
        if getattr(old, field) != getattr(new, field):
            phrases.append(yes if getattr(new, field) else no)
    if old.name != new.name:
        phrases.append(f"named {new.name} (was {old.name})")
    if old.destination != new.destination:
        phrases.append(f"goes to {after.strip_name(new.destination)} (was {before.strip_name(old.destination)})")
    if old.group != new.group:
        phrases.append(f"in folder {after.strip_name(new.group)}" if new.group else "out of its folder")
    phrases += _send_changes(old, new, before, after)
    phrases += _chain_changes(old.chain, new.chain, after)
    phrases += _automation_changes(old.automation, new.automation)
    if isinstance(old, Lane) and isinstance(new, Lane):
        phrases += _file_changes(old, new)
    return phrases


def _song_changes(old: SongMap, new: SongMap) -> list[str]:
    phrases = []
    if old.tempo_bpm != new.tempo_bpm:
        phrases.append(f"Tempo {number(new.tempo_bpm, 2)} BPM" if new.tempo_bpm else "Tempo as it was found")
    if old.bar_s != new.bar_s:
        phrases.append(
            f"A bar begins at {time_text(new.bar_s)}" if new.bar_s is not None else "Bars as they were found"
        )
    if old.beats_per_bar != new.beats_per_bar:
        phrases.append(f"{new.beats_per_bar} beats in a bar")
    if old.sections != new.sections:
        names = ", ".join(f"{mark.name} {time_text(mark.start_s)}" for mark in new.sections[:6])
        phrases.append(f"Sections: {names}" if names else "Sections as they were found")
    return phrases


def _file_changes(old: Lane, new: Lane) -> list[str]:
    phrases = []
    if old.hidden != new.hidden:
        phrases.append("hidden" if new.hidden else "shown")
    if old.role != new.role:
        phrases.append(f"role {old.role} → {new.role}")
    if old.take != new.take:
        channels = " and ".join(map(str, new.take)) if new.take else "all"
        phrases.append(f"channels of the file used: {channels}")
    if old.clip_gain_db != new.clip_gain_db:
        phrases.append(f"clip gain {CLIP_GAIN.text(old.clip_gain_db)} → {CLIP_GAIN.text(new.clip_gain_db)}")
    if (old.folder, old.file) != (new.folder, new.file):
        phrases.append(f"reads {new.file} (was {old.file})")
    if old.alternative != new.alternative:
        phrases.append("one of several alternatives" if new.alternative else "no alternative any more")
    if old.seat_row != new.seat_row:
        phrases.append("seat where its role puts it" if new.seat_row is None else f"seat in row {new.seat_row + 1}")
    if old.start_s != new.start_s:
        phrases.append(f"starts at {time_text(new.start_s)}")
    if old.hits != new.hits:
        phrases += _hit_changes(old.hits, new.hits)
    return phrases


def _hit_changes(old: HitChanges, new: HitChanges) -> list[str]:
    phrases = []
    for field, came, went in (
        ("added_s", "hit added at", "added hit taken back at"),
        ("removed_s", "hit removed at", "removed hit back at"),
    ):
        before, after = set(getattr(old, field)), set(getattr(new, field))
        for words, times in ((came, after - before), (went, before - after)):
            shown = ", ".join(time_text(time) for time in sorted(times)[:MOST_NAMES])
            if times:
                phrases.append(f"{words} {shown}" + (f" and {len(times) - MOST_NAMES} more" if len(times) > 3 else ""))
    return phrases


def _send_changes(old: Strip, new: Strip, before: Session, after: Session) -> list[str]:
    phrases = []
    sends = {send.to: send for send in old.sends}
    for send in new.sends:
        known = sends.pop(send.to, None)
        name = after.strip_name(send.to)
        if known is None:
            place = ", before the fader" if send.pre_fader else ""
            phrases.append(f"sends to {name} at {LEVEL.text(send.level_db)}{place}")
        elif known.level_db != send.level_db:
            phrases.append(f"send to {name} {LEVEL.text(known.level_db)} → {LEVEL.text(send.level_db)}")
        elif known != send:
            words = "off" if not send.on else "before the fader" if send.pre_fader else "after the fader"
            phrases.append(f"send to {name} {words}")
    return phrases + [f"no send to {before.strip_name(to)}" for to in sends]


def _chain_changes(old: tuple[Processor, ...], new: tuple[Processor, ...], session: Session) -> list[str]:
    before = {station.id: station for station in old}
    phrases = []
    for station in new:
        known = before.get(station.id)
        if known is None:
            phrases.append(f"{station.LABEL} added{_key_words(key_of(station), session)}")
        elif known != station:
            what = ", ".join(_setting_changes(known, station)) or "changed"
            if key_of(known) != key_of(station):
                what = _key_words(key_of(station), session).strip(", ") or "no key"
            phrases.append(f"{station.LABEL} {what}")
    kept = {station.id for station in new}
    phrases += [f"{station.LABEL} removed" for station in old if station.id not in kept]
    if len(old) == len(new) and {s.id for s in old} == kept and [s.id for s in old] != [s.id for s in new]:
        phrases.append("chain in the order " + ", ".join(station.LABEL for station in new))
    return phrases


def _key_words(key: Key | None, session: Session) -> str:
    if key is None:
        return ""
    return f", sidechained from {session.strip_name(key.source)}" + (
        ", not while it is muted" if key.follows_mute else ""
    )


def _setting_changes(old: Described, new: Described) -> list[str]:
    if type(old) is not type(new):
        return ["in another's place"]
    if isinstance(old, Processor) and isinstance(new, Processor) and old.bypass != new.bypass:
        return ["bypassed" if new.bypass else "active"]
    phrases = []
    for name, described in settings(type(new)).items():
        one, other = getattr(old, name), getattr(new, name)
        if one != other:
            phrases.append(f"{described.name.lower()} {described.text(one)} → {described.text(other)}")
    earlier, later = getattr(old, "bands", ()), getattr(new, "bands", ())
    if len(earlier) != len(later):
        phrases.append(f"{len(later)} bands (was {len(earlier)})")
    else:
        for index, (one, other) in enumerate(zip(earlier, later, strict=True), 1):
            phrases += [f"band {index} {phrase}" for phrase in (_setting_changes(one, other) if one != other else ())]
    return phrases


def _automation_changes(old: tuple[Automation, ...], new: tuple[Automation, ...]) -> list[str]:
    before = {item.parameter: item for item in old}
    after = {item.parameter: item for item in new}
    phrases = [
        f"{OWN_WORDS.get(item.parameter, item.parameter)} automated with {len(item.points)} points"
        for item in new
        if before.get(item.parameter) != item and not _goes_along(before.get(item.parameter), item)
    ]
    return phrases + [f"{OWN_WORDS.get(name, name)} no longer automated" for name in before if name not in after]


def _goes_along(old: Automation | None, new: Automation) -> bool:
    """Whether a curve only moved as a whole, as it does with its fader, which is told."""
    if old is None or len(old.points) != len(new.points) or new.parameter not in ("level_db", "pan"):
        return False
    if old.points[0].value == new.points[0].value:
        return False
    apart = [b.value - a.value for a, b in zip(old.points, new.points, strict=True)]
    same = all(a.time_s == b.time_s for a, b in zip(old.points, new.points, strict=True))
    return same and max(apart) - min(apart) < 0.01


def _folder_changes(old: Session, new: Session) -> list[str]:
    before = {group.id: group for group in old.folder_groups}
    after = {group.id: group for group in new.folder_groups}
    phrases = [f"Folder group {group.name} made" for group in new.folder_groups if group.id not in before]
    phrases += [f"Folder group {group.name} dissolved" for group in old.folder_groups if group.id not in after]
    for group in new.folder_groups:
        known = before.get(group.id)
        if known is None or known == group:
            continue
        if known.level_db != group.level_db:
            phrases.append(f"{group.name}: level {LEVEL.text(known.level_db)} → {LEVEL.text(group.level_db)}")
        for field, yes, no in (("mute", "muted", "unmuted"), ("solo", "soloed", "solo off")):
            if getattr(known, field) != getattr(group, field):
                phrases.append(f"{group.name}: {yes if getattr(group, field) else no}")
        if known.name != group.name:
            phrases.append(f"{group.name}: named {group.name} (was {known.name})")
        phrases += [f"{group.name}: {said}" for said in _automation_changes(known.automation, group.automation)]
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
