"""Lanes that belong together: several microphones at one source, copies, candidates for one part.

What `measure.recording.pairs` finds between files, read with the roles: a snare microphone hears the hi-hat too, but
only microphones meant for one source are one source. All is as it stands in the song now, with the lanes' starts,
polarity switches and delays.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
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
WITHOUT_MICROPHONES = frozenset({"synthesiser", "pad", "electric piano", "synth bass", "sub bass"})
SIDE_WORDS = frozenset({
    "l", "r", "left", "right", "lo", "hi", "low", "high", "top", "bottom", "di", "amp", "cab", "mic", "close", "far",
    "room", "near",
})  # fmt: skip
"""Words that tell two channels or microphones of one instrument apart."""
SOUND_M_PER_S = 343.0
ALIKE = 0.8
"""Least correlation of two tracks of one role that are one source."""
FAR_MS, ALIKE_FAR = 15.0, 0.95
"""Microphones of one player stand within 5 m; further apart two files are one source where they are nearly the same."""
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


FILE_PAIRS = Figure("file pairs", 2, "session", _pairs_rest_on, _pairs, kept_as=tuple[tuple[str, str, Pair], ...])
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
    return tuple(_as_said(session.sample_rate, lanes, found, by_pair))


def _as_said(
    rate: int, lanes: Mapping[str, Lane], found: Sequence[Relation], by_pair: Mapping[tuple[str, str], dict[str, Pair]]
) -> list[Relation]:
    """What people said of microphones and players in place of what was found."""
    kept = [item for item in found if item.kind == "duplicate" or not _is_said(lanes[item.a], lanes[item.b])]
    for a, b in combinations((lane for lane in lanes.values() if lane.source is not None), 2):
        if a.source == b.source and not any({item.a, item.b} == {a.id, b.id} for item in kept):
            kinds = by_pair.get((a.id, b.id), {})
            offset, polarity = _as_it_stands(rate, a, b, kinds)
            correlation = kinds["offset"].correlation if "offset" in kinds else None
            known = "offset" in kinds
            kept.append(Relation("source", a.id, b.id, offset if known else None, polarity if known else None,
                                 correlation))  # fmt: skip
    return kept


def _is_said(a: Lane, b: Lane) -> bool:
    return a.source is not None and b.source is not None


def _read(rate: int, a: Lane, b: Lane, kinds: Mapping[str, Pair]) -> Relation | None:
    offset, polarity = kinds.get("offset"), kinds.get("polarity")
    duplicate = kinds.get("duplicate")
    offset_ms, sign = _as_it_stands(rate, a, b, kinds)
    if duplicate is not None:
        return Relation("duplicate", a.id, b.id, offset_ms, sign, duplicate.correlation)
    if offset is None or polarity is None:
        return None
    if family_of(a.role) != family_of(b.role) and "unknown" not in (a.role, b.role):
        return None
    if "unknown" in (a.role, b.role) and "players" in kinds:
        return None
    if {a.role, b.role} & (DISTANT | {"unknown"}):
        return Relation("distant", a.id, b.id, offset_ms, sign, offset.correlation)
    together = abs(offset.value or 0.0) < TOGETHER_MS and polarity.value == 1
    if a.role == b.role and is_struck(a.role) and together and a.role not in SEVERAL:
        return Relation("alternative", a.id, b.id, offset_ms, sign, offset.correlation)
    if not are_one_source(a.role, b.role) or (a.role == b.role and offset.correlation < ALIKE):
        return None
    if a.role == b.role and not is_struck(a.role) and ("players" in kinds or _are_layers(a, b, offset)):
        return None
    if a.role == b.role and abs(offset.value or 0.0) > FAR_MS and offset.correlation < ALIKE_FAR:
        return None
    return Relation("source", a.id, b.id, offset_ms, sign, offset.correlation)


def _as_it_stands(rate: int, a: Lane, b: Lane, kinds: Mapping[str, Pair]) -> tuple[float, int]:
    """(ms that b is later, polarity) of two lanes now."""
    offset, polarity = kinds.get("offset"), kinds.get("polarity")
    moved_ms = _moved_ms(b, rate) - _moved_ms(a, rate)
    sign = int(polarity.value or 1) if polarity is not None else 1
    sign *= (-1 if is_inverted(a) else 1) * (-1 if is_inverted(b) else 1)
    return (offset.value or 0.0 if offset is not None else 0.0) + moved_ms, sign


def _are_layers(a: Lane, b: Lane, offset: Pair) -> bool:
    """Whether two tracks are sounds laid over each other, and not microphones: instruments without a room between them
    sound together to a fraction of a sample, unless their names speak of microphones or of two sides."""
    if abs(offset.value or 0.0) >= TOGETHER_MS or not {a.role, b.role} & WITHOUT_MICROPHONES:
        return False
    own, other = (set(split_words(lane.file.rsplit("/", 1)[-1].rsplit(".", 1)[0].lower())) for lane in (a, b))
    return not (own ^ other and own ^ other <= SIDE_WORDS)


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
    said = {lane.id: {lane.source} - {None} for lane in session.lanes}

    def top(lane_id: str) -> str:
        while head[lane_id] != lane_id:
            lane_id = head[lane_id]
        return lane_id

    # What people said first: a microphone between two players belongs to one of them.
    for relation in sorted(found, key=lambda item: not _is_said(session.lane(item.a), session.lane(item.b))):
        if relation.kind == "source" or (relation.kind == "distant" and _is_pair(session, relation)):
            first, second = top(relation.a), top(relation.b)
            if len(said[first] | said[second]) < 2:
                head[second] = first
                said[first] = said[first] | said[second]
    units: dict[str, list[str]] = {}
    for lane in session.lanes:
        units.setdefault(top(lane.id), []).append(lane.id)
    return tuple(tuple(unit) for unit in units.values())


def rank(role: str) -> int:
    """The main microphone of a source first."""
    return {"kick": 0, "snare top": 0, "bass DI": 0, "kick out": 1, "snare bottom": 1, "bass amplifier": 1}.get(role, 0)


def _is_pair(session: Session, relation: Relation) -> bool:
    """Two overheads, or two room microphones: one stereo source."""
    a, b = session.lane(relation.a).role, session.lane(relation.b).role
    return a == b and a in DISTANT
