"""Lanes that belong together: several microphones at one source, copies, candidates for one part.

What `measure.recording.pairs` finds between files, read with the roles: a snare microphone hears the hi-hat too, but
only microphones meant for one source are one source. All is as it stands in the song now, with the lanes' starts,
polarity switches and delays.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from all_even.dsp.utility import Delay, Gain
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.recording.pairs import Pair, find_pairs
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_struck, lane_hits_s
from all_even.session.tracks.roles import NOT_IN_THE_MIX, family_of
from all_even.session.tracks.words import split_words

Kind = Literal["source", "distant", "duplicate", "alternative"]
DISTANT = frozenset({"overhead", "room"})
"""Microphones of a whole kit or room: their distance to what they hear is the sound of the room."""
SOURCES = {
    "kick": "kick", "kick out": "kick", "snare top": "snare", "snare bottom": "snare", "bass": "bass",
    "bass DI": "bass", "bass amplifier": "bass",
}  # fmt: skip
SEVERAL = frozenset({"tom", "cymbal", "backing voice", "percussion", "hand drum", "clap", "strings"})
"""Roles of which several stand side by side: one hears the other, but they are not one source."""
SOUND_M_PER_S = 343.0
ALIKE = 0.8
"""Least correlation of two tracks of one role that are one source."""
SAME_HIT_S, SAME_HITS = 0.015, 0.9
TOGETHER_MS = 0.1
"""Two tracks of one role closer than this, and not upside down, are one stroke from two samples, not two
microphones."""
CANDIDATE_WORDS = frozenset({"alt", "alternative", "take", "tk", "old", "new", "option", "opt", "spare", "choice"})


@dataclass(frozen=True, slots=True)
class Relation:
    """a, b: lane ids. offset_ms: how much later b is now; polarity: +1 or -1 now; correlation: 0 to 1. All three of an
    alternative are None where nothing but their hits tells."""

    kind: Kind
    a: str
    b: str
    offset_ms: float | None = None
    polarity: int | None = None
    correlation: float | None = None

    @property
    def distance_cm(self) -> float | None:
        """The way of sound that the offset is."""
        return None if self.offset_ms is None else abs(self.offset_ms) * SOUND_M_PER_S * 0.1

    def other(self, lane_id: str) -> str:
        return self.b if lane_id == self.a else self.a


def _pairs_rest_on(look: Look, prints: Fingerprints, _target: str) -> str:
    return digest(
        (lane.id, prints.identity(lane.id), lane.take, lane.id in look.reports) for lane in look.session.lanes
    )


def _pairs(look: Look, _target: str) -> tuple[tuple[str, str, Pair], ...]:
    lanes = [lane.id for lane in look.session.lanes if lane.id in look.reports]
    found = find_pairs(
        [look.reports[lane_id] for lane_id in lanes],
        progress=lambda *_: look.stop_if_cancelled(),
        workers=look.workers,
    )
    return tuple((lanes[pair.a], lanes[pair.b], pair) for pair in found)


FILE_PAIRS = Figure("file pairs", 1, "session", _pairs_rest_on, _pairs, kept_as=tuple[tuple[str, str, Pair], ...])
"""(lane, lane, pair) of the files as they are."""


def relations(look: Look) -> tuple[Relation, ...]:
    """All relations of a session's lanes in sight, in their order."""
    session = look.session
    lanes = {lane.id: lane for lane in session.lanes if lane.role not in NOT_IN_THE_MIX}
    by_pair: dict[tuple[str, str], dict[str, Pair]] = {}
    for a, b, pair in look.get(FILE_PAIRS):
        if a in lanes and b in lanes and (lanes[a].folder, lanes[a].file) != (lanes[b].folder, lanes[b].file):
            by_pair.setdefault((a, b), {})[pair.kind] = pair
    found = [
        relation
        for (a, b), kinds in by_pair.items()
        if (relation := _read(session.sample_rate, lanes[a], lanes[b], kinds)) is not None
    ]
    known = {frozenset((item.a, item.b)) for item in found}
    found += [item for item in _candidates(look, lanes) if frozenset((item.a, item.b)) not in known]
    return tuple(found)


def _read(rate: int, a: Lane, b: Lane, kinds: Mapping[str, Pair]) -> Relation | None:
    offset, polarity = kinds.get("offset"), kinds.get("polarity")
    duplicate = kinds.get("duplicate")
    moved_ms = _moved_ms(b, rate) - _moved_ms(a, rate)
    offset_ms = (offset.value or 0.0) + moved_ms if offset is not None else moved_ms
    sign = int(polarity.value or 1) if polarity is not None else 1
    sign *= (-1 if is_inverted(a) else 1) * (-1 if is_inverted(b) else 1)
    if duplicate is not None:
        return Relation("duplicate", a.id, b.id, offset_ms, sign, duplicate.correlation)
    if offset is None or polarity is None:
        return None
    if family_of(a.role) != family_of(b.role) and "unknown" not in (a.role, b.role):
        return None
    if {a.role, b.role} & (DISTANT | {"unknown"}):
        return Relation("distant", a.id, b.id, offset_ms, sign, offset.correlation)
    together = abs(offset.value or 0.0) < TOGETHER_MS and polarity.value == 1
    if a.role == b.role and is_struck(a.role) and together and a.role not in SEVERAL:
        return Relation("alternative", a.id, b.id, offset_ms, sign, offset.correlation)
    if are_one_source(a.role, b.role) and (a.role != b.role or offset.correlation >= ALIKE):
        return Relation("source", a.id, b.id, offset_ms, sign, offset.correlation)
    return None


def are_one_source(a: str, b: str) -> bool:
    """Whether microphones of these roles may be meant for one source."""
    if a in SEVERAL or b in SEVERAL:
        return False
    return SOURCES.get(a, a) == SOURCES.get(b, b)


def is_inverted(lane: Lane) -> bool:
    """Whether the lane's sound is upside down: by its switch, and by the stations of its chain."""
    flips = sum(isinstance(station, Gain) and station.invert and not station.bypass for station in lane.chain)
    return (flips + lane.polarity_inverted) % 2 == 1


def _moved_ms(lane: Lane, rate: int) -> float:
    """How much later the lane is than its file, by its start and its delays."""
    delays = sum(
        1000.0 * station.frames(rate) / rate
        for station in lane.chain
        if isinstance(station, Delay) and not station.bypass
    )
    return 1000.0 * lane.start_s + delays


def _candidates(look: Look, lanes: Mapping[str, Lane]) -> list[Relation]:
    """Lanes of one role that play the same: struck ones by their hits, others where a name says so and notes agree."""
    times: dict[str, np.ndarray] = {}
    for lane in lanes.values():
        report = look.reports.get(lane.id)
        if report is None or report.character is None or lane.role in DISTANT | SEVERAL | {"unknown"}:
            continue
        if is_struck(lane.role):
            times[lane.id] = np.array(lane_hits_s(lane, report.character))
        elif is_called_candidate(lane):
            times[lane.id] = np.array([note.start_s + lane.start_s for note in report.character.notes])
    for lane in lanes.values():  # the one that a candidate may stand for
        report = look.reports.get(lane.id)
        alike = any(lanes[other].role == lane.role for other in times if not is_struck(lanes[other].role))
        if lane.id not in times and alike and report is not None and report.character is not None:
            times[lane.id] = np.array([note.start_s + lane.start_s for note in report.character.notes])
    found = []
    order = [lane_id for lane_id in lanes if len(times.get(lane_id, ())) >= 8]
    for index, a in enumerate(order):
        for b in order[index + 1 :]:
            if lanes[a].role == lanes[b].role and _same_times(times[a], times[b]):
                found.append(Relation("alternative", a, b))
    return found


def _same_times(a: "np.ndarray", b: "np.ndarray") -> bool:
    def share(of: "np.ndarray", among: "np.ndarray") -> float:
        at = np.clip(np.searchsorted(among, of), 1, len(among) - 1)
        nearest = np.minimum(np.abs(among[at] - of), np.abs(among[at - 1] - of))
        return float(np.mean(nearest <= SAME_HIT_S))

    return len(a) > 1 and len(b) > 1 and min(share(a, b), share(b, a)) >= SAME_HITS


def candidate_groups(session: Session, found: tuple[Relation, ...]) -> list[list[str]]:
    """Lanes that may be candidates for one part, and are not said to be yet: first the one that plays, which is the
    first whose name does not call it another take or an alternative."""
    groups: list[set[str]] = []
    for relation in found:
        pair = {relation.a, relation.b}
        lanes = [session.lane(lane_id) for lane_id in pair]
        if relation.kind != "alternative" or any(lane.alternative is not None or lane.hidden for lane in lanes):
            continue
        touching = [group for group in groups if group & pair]
        groups = [group for group in groups if not group & pair] + [set().union(pair, *touching)]
    order = [lane.id for lane in session.lanes]
    return [
        sorted(group, key=lambda lane_id: (is_called_candidate(session.lane(lane_id)), order.index(lane_id)))
        for group in groups
    ]


def is_called_candidate(lane: Lane) -> bool:
    """Whether a file's name says that it is one of several."""
    return bool(CANDIDATE_WORDS & {word.lower() for word in split_words(lane.file.rsplit("/", 1)[-1])})


def spare_copies(session: Session, found: tuple[Relation, ...]) -> dict[str, Relation]:
    """Lanes that hold what another one in sight holds, by id: of two the one with the longer name, as of `bass` and
    `bass copy`."""
    spare: dict[str, Relation] = {}
    for relation in found:
        a, b = session.lane(relation.a), session.lane(relation.b)
        if relation.kind == "duplicate" and not {a.id, b.id} & spare.keys() and not a.hidden and not b.hidden:
            spare[a.id if len(a.file) > len(b.file) else b.id] = relation
    return spare


def source_units(session: Session, found: tuple[Relation, ...]) -> tuple[tuple[str, ...], ...]:
    """The lanes as sources: microphones of one source together, everything else alone; in the session's order."""
    head = {lane.id: lane.id for lane in session.lanes}

    def top(lane_id: str) -> str:
        while head[lane_id] != lane_id:
            lane_id = head[lane_id]
        return lane_id

    for relation in found:
        if relation.kind == "source" or (relation.kind == "distant" and _is_pair(session, relation)):
            head[top(relation.b)] = top(relation.a)
    units: dict[str, list[str]] = {}
    for lane in session.lanes:
        units.setdefault(top(lane.id), []).append(lane.id)
    return tuple(tuple(unit) for unit in units.values())


def _is_pair(session: Session, relation: Relation) -> bool:
    """Two overheads, or two room microphones: one stereo source."""
    return session.lane(relation.a).role == session.lane(relation.b).role
