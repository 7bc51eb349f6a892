"""Names for lanes: what a file's name says, written out (`session.tracks.words`), no two alike.

Numbers stay only where nothing else tells two lanes apart; a take keeps its number. What all names begin with is the
song's title and goes.
"""

from collections import Counter
from collections.abc import Sequence

from msgspec.structs import replace

from all_even.session.model.session import Session
from all_even.session.model.strips import NOWHERE, Lane
from all_even.session.tracks.roles import TRIGGER, family_of, guess_role
from all_even.session.tracks.words import split_words, written_out


def plain_names(session: Session) -> dict[str, str]:
    """A name for every lane whose role is known, no two alike: `Snare top`, `Guitar dirty`, `Overhead left`.

    A silent trigger is called after the track it copies: `Kick trigger`. Where a lane's role was chosen and its file's
    name does not speak of it, the role comes first.
    """
    heard = [lane for lane in session.lanes if lane.destination != NOWHERE]
    copies = [lane for lane in session.lanes if lane.destination == NOWHERE]
    own = {(lane.folder, lane.file) for lane in heard}
    heard += [lane for lane in copies if (lane.folder, lane.file) not in own]
    common = _common_words([_stem(lane) for lane in heard])
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
            base, number = _named(lane, common, True, True), 1
            while taken[f"{base} {number}".lower()]:
                number += 1
            names[lane.id] = f"{base} {number}"
            taken[names[lane.id].lower()] += 1
    named = {(lane.folder, lane.file): names[lane.id] for lane in heard if lane.id in names}
    for lane in copies:
        if (lane.folder, lane.file) in own and (lane.folder, lane.file) in named:
            names[lane.id] = f"{named[lane.folder, lane.file]} {'clicks' if lane.role == TRIGGER else 'trigger'}"
    return names


def _named(lane: Lane, common: int, numbers: bool, of_the_file: bool) -> str:
    stem = _stem(lane)
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


def _stem(lane: Lane) -> str:
    name = lane.file.rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[0] if "." in name else name


def _common_words(stems: Sequence[str]) -> int:
    """How many words all names begin with: the song's title, where there are enough names to tell."""
    if len(stems) < 4:
        return 0
    split = [split_words(stem) for stem in stems]
    shortest = min(len(words) for words in split)
    count = 0
    while count < shortest - 1 and len({words[count].lower() for words in split}) == 1:
        count += 1
    return count


def renamed(session: Session, left_out: Sequence[str] = ()) -> Session:
    """With all lanes named plainly but those left out."""
    names = {lane_id: name for lane_id, name in plain_names(session).items() if lane_id not in left_out}
    return replace(
        session,
        lanes=tuple(replace(lane, name=names.get(lane.id, lane.name)[:200]) for lane in session.lanes),
    )
