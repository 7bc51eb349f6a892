"""Names for lanes: what a file's name says, written out (`session.tracks.words`), no two alike.

Numbers stay only where nothing else tells two lanes apart; a take keeps its number. What all names begin with is the
song's title and goes.
"""

import re
from collections import Counter
from collections.abc import Collection, Sequence
from itertools import count

from msgspec.structs import replace

from all_even.session.model.session import Session
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.roles import TRIGGER, display_name, family_of, guess_role
from all_even.session.tracks.words import OF_NOBODY, OF_THE_FILE, split_words, written_out

SAYS_LITTLE = frozenset({"instrument", "drums", "unknown"})
"""Roles that say no more than the sound does: a file's name stays as it is."""


def plain_names(session: Session) -> dict[str, str]:
    """A name for every lane whose role is known, no two alike: `Snare top`, `Guitar dirty`, `Overhead left`.

    A silent trigger is called after the track it copies: `Kick trigger`. Where a lane's role was chosen and its file's
    name does not speak of it, the role comes first.
    """
    heard = [lane for lane in session.lanes if lane.destination != NOWHERE]
    copies = [lane for lane in session.lanes if lane.destination == NOWHERE]
    own = {(lane.folder, lane.file) for lane in heard}
    heard += [lane for lane in copies if (lane.folder, lane.file) not in own]
    common = _common_words([stem_of(lane) for lane in heard])
    known = [lane for lane in heard if lane.role != "unknown"]
    names: dict[str, str] = {}
    taken = Counter(lane.name.lower() for lane in heard if lane.role == "unknown")
    for numbers, of_the_file in ((False, False), (True, False), (True, True)):
        tried = {lane.id: _named(lane, common, numbers, of_the_file) for lane in known if lane.id not in names}
        counts = Counter(name.lower() for name in tried.values()) + taken
        for lane_id, name in tried.items():
            if counts[name.lower()] == 1:
                names[lane_id] = name
                taken[name.lower()] += 1
    for lane in known:
        if lane.id not in names:
            names[lane.id] = _free(_named(lane, common, True, True), taken, first=1)
            taken[names[lane.id].lower()] += 1
    named = {(lane.folder, lane.file): names[lane.id] for lane in heard if lane.id in names}
    for lane in copies:
        if (lane.folder, lane.file) in own and (lane.folder, lane.file) in named:
            names[lane.id] = f"{named[lane.folder, lane.file]} {'clicks' if lane.role == TRIGGER else 'trigger'}"
    return names


def _named(lane: Lane, common: int, numbers: bool, of_the_file: bool) -> str:
    stem = stem_of(lane)
    if says_nothing(stem):
        return stem if lane.role in SAYS_LITTLE else _with_file(lane.role, stem)
    name = written_out(stem, numbers=numbers, of_the_file=of_the_file, also_drop=common)
    role = lane.role[:1].upper() + lane.role[1:]
    if not name:
        return role
    if family_of(guess_role(stem)) == family_of(lane.role):
        return name
    said = set(lane.role.lower().split())
    typed = set(split_words(stem))
    rest = [word.lower() if word.lower() in typed else word for word in name.split() if word.lower() not in said]
    return " ".join([role, *rest])


def stem_of(lane: Lane) -> str:
    """A lane's file without its folder and ending."""
    name = lane.file.rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[0] if "." in name else name


def says_nothing(stem: str) -> bool:
    """Whether a file's name tells nothing of what is heard: `Audio 03_05`, `Bounce 32 final`."""
    words = [word.lower() for word in split_words(stem)]
    return guess_role(stem) == "unknown" and all(
        word in OF_NOBODY | OF_THE_FILE or word.isdigit() or len(word) < 2 for word in words
    )


def first_name(stem: str, folder: str, taken: Collection[str]) -> str:
    """The name of a new lane, unlike those that are taken: the file's words; the file as it is called where they say
    nothing; with its folder, else a number, where another one is called so."""
    name = (stem.strip() if says_nothing(stem) else display_name(stem)) or "Track"
    name = name[:1].upper() + name[1:]
    if name.lower() in taken and folder:
        name = f"{name} ({folder})"
    return _free(name, taken)


def with_role(session: Session, lane_id: str, role: str) -> Session:
    """People say what a lane is. Where its file's name says nothing and nobody gave it another one, its name says the
    role from then on: `Lead voice 03_05`."""
    lane = session.lane(lane_id)
    stem = stem_of(lane)
    name = lane.name
    if says_nothing(stem) and (name.lower() == stem.lower() or name.startswith(_with_file(lane.role, stem))):
        taken = {item.name.lower() for item in session.lanes if item.id != lane_id}
        name = _free(stem if role in SAYS_LITTLE else _with_file(role, stem), taken)
    changed = replace(lane, role=role, role_said=role != "unknown", name=name[:200])
    return replace(session, lanes=tuple(changed if item.id == lane_id else item for item in session.lanes))


def second_line(lane: Lane) -> str:
    """What stands under a lane's name: its role; where the name says that already, the file it comes from."""
    if lane.role == "unknown":
        return "role not known"
    stem = stem_of(lane)
    return stem if lane.name.lower().startswith(lane.role) and says_nothing(stem) else lane.role


def _with_file(role: str, stem: str) -> str:
    """A role, and what of a name that says nothing tells files apart: `Audio 03_05` is `03_05`."""
    words = re.split(r"([\s_\-]+)", stem)
    kept = ["" if word.lower() in OF_NOBODY | OF_THE_FILE else word for word in words]
    apart = "".join(kept).strip(" _-")
    return f"{role[:1].upper()}{role[1:]} {apart}".strip()


def _free(name: str, taken: Collection[str], first: int = 2) -> str:
    """The name, with a number where it is taken, or at any rate where numbers begin with 1."""
    if first > 1 and name.lower() not in taken:
        return name
    return next(f"{name} {n}" for n in count(first) if f"{name} {n}".lower() not in taken)


def _common_words(stems: Sequence[str]) -> int:
    """How many words all names begin with: the song's title, where there are enough names to tell."""
    if len(stems) < 4:
        return 0
    split = [split_words(stem) for stem in stems]
    shortest = min(len(words) for words in split)
    common = 0
    while common < shortest - 1 and len({words[common].lower() for words in split}) == 1:
        common += 1
    return common


def renamed(session: Session, left_out: Sequence[str] = ()) -> Session:
    """With all lanes named plainly but those left out."""
    names = {lane_id: name for lane_id, name in plain_names(session).items() if lane_id not in left_out}
    return replace(
        session,
        lanes=tuple(replace(lane, name=names.get(lane.id, lane.name)[:200]) for lane in session.lanes),
    )
