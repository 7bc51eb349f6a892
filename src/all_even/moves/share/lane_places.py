"""Places to look at: where a lane sticks out on a note, resonates on many, stands out for the ear, or lies on another.

Never a move by itself: each can be heard by a guarded sweep and turned into a band by one click. At most five a lane,
the furthest out first.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.dsp.parameter import number
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.sharing.sharing import Sharing, pairs, sharing
from all_even.figures.song import SONG
from all_even.measure.level import zones
from all_even.measure.pitch import high_line
from all_even.measure.pitch.partials import Spot, partials, spots
from all_even.measure.pitch.pitch import named
from all_even.measure.sharing import ear_words, hearing, masking
from all_even.measure.sharing.scene import home
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.importance import importance
from all_even.session.tracks.roles import family_of

Sort = Literal["sticks out", "resonance", "stands out", "beside its like", "lies on", "peak"]
MOST = 5
GROSS_DB, BESIDE_LIKE_DB, OTHER_NOTES_DB, SUBSTANCE_DB = 7.0, 5.0, 15.0, 26.0
"""What differs by more than 15 dB plays other notes."""
FEWEST_NOTES, MOST_LYING = 6, 3
LIES_ON = 0.02
"""Share of another's zone that it has to hide."""
BASS_PLACE_HZ, ON_BASS_DB, LEAST_TOGETHER = 160.0, -16.0, 0.15
DB_PER_HIDDEN = 100.0
"""For the order among places only: a tenth of another hidden ranks like 10 dB."""
HIGH_FAMILIES = frozenset({"drums", "percussion", "winds & brass", "strings"})
PEAK_HZ, PEAK_BESIDE, PEAK_DB, PEAK_UNDER_DB, PEAK_Q = (2000.0, 12000.0), (0.25, 0.75), 9.0, 20.0, 3.0
"""Where a peak is looked for, against what lies so many octaves beside it, by how much, and how far under the
loudest place of the track it may be."""
FEWEST_FRAMES = 40
CUT_DB, LIFT_DB, WORD_Q, SECTION_S = -4.0, 3.0, 1.4, 4.0
NOT_JUDGED = frozenset({"drums", "percussion", "bass", "buses", "other"})
"""Struck and low sounds have one strong place by nature."""


@dataclass(frozen=True, slots=True)
class Place:
    """hz, q, gain_db: the band that a click makes of it. size_db: how far out; text: what it is."""

    lane_id: str
    sort: Sort
    hz: float
    q: float
    gain_db: float
    size_db: float
    word: str
    text: str


def places(look: Look, lane_id: str) -> tuple[Place, ...]:
    """Of one lane, the furthest out first."""
    return look.get(PLACES, lane_id)


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    session = look.session
    lane = session.lane(target)
    own = (target, lane.role, lane.importance, lane.start_s)
    return digest((prints.mix, prints.strips.get(target), own, session.settings, session.song))


def _compute(look: Look, target: str) -> tuple[Place, ...]:
    found = sharing(look)
    at = found.place(target) if found is not None else None
    if found is None or at is None:
        return ()
    told = [*_on_notes(look, target), *_by_ear(look, found, at, target), *_on_others(look, found, at, target),
            *_on_the_bass(found, at, target), *_high_peaks(found, at, target)]  # fmt: skip
    kept: list[Place] = []
    for place in sorted(told, key=lambda item: -item.size_db):
        if all(abs(np.log2(place.hz / other.hz)) > 0.2 or other.sort == "lies on" for other in kept):
            kept.append(place)
    return tuple(kept[:MOST])


PLACES = Figure("places to look at", 2, "strip", _rests_on, _compute)


def _on_notes(look: Look, lane_id: str) -> list[Place]:
    report = look.reports.get(lane_id)
    lane = look.session.lane(lane_id)
    if report is None or report.character is None or family_of(lane.role) in NOT_JUDGED:
        return []
    rate = look.session.sample_rate
    kept = look.sound(lane_id)
    sound = middle_of(kept.read(0, kept.frames))
    notes, start_s = report.character.notes, lane.start_s
    if not notes:
        notes, start_s = high_line.high_notes(soxr.resample(sound, rate, high_line.RATE)), 0.0
    if len(notes) < FEWEST_NOTES:
        return []
    family = family_of(lane.role)
    return [_of_spot(lane_id, spot, family) for spot in spots(partials(sound, rate, notes, start_s))]


def _of_spot(lane_id: str, spot: Spot, family: str) -> Place:
    word = ear_words.word_at(spot.hz, family)
    asked = f" ({word}?)" if word else ""
    gain = -float(np.clip(round(spot.over_db * 0.6 * 2.0) / 2.0, 2.0, 6.0))
    if spot.midi is None:
        text = (
            f"Rings at {number(spot.hz, 0)} Hz{asked} on {spot.pitches} pitches, {number(spot.over_db, 0)} dB over the "
            "same partials of others"
        )
        return Place(lane_id, "resonance", spot.hz, 6.0, gain, spot.over_db, word, text)
    note = named(440.0 * 2.0 ** ((spot.midi - 69) / 12.0)).name
    which = "its fundamental" if spot.partial == 1 else f"its partial {spot.partial}"
    text = (
        f"Sticks out on {note}: {which} at {number(spot.hz, 0)} Hz{asked}, {number(spot.over_db, 0)} dB over its "
        "neighbours"
    )
    return Place(lane_id, "sticks out", spot.hz, 8.0, gain, spot.over_db, word, text)


def _by_ear(look: Look, found: Sharing, at: int, lane_id: str) -> list[Place]:
    """Places of gross contrast; against its doubles, and section against section, also what is less gross or lacks."""
    unit = found.units[at]
    family = family_of(unit.role)
    if family in NOT_JUDGED:
        return []
    own = contrast_of(found, at)
    told = [_word(lane_id, i, float(own[i]), family, "stands out", "than what lies beside it")
            for i in _peaks(own, GROSS_DB)]  # fmt: skip
    like = [i for i, other in enumerate(found.units) if i != at and other.role == unit.role]
    if like:
        usual = _middle([contrast_of(found, i) for i in like])
        against = f"than in {found.units[like[0]].name}" if len(like) == 1 else f"than in {len(like)} like it"
        told += _beside(lane_id, own - usual, family, against)
    parts = _by_section(look, found, at)
    for letter, part in parts.items():
        others = [other for name, other in parts.items() if name != letter]
        if others:
            told += _beside(lane_id, part - _middle(others), family, f"in part {letter} than elsewhere")[:1]
    return [place for place in told if place.word]


def _beside(lane_id: str, difference: NDArray[np.float64], family: str, against: str) -> list[Place]:
    """Where a track differs from its like: too much, or too little."""
    more = [_word(lane_id, i, float(difference[i]), family, "beside its like", against)
            for i in _peaks(difference, BESIDE_LIKE_DB)]  # fmt: skip
    less = [_word(lane_id, i, float(difference[i]), family, "beside its like", against)
            for i in _peaks(-difference, BESIDE_LIKE_DB)]  # fmt: skip
    tone = [place for place in (*more, *less) if place.size_db <= OTHER_NOTES_DB]
    return sorted(tone, key=lambda place: -place.size_db)[:2]


def _middle(contrasts: list[NDArray[np.float64]]) -> NDArray[np.float64]:
    return np.asarray(np.ma.median(np.ma.masked_invalid(contrasts), axis=0).filled(np.nan))


def _by_section(look: Look, found: Sharing, at: int) -> dict[str, NDArray[np.float64]]:
    """Contrast in each part of the song in which the source plays long enough."""
    power, playing = found.scene.power[at], found.scene.weight[at].any(axis=1)
    frames: dict[str, list[NDArray[np.float32]]] = {}
    for section in look.get(SONG).sections:
        start, stop = (round(time / found.frame_s) for time in (section.start_s, section.end_s))
        frames.setdefault(section.letter, []).append(power[start:stop][playing[start:stop]])
    joined = {letter: np.concatenate(parts) for letter, parts in frames.items()}
    enough = SECTION_S / found.frame_s
    return {
        letter: _contrast(part) for letter, part in joined.items()
        if len(part) >= enough
    }  # fmt: skip


def _word(lane_id: str, third: int, over_db: float, family: str, sort: Sort, against: str) -> Place:
    hz = float(ear_words.THIRDS_HZ[third])
    word = ear_words.word_at(hz, family, lack=over_db < 0.0)
    size = number(abs(over_db), 0)
    text = (
        f"{word[:1].upper()}{word[1:]}? {size} dB {'more' if over_db > 0.0 else 'less'} at {number(hz, 0)} Hz {against}"
    )
    gain = CUT_DB if over_db > 0.0 else LIFT_DB
    return Place(lane_id, sort, hz, WORD_Q, gain, abs(over_db), word, text)


def _high_peaks(found: Sharing, at: int, lane_id: str) -> list[Place]:
    """Where a hat, a cymbal or a high line stands out against its neighbours over the song, from 2 kHz up: narrower
    than a third of an octave, which words would miss."""
    unit = found.units[at]
    if family_of(unit.role) not in HIGH_FAMILIES or is_low_end(unit.role):
        return []
    playing = found.scene.weight[at].any(axis=1)
    power = found.scene.power[at][playing]
    if len(power) < FEWEST_FRAMES:
        return []
    centres = masking.centres_hz()
    levels = 10.0 * np.log10(power.mean(axis=0, dtype=np.float64) / hearing.erb_hz(centres) + 1e-20)
    best: tuple[float, int] | None = None
    for i in np.flatnonzero((centres >= PEAK_HZ[0]) & (centres <= PEAK_HZ[1])):
        octaves = np.abs(np.log2(centres / centres[i]))
        beside = levels[(octaves >= PEAK_BESIDE[0]) & (octaves <= PEAK_BESIDE[1])]
        over = float(levels[i] - np.median(beside))
        is_top = levels[i] >= levels[max(0, i - 2) : i + 3].max() and levels[i] >= levels.max() - PEAK_UNDER_DB
        if is_top and over >= PEAK_DB and (best is None or over > best[0]):
            best = over, int(i)
    if best is None:
        return []
    over, hz = best[0], float(centres[best[1]])
    text = f"Stands out at {number(hz, 0)} Hz: {number(over, 0)} dB over its neighbours, over the song"
    return [Place(lane_id, "peak", hz, PEAK_Q, -min(6.0, round(0.5 * over)), over, ear_words.word_at(hz), text)]


def contrast_of(found: Sharing, at: int) -> NDArray[np.float64]:
    """Contrast of a source over the third octaves."""
    playing = found.scene.weight[at].any(axis=1)
    return _contrast(found.scene.power[at][playing] if playing.any() else found.scene.power[at])


def _contrast(power: NDArray[np.float32]) -> NDArray[np.float64]:
    """NaN where there is next to nothing: what differs there are the notes."""
    levels = ear_words.third_octaves(power)
    return np.where(levels > levels.max() - SUBSTANCE_DB, ear_words.contrast(levels), np.nan)


def _peaks(values: NDArray[np.float64], least: float) -> list[int]:
    filled = np.nan_to_num(values, nan=-99.0)
    return [
        i for i in range(1, len(filled) - 1)
        if filled[i] >= least and filled[i] >= filled[i - 1] and filled[i] > filled[i + 1]
    ]  # fmt: skip


def _on_others(look: Look, found: Sharing, at: int, lane_id: str) -> list[Place]:
    """Where it hides something that matters at least as much, zone by zone."""
    weight = importance(look.session)
    own = weight[found.units[at].id]
    told = []
    for pair in pairs(look):
        victim = found.units[pair.victim]
        if pair.masker != at or weight[victim.id] < own:
            continue
        zone = int(np.argmax(pair.there))
        if pair.there[zone] >= LIES_ON:
            low, high = zones.EDGES_HZ[zone : zone + 2]
            text = (
                f"Lies on {victim.name} in the {zones.NAMES[zone]} ({number(low, 0)} to {number(high, 0)} Hz): masks "
                f"{number(100.0 * pair.there[zone], 0)} % of it"
            )
            size = DB_PER_HIDDEN * pair.there[zone]
            told.append(Place(lane_id, "lies on", float(np.sqrt(low * high)), 1.0, CUT_DB, size, "", text))
    return sorted(told, key=lambda place: -place.size_db)[:MOST_LYING]


def _on_the_bass(found: Sharing, at: int, lane_id: str) -> list[Place]:
    """Where something that is no bass has a bottom of its own in the bass's place."""
    if is_low_end(found.units[at].role) or family_of(found.units[at].role) in ("drums", "percussion"):
        return []
    centres = masking.centres_hz()
    told = []
    basses = [index for index, unit in enumerate(found.units) if family_of(unit.role) == "bass"]
    basses.sort(key=lambda index: -float(found.scene.power[index].sum(dtype=np.float64)))
    for index in basses[:1]:
        unit = found.units[index]
        zone = home(found.scene.power[index]) & (centres < BASS_PLACE_HZ)
        own = found.scene.power[at][:, zone].sum(axis=1, dtype=np.float64)
        bass = found.scene.power[index][:, zone].sum(axis=1, dtype=np.float64)
        both = found.scene.weight[at][:, zone].any(axis=1) & (bass > 0.0)
        if not zone.any() or both.mean() < LEAST_TOGETHER:
            continue
        beside_db = 10.0 * float(np.log10(max(float(own[both].sum()), 1e-20) / float(bass[both].sum())))
        if beside_db >= ON_BASS_DB:
            low, high = centres[zone][[0, -1]]
            strongest = float(centres[zone][int(np.argmax(found.scene.power[at][both][:, zone].sum(axis=0)))])
            text = (
                f"Has a bottom of its own on {unit.name} ({number(low, 0)} to {number(high, 0)} Hz), "
                f"{number(abs(beside_db), 0)} dB {'under' if beside_db < 0.0 else 'over'} it"
            )
            told.append(Place(lane_id, "lies on", strongest, 0.7, CUT_DB, beside_db - ON_BASS_DB + 3.0, "", text))
    return told
