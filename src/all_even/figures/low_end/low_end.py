"""The low end of a session: kick and bass as they arrive in the mix, through their groups' chains, and how they share
the bottom.

What is heard is kept at 4 kHz (`heard`); the figures (`low_end`) follow from it. The gap is the difference between
the bass with and without what takes it down: stations that listen to the kick or follow its hits, and what in the
groups' chains answers to level.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import soxr
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.audio.sides import highest_of, middle_of
from all_even.dsp.ducking.shaped import follows_another
from all_even.figures.arriving.contribution import Samples, parts
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter
from all_even.measure.pitch.notes import Note
from all_even.measure.recording.character import Character
from all_even.measure.sharing import duck
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.low_pair import PairFigures, pair_figures
from all_even.measure.sharing.owner import Ownership, ownership
from all_even.session.editing import edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.settings import BY_FIGURES
from all_even.session.model.strips import Lane, Strip
from all_even.session.song.hits import is_kick, lane_hits_s, struck
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
USUAL_TAIL_MS = 150.0
FEWEST_HITS = 3
WITH_HIT_S, START_S = 0.02, 0.04
"""So much before a hit a note still begins with it; and so long its start is."""


@dataclass(frozen=True, slots=True, eq=False)
class LowEndHeard:
    """kick, bass: (frames,) mono at 4 kHz; basses unducked: the same without what takes it down, None where nothing
    does. kick_id, hits_s, tail_ms: of the kick whose hits count. peak: of their sum at full rate, linear; lufs: its
    loudness."""

    kick_id: str
    hits_s: tuple[float, ...]
    tail_ms: float
    kick: Array
    bass: Array
    unducked: Array | None
    peak: float
    lufs: float | None


@dataclass(frozen=True, slots=True)
class LowEnd:
    """owner: kick or bass, as decided or, where nobody did, as measured; None where it is open. gap, pile-up:
    `measure.sharing.duck`. focus: share of the kick that is heard, 0 to 1; bass_limit_db: change of the bass at which
    0.70 is left; room_db, kick_masked, bass_masked: `measure.sharing.low_pair`. loudness_at_equal_peak_lu: loudness
    of kick and bass together less their peak. start_lost_db: what ducks take from the first 40 ms of the bass's notes
    that begin with a hit; None where nothing ducks.
    """

    owner: str | None
    gap_db: float | None
    gap_ms: float | None
    pile_up_db: float | None
    focus: float | None
    bass_limit_db: float | None
    bass_suggestion_db: float | None
    sum_peak_dbfs: float | None
    room_db: float | None = None
    kick_masked: float | None = None
    bass_masked: float | None = None
    loudness_at_equal_peak_lu: float | None = None
    start_lost_db: float | None = None


NO_LOW_END = LowEnd(None, None, None, None, None, None, None, None)


def kicks_and_basses(session: Session) -> tuple[set[str], set[str]]:
    """The lanes whose sums share the bottom."""
    kicks = {lane.id for lane in session.lanes if lane.role.startswith("kick")}
    return kicks, {lane.id for lane in session.lanes if family_of(lane.role) == "bass"}


def bass_strips(session: Session) -> tuple[Strip, ...]:
    """The bass lanes, and the groups that carry nothing but basses."""
    _, basses = kicks_and_basses(session)
    carried: dict[str, set[str]] = {}
    for strip in session.strips:
        carried.setdefault(strip.destination, set()).add(strip.id)
    found = set(basses)
    while grown := {bus.id for bus in session.buses if carried.get(bus.id) and carried[bus.id] <= found} - found:
        found |= grown
    return tuple(strip for strip in session.strips if strip.id in found)


def sounding_basses(session: Session) -> tuple[Lane, ...]:
    """Bass lanes in sight that are heard."""
    _, basses = kicks_and_basses(session)
    return tuple(
        lane for lane in session.lanes if lane.id in basses and routing.is_sounding(session, lane) and not lane.hidden
    )


def main_kick(look: Look) -> tuple[Lane, Character] | None:
    """The first sounding kick that has hits."""
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        if report is None or report.character is None or not is_kick(lane.role):
            continue
        if routing.is_sounding(look.session, lane) and lane_hits_s(lane, report.character):
            return lane, report.character
    return None


def bass_notes(look: Look) -> tuple[Note, ...]:
    """Of the bass track with the most notes, on the song's time line."""
    _, basses = kicks_and_basses(look.session)
    found: tuple[Note, ...] = ()
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        if lane.id in basses and report is not None and report.character is not None:
            notes = report.character.notes
            if len(notes) > len(found) and routing.is_sounding(look.session, lane):
                found = tuple(Note(n.start_s + lane.start_s, n.end_s + lane.start_s, n.frequency_hz, n.level_db)
                              for n in notes)  # fmt: skip
    return found


def heard(look: Look) -> LowEndHeard | None:
    """None where kick, bass, or every hit is missing."""
    found = look.get(HEARD)
    return found if isinstance(found, LowEndHeard) else None


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    kicks, basses = kicks_and_basses(look.session)
    opened = routing.hearing(look.session).open_edges
    found: list[object] = [
        (edge.source in kicks, edge.source in basses, prints.feed(edge))
        for edge in routing.edges(look.session)
        if edge.kind != "key" and edge in opened
        and (edge.source in kicks | basses or not look.session.is_lane(edge.source))
    ]  # fmt: skip
    found += [(lane.id, lane.hits, lane.role) for lane in look.session.lanes if lane.id in kicks]
    return digest((*found, [lane_id in look.reports for lane_id in sorted(kicks | basses)]))


def _heard(look: Look, _target: str) -> LowEndHeard | str:
    main = main_kick(look)
    if main is None:
        return "no hits"
    kicks, basses = kicks_and_basses(look.session)
    sides = {"kick": kicks, "bass": basses}
    both = parts(look, sides)
    if "kick" not in both or "bass" not in both:
        return "one of them is missing"
    rate = look.session.sample_rate
    lane, character = main
    tail = struck(character, lane.role).tail
    low = {name: low_copy(both[name], rate) for name in sides}
    together = both.pop("kick")
    together += both.pop("bass")
    meter = HopMeter(rate, 2)
    meter.add(together)
    peak = float(highest_of(together).max(initial=0.0))
    del together
    plain = _without_ducks(look.session)
    unducked = None
    if plain != look.session or _groups_answer_to_level(look.session):
        bare = parts(look.at(plain), {"bass": basses}, dynamics=False)
        unducked = low_copy(bare["bass"], rate) if "bass" in bare else None
    return LowEndHeard(
        lane.id, lane_hits_s(lane, character), tail.ms if tail is not None else USUAL_TAIL_MS, low["kick"], low["bass"],
        unducked, peak, loudness.integrated_lufs(meter.result().weighted),
    )  # fmt: skip


def low_copy(sound: Samples, rate: int) -> Array:
    """(frames,) mono at 4 kHz of (frames, 1 or 2)."""
    mono = middle_of(sound)
    return np.asarray(soxr.resample(mono, rate, RATE, quality="HQ") if rate != RATE else mono)


def _without_ducks(session: Session) -> Session:
    """Every station of a bass that listens to another track, or follows a shape, is bypassed; latency stays."""
    for strip in bass_strips(session):
        chain = tuple(replace(item, bypass=True) if follows_another(item) else item for item in strip.chain)
        session = edits.change_strips(session, (strip.id,), chain=chain)
    return session


def _groups_answer_to_level(session: Session) -> bool:
    return any(not station.bypass and station.LEVEL_DEPENDENT for bus in session.buses for station in bus.chain)


HEARD = Figure("low end as heard", 1, "session", _rests_on, _heard)


def pair(look: Look) -> PairFigures | None:
    """How clear the kick is, and how far each covers the other."""
    found = look.get(PAIR)
    return found if isinstance(found, PairFigures) else None


def _pair(look: Look, _target: str) -> PairFigures | str:
    found = heard(look)
    return pair_figures(found.kick, found.bass, found.hits_s) if found is not None else "nothing"


PAIR = Figure("kick and bass", 1, "session", _rests_on, _pair)


def owned(look: Look) -> Ownership | None:
    """What the tracks say of who owns the bottom."""
    found = look.get(OWNED)
    return found if isinstance(found, Ownership) else None


def owner(look: Look) -> str | None:
    """kick or bass: as decided, else as measured; None where it is open."""
    decided = look.session.settings.low_owner
    if decided != BY_FIGURES:
        return decided
    found = owned(look)
    return found.owner if found is not None else None


def _owned_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    return digest((_rests_on(look, prints, target), look.session.settings.owner_pull))


def _owned(look: Look, _target: str) -> Ownership | str:
    found = heard(look)
    if found is None:
        return "nothing"
    pull = look.session.settings.owner_pull
    told = ownership(found.kick, found.bass, found.hits_s, found.tail_ms, bass_notes(look), pull)
    return told if told is not None else "one of them is silent"


OWNED = Figure("who leads the low end", 1, "session", _owned_rests_on, _owned)


def low_end(look: Look) -> LowEnd:
    """How kick and bass share the bottom now."""
    found, figures = heard(look), pair(look)
    if found is None or figures is None:
        return NO_LOW_END
    shape = look.get(SHAPE)
    focus = figures.focus
    peak_dbfs = float(20.0 * np.log10(found.peak)) if found.peak > 0.0 else None
    return LowEnd(
        owner(look),
        shape.gap_db if isinstance(shape, duck.LowFigures) else None,
        shape.gap_ms if isinstance(shape, duck.LowFigures) else None,
        shape.pile_up_db if isinstance(shape, duck.LowFigures) else None,
        focus.at_present if focus else None,
        focus.limit_db if focus else None,
        focus.suggestion_db if focus else None,
        peak_dbfs,
        figures.room_db,
        figures.kick_masked,
        figures.bass_masked,
        found.lufs - peak_dbfs if found.lufs is not None and peak_dbfs is not None else None,
        _start_lost_db(found, bass_notes(look)),
    )


def _start_lost_db(found: LowEndHeard, notes: Sequence[Note]) -> float | None:
    """Median over notes that begin from just before a hit to the end of its tail."""
    if found.unducked is None or not notes:
        return None
    hits = np.array(found.hits_s)
    lost = []
    for note in notes:
        after = note.start_s - hits[np.searchsorted(hits, note.start_s + WITH_HIT_S) - 1]
        if hits[0] - WITH_HIT_S <= note.start_s and after <= 0.001 * found.tail_ms:
            part = slice(round(note.start_s * RATE), round((note.start_s + START_S) * RATE))
            plain, now = (float(np.sum(side[part] ** 2)) for side in (found.unducked, found.bass))
            if plain > 0.0:
                lost.append(10.0 * np.log10(plain / max(now, 1e-20)))
    return float(np.median(lost)) if len(lost) >= FEWEST_HITS else None


def _shape(look: Look, _target: str) -> duck.LowFigures | str:
    """Gap and pile-up of one beat."""
    found = heard(look)
    if found is None or len(found.hits_s) < FEWEST_HITS or not np.any(found.bass) or not np.any(found.kick):
        return "nothing to meet"
    meeting = duck.meet(found.kick, found.bass, RATE, found.hits_s, found.tail_ms)
    if not len(meeting.first):
        return "too few hits"
    powers = None
    gain_db = np.zeros(len(meeting.key_power))
    if found.unducked is not None:
        powers = tuple(duck.smoothed_power(duck.low_band(side, RATE)) for side in (found.unducked, found.bass))
        gain_db = 10.0 * np.log10((powers[1] + 1e-20) / (powers[0] + 1e-20))
        return duck.low_figures(meeting, np.minimum(0.0, gain_db), powers=(powers[0], powers[1]))
    return duck.low_figures(meeting, gain_db)


SHAPE = Figure("one beat of kick and bass", 1, "session", _rests_on, _shape)
