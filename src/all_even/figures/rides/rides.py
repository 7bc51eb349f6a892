"""Each line against its backing along the song: its words, how far each lies over all else, and what of it is hidden.

The backing of a line is the sum of all other sources as they arrive in the mix, dry. Words are found in the line's own
sound behind its chain, without a clip gain that rides it: the same words before and after any ride.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.engine.clip_gain import PARAMETER as CLIP
from all_even.figures.arriving import spectra
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import strip_samples
from all_even.figures.song import SONG
from all_even.figures.sources.units import Table, Unit, table, units
from all_even.measure.dynamics.units import HOP_S
from all_even.measure.rides import phrases, riding
from all_even.measure.rides.phrases import Course, Spans
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import loudness_weights
from all_even.session.model.session import Session
from all_even.session.song.hits import is_struck
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
VOICED_FAMILIES = frozenset({"voices"})
SMOOTH_S = 1.0
"""Over which a part without words is drawn."""


def is_line(role: str) -> bool:
    """Whether a part has words or phrases that can be ridden: neither struck nor the bottom."""
    return not is_struck(role) and family_of(role) not in ("bass", "drums", "percussion")


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """units: the sources; power: (sources, frames) K-weighted power of each as it arrives in the mix; frames are
    centred at multiples of frame_s."""

    units: tuple[Unit, ...]
    power: NDArray[np.float32]
    frame_s: float

    def place(self, lane_id: str) -> int | None:
        """Which source a lane belongs to."""
        return next((i for i, unit in enumerate(self.units) if any(lane.id == lane_id for lane in unit.lanes)), None)

    def backing(self, place: int) -> Array:
        """(frames,) power of all others."""
        return np.asarray(np.delete(self.power, place, axis=0).sum(axis=0, dtype=np.float64))

    def relation_db(self, place: int, smooth_s: float = SMOOTH_S) -> Array:
        """(frames,) a source over all others, both averaged over a while, dB; NaN where one of them is silent."""
        wide = np.ones(max(1, round(smooth_s / self.frame_s)))
        own = np.convolve(self.power[place].astype(np.float64), wide, "same")
        rest = np.convolve(self.backing(place), wide, "same")
        floor = max(float(own.max(initial=0.0)), float(rest.max(initial=0.0))) * 1e-6
        heard = (own > own.max(initial=0.0) * 10.0 ** (-riding.WITHIN_DB * 2.0 / 10.0)) & (rest > floor) & (own > 0.0)
        return np.where(heard, 10.0 * np.log10(np.maximum(own, 1e-30) / np.maximum(rest, 1e-30)), np.nan)


def levels(look: Look) -> Levels:
    """How loud every source is at every moment."""
    return look.get(LEVELS)


def _lanes_key(look: Look) -> object:
    return [(lane.id, lane.name, lane.role, lane.hidden, lane.mute, lane.hits, lane.id in look.reports)
            for lane in look.session.lanes]  # fmt: skip


def _levels(look: Look, _target: str) -> Levels:
    heard = spectra.arriving_powers(look)
    weights = loudness_weights(look.session.sample_rate)
    found = tuple(unit for unit in units(look) if any(lane.id in heard for lane in unit.lanes))
    frames = max((len(power) for power in heard.values()), default=0)
    loud = np.zeros((len(found), frames), dtype=np.float32)
    for row, unit in zip(loud, found, strict=True):
        for lane in unit.lanes:
            if lane.id in heard:
                own = heard[lane.id] @ weights
                row[: len(own)] += own.astype(np.float32)
    rate = look.session.sample_rate
    return Levels(found, loud, masking.frame_size(rate) / 2 / rate)


LEVELS = Figure(
    "levels along the song", 1, "session", lambda look, prints, _: digest((prints.mix, _lanes_key(look))), _levels
)  # fmt: skip


def plain(session: Session, lane_id: str) -> Session:
    """The session in which the clip gain of a lane stands still."""
    lane = session.lane(lane_id)
    kept = tuple(item for item in lane.automation if item.parameter != CLIP)
    if len(kept) == len(lane.automation):
        return session
    still = replace(lane, automation=kept)
    return replace(session, lanes=tuple(still if item.id == lane_id else item for item in session.lanes))


def _course(look: Look, lane_id: str) -> Course:
    session = plain(look.session, lane_id)
    return phrases.course_of(strip_samples(look, session, lane_id), session.sample_rate)


COURSE = Figure(
    "course of a line", 1, "strip",
    lambda look, _prints, lane_id: str(look.book.fingerprints(plain(look.session, lane_id)).strips.get(lane_id)),
    _course,
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Riding:
    """A line against its backing. words: its units; relation_db: (units,) of each over the backing, NaN where there is
    none; hidden: (units,) how much of each the others cover, 0 to 1; phrase, section: (units,) the number of what each
    lies in, section -1 before the first; clear_db: how far its words stand over what sounds between them, None where
    nothing does."""

    words: Spans
    relation_db: Array
    hidden: Array
    phrase: NDArray[np.int64]
    section: NDArray[np.int64]
    clear_db: float | None

    def __len__(self) -> int:
        return len(self.words)

    @property
    def spread_db(self) -> float | None:
        """How far its units lie apart, section by section, dB; None with fewer than five."""
        return riding.spread_db(self.relation_db, self.section)

    @property
    def usual_db(self) -> float | None:
        """The usual relation; None with fewer than five units."""
        known = self.relation_db[np.isfinite(self.relation_db)]
        return riding.usual_db(known) if len(known) >= riding.FEWEST else None

    @property
    def worst(self) -> NDArray[np.int64]:
        """The units, most hidden first."""
        return np.asarray(np.argsort(-self.hidden, kind="stable"), dtype=np.int64)


def riding_of(look: Look, lane_id: str) -> Riding | None:
    """None where nothing of the lane is heard, where it has no words, or where it is another microphone of a source."""
    found = look.get(RIDING, lane_id)
    return found if isinstance(found, Riding) else None


def _rests_on(look: Look, prints: Fingerprints, lane_id: str) -> str:
    still = look.book.fingerprints(plain(look.session, lane_id)).strips.get(lane_id)
    return digest((prints.mix, still, _lanes_key(look), SONG.rests_on(look, prints, "")))


def _riding(look: Look, lane_id: str) -> Riding | str:
    found = levels(look)
    place = found.place(lane_id)
    if place is None or found.units[place].id != lane_id or not is_line(found.units[place].role):
        return "no line"
    course: Course = look.get(COURSE, lane_id)
    backing = found.backing(place)
    at_hops = np.interp(np.arange(len(course.power)) * HOP_S, np.arange(len(backing)) * found.frame_s, backing)
    voiced = family_of(found.units[place].role) in VOICED_FAMILIES
    words = phrases.find_words(course, at_hops, voiced_only=voiced)
    own = found.power[place].astype(np.float64)
    relation = riding.relations_db(own, backing, found.frame_s, words.starts_s, words.ends_s)
    sections = look.get(SONG).sections
    starts = np.array([section.start_s for section in sections])
    middle = 0.5 * (words.starts_s + words.ends_s)
    inside = np.searchsorted(starts, middle, side="right") - 1
    return Riding(
        words, relation, hidden_of(look, lane_id, words), phrases.phrases_of(words), inside.astype(np.int64),
        _clear_db(course, words),
    )  # fmt: skip


RIDING = Figure("line against its backing", 1, "strip", _rests_on, _riding)


def hidden_of(look: Look, lane_id: str, words: Spans) -> Array:
    """(units,) masked share of a source over each of its units; 1 where nothing of one counts."""
    return hidden_in(table(look), lane_id, words, {})


def hidden_in(found: Table, lane_id: str, words: Spans, changes: Mapping[str, Array]) -> Array:
    """The same with other sources changed. changes: (frames,) power factors by id of the source."""
    track = found.tracks.get(lane_id)
    if track is None:
        return np.ones(len(words))
    total = np.zeros_like(track.spread, dtype=np.float64)
    for name, other in found.tracks.items():
        count = min(len(total), len(other.spread))
        factor = changes.get(name)
        total[:count] += other.spread[:count] if factor is None else other.spread[:count] * factor[:count, np.newaxis]
    shares = []
    for start_s, end_s in zip(words.starts_s, words.ends_s, strict=True):
        part = slice(*riding.span(start_s, end_s, found.frame_s, len(total)))
        share = masking.weighted_share(track.spread[part], total[part], track.weight[part], found.floor)
        shares.append(1.0 if share is None else share)
    return np.array(shares, dtype=np.float64)


def _clear_db(course: Course, words: Spans) -> float | None:
    """Median level of its units over the louder moments between them, dB: small where others bleed into it."""
    inside = np.zeros(len(course.power), dtype=bool)
    around = np.zeros(len(course.power), dtype=bool)
    for start_s, end_s in zip(words.starts_s, words.ends_s, strict=True):
        inside[round(start_s / HOP_S) : round(end_s / HOP_S)] = True
        around[max(0, round((start_s - 0.1) / HOP_S)) : round((end_s + 0.3) / HOP_S)] = True
    between = course.power[~around & (course.power > phrases.FLOOR)]
    own = course.power[inside]
    if not len(between) or not len(own):
        return None
    return float(10.0 * np.log10(np.median(own) / np.percentile(between, 90)))
