"""Sessions for the proof of rides: leads in which phrases were planted too soft or too loud, over kinds of backing.

Each lead is made twice, as it is and with phrases moved; what is right is read from the first. Leads: the demo's own
melody, phrases played by a sound bank of recorded instruments (Debian's `timgm6mb-soundfont`, played dry by
FluidSynth), and sentences of a synthesiser (Debian's `espeak-ng`) with breaths before some. Backing: generated
tunes and ten genres of the bank.
"""

import tempfile
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from all_even import stages
from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import STEMS, render_stem
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.rides import rides
from all_even.figures.song import SONG
from all_even.measure.rides import phrases, riding
from all_even.measure.rides.phrases import Spans
from all_even.moves import making
from all_even.moves.rides import phrases as moves
from all_even.session.editing import curves
from tests.moves.looks import look_at, make, result_of
from tests.proof import sampled, share_runs
from tests.proof.speech import say

RATE = 48_000
BARS = 20
BACKING = ("01_KIK IN.wav", "SnTop_01.wav", "BASS_DI.wav", "eGtr1.wav", "Accordion ST.wav", "harmonium take2.wav")
LEAD = "LD VOX comp.wav"
PLANTED_DB = (-7.0, -5.0, 5.0)
PHRASES = 12
FEWEST = 6
STEP_DB, EVEN_DB = 5.0, 1.0
OVER_BACKING_DB = -6.0
BREATH_DB, BREATH_S, BREATH_BEFORE_S = -20.0, 0.25, 0.45
VOICES = {"el": "el", "hu": "hu+f2", "fi": "fi+m3", "ro": "ro+f3", "sv": "sv"}
"""Languages that no rule was looked at with."""
SENTENCES = (
    "Al mare doma", "Lunga nava", "Mano a mano", "Una lana morena", "Dale alma", "Nebo dome", "Rana nova vela",
    "Malo more", "Vena lume", "Domani lana", "Nora dorme", "Ave luna mia",
)  # fmt: skip
"""Words of our own, as every voice can say them."""
PROGRAMS = (56, 65, 71, 73, 40, 68, 59, 66, 64, 57)
"""Winds and a violin. The bank's choirs sound on for as long as a gap: their phrases can't be told apart."""


@dataclass
class Run:
    """One planted lead of so many phrases. steps: those off by 5 dB or more; ridden: of them the right way by 3. even:
    phrases off by less than 1 dB, and of them ridden. spread_db: of the relation before and after; hidden: of the worst
    phrase. promise, found: of the move. breaths_db: (what came of each breath, rides of its two neighbours)."""

    name: str
    phrases: int = 0
    steps: int = 0
    ridden: int = 0
    even: int = 0
    falsely: int = 0
    spread_db: tuple[float, float] = (0.0, 0.0)
    hidden: tuple[float, float] = (0.0, 0.0)
    promised_db: float | None = None
    found_db: float | None = None
    breaths_db: list[tuple[float, float, float]] = field(default_factory=list)


def run_one(wanted: tuple[str, str]) -> Run:
    """what, which: `tune` by its seed, `genre` by its name, `speech` by its language."""
    what, which = wanted
    rng = np.random.default_rng(sum(f"{what} {which}".encode()))
    with tempfile.TemporaryDirectory(prefix="all-even-proof-") as made:
        home = Path(made)
        backing, lead, spans, breaths = _sounds(what, which, rng, home)
        if len(spans) < FEWEST:  # sung without a gap: there is nothing to plant
            return Run(f"{what} {which}")
        planted = plant(len(spans), rng)
        length = len(lead)
        tiled = {name: np.resize(sound, length) for name, sound in backing.items()}
        level = np.sqrt(np.mean(sum(tiled.values()) ** 2))
        own = np.sqrt(np.mean(lead[np.abs(lead) > 1e-3] ** 2))
        lead = lead * level / own * 10.0 ** (OVER_BACKING_DB / 20.0)
        looks = []
        for name, sound in (("as it is", lead), ("planted", moved(lead, spans, planted))):
            folder = home / name
            folder.mkdir()
            for part, other in tiled.items():
                soundfile.write(folder / part, other, RATE, subtype="FLOAT")
            soundfile.write(folder / "Lead vox.wav", sound, RATE, subtype="FLOAT")
            looks.append(look_at(folder, Pages()))
        return judged(f"{what} {which}", looks[0], looks[1], spans, breaths)


def _sounds(
    what: str, which: str, rng: np.random.Generator, home: Path
) -> tuple[dict[str, np.ndarray], np.ndarray, Spans, list[float]]:  # fmt: skip
    """(backing by file name, lead, its phrases, where breaths begin)."""
    if what == "genre":
        folder = home / "bank"
        folder.mkdir()
        share_runs.genre(folder, which)
        backing = {
            path.name: soundfile.read(path)[0] for path in sorted(folder.glob("*.wav")) if "Lead" not in path.name
        }
        backing = _whole(backing)
        program = PROGRAMS[list(share_runs.GENRES).index(which) % len(PROGRAMS)]
        return backing, *bank_phrases(program, rng, folder), []
    seed = int(which) if what == "tune" else 300 + sum(which.encode()) % 50
    score = make_score(seed, bars=BARS)
    score = replace(score, faults=replace(score.faults, low_phrase_db=0.0))
    studio = Studio(score)
    stems = {stem.file: stem for stem in STEMS}
    backing = {name: _mono(render_stem(stems[name], studio), stems[name].sample_rate) for name in BACKING}
    if what == "tune":
        lead = _mono(render_stem(stems[LEAD], studio), stems[LEAD].sample_rate)
        return backing, lead, islands(lead), []
    lead, plain, breaths = spoken(VOICES[which], rng)
    return backing, lead, islands(plain), breaths


def _whole(backing: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
    """As long as all of it plays: what is repeated has no hole where it begins anew."""
    length = max(len(sound) for sound in backing.values())
    padded = {name: np.pad(sound, (0, length - len(sound))) for name, sound in backing.items()}
    hop = RATE // 5
    power = sum((sound[: length // hop * hop].reshape(-1, hop) ** 2).mean(axis=1) for sound in padded.values())
    loud = np.flatnonzero(power > 0.1 * np.median(power))
    return {name: sound[loud[0] * hop : (loud[-1] + 1) * hop] for name, sound in padded.items()}


def _mono(sound: np.ndarray, rate: int) -> np.ndarray:
    flat = sound if sound.ndim == 1 else sound.mean(axis=1)
    return flat if rate == RATE else scipy.signal.resample_poly(flat, RATE, rate)


def bank_phrases(program: int, rng: np.random.Generator, folder: Path) -> tuple[np.ndarray, Spans]:
    """Twelve phrases of a few notes in a row, all played alike, with gaps between them; and where they lie."""
    events, spans, at = [], [], 0.5
    for _ in range(PHRASES):
        begin = at
        for note in rng.choice([60, 62, 63, 65, 67, 68, 70], size=int(rng.integers(3, 6)), replace=False):
            length = float(rng.uniform(0.3, 0.5))
            events.append(sampled.Event(at, int(note) + 4, 96, length))
            at += length
        spans.append((begin, at))
        at += float(rng.uniform(0.6, 1.0))
    sound = sampled.play(events, folder, program=program, drums=False)
    starts, ends = np.array(spans).T
    return (sound if sound.ndim == 1 else sound.mean(axis=1)), Spans(starts, ends)


def spoken(voice: str, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, list[float]]:
    """Twelve short sentences, each as loud as the others, with and without a breath before every second one; and where
    the breaths begin."""
    parts, plain, breaths, at = [np.zeros(RATE // 2)], [np.zeros(RATE // 2)], [], 0.5
    air = scipy.signal.sosfilt(
        scipy.signal.butter(2, (900.0, 6000.0), "bandpass", fs=RATE, output="sos"), rng.standard_normal(RATE)
    )
    for index in range(PHRASES):
        said = say(
            SENTENCES[index], voice, words_per_minute=int(rng.integers(120, 150)), pitch=int(rng.integers(35, 60))
        )
        sound = scipy.signal.resample_poly(said.sound, RATE, said.rate)
        heard = np.flatnonzero(np.abs(sound) > 0.02 * np.abs(sound).max())
        sound = sound[heard[0] : heard[-1] + 1]
        sound = 0.1 * sound / np.sqrt(np.mean(sound**2))
        gap = np.zeros(round(float(rng.uniform(0.7, 1.0)) * RATE))
        plain += [gap.copy(), sound]
        if index % 2:
            window = np.hanning(round(BREATH_S * RATE))
            breath = window * air[: len(window)] / np.std(air) * 0.1 * 10.0 ** (BREATH_DB / 20.0)
            first = len(gap) - round(BREATH_BEFORE_S * RATE)
            gap[first : first + len(breath)] += breath
            breaths.append(at + first / RATE)
        parts += [gap, sound]
        at += (len(gap) + len(sound)) / RATE
    end = [np.zeros(RATE)]
    return np.concatenate([*parts, *end]), np.concatenate([*plain, *end]), breaths


def islands(lead: np.ndarray) -> Spans:
    """Phrases of a clean lead: within 35 dB of its loudest, a tenth of a second apart."""
    hop = RATE // 100
    power = np.convolve((lead[: len(lead) // hop * hop].reshape(-1, hop) ** 2).mean(axis=1), np.ones(5) / 5, "same")
    loud = power > power.max() * 10.0 ** (-35.0 / 10.0)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], loud.astype(int), [0]))))
    joined: list[list[float]] = []
    for start, stop in zip(edges[::2] / 100.0, edges[1::2] / 100.0, strict=True):
        if joined and start - joined[-1][1] < 0.1:
            joined[-1][1] = stop
        else:
            joined.append([start, stop])
    kept = [(start, stop) for start, stop in joined if stop - start > 0.3]
    return Spans(np.array([start for start, _ in kept]), np.array([stop for _, stop in kept]))


def plant(count: int, rng: np.random.Generator) -> np.ndarray:
    """A quarter of the phrases off, never the first; the others within half a decibel."""
    off = rng.uniform(-0.5, 0.5, count)
    chosen = rng.choice(np.arange(1, count), size=max(1, round(0.25 * count)), replace=False)
    for index, place in enumerate(chosen):
        off[place] = PLANTED_DB[index % len(PLANTED_DB)]
    return off


def moved(lead: np.ndarray, spans: Spans, off_db: np.ndarray) -> np.ndarray:
    """Each phrase up or down, turned in the middle of the gaps; a breath goes with the phrase behind it."""
    turns = np.concatenate(([0.0], np.maximum(spans.ends_s[:-1] + 0.05, spans.starts_s[1:] - 0.6), [len(lead) / RATE]))
    gain = np.ones(len(lead))
    for first, last, off in zip(turns[:-1], turns[1:], off_db, strict=True):
        gain[round(first * RATE) : round(last * RATE)] = 10.0 ** (off / 20.0)
    return lead * gain


def judged(name: str, clean: Look, planted: Look, spans: Spans, breaths: list[float]) -> Run:
    run = Run(name, len(spans))
    lane_id = _lead(planted)
    relation, section = _relation(clean, _lead(clean), spans)
    centre = riding.centres_db(relation, section)
    now, _ = _relation(planted, lane_id, spans)
    needed = centre - now
    proposed = [
        item for item in making.propose(planted, [stages.kinds()["rides.phrases"]]) if item.targets == (lane_id,)
    ]
    by = np.zeros(len(spans))
    after = planted
    if proposed:
        starts, ends, units = moves.rides_of(proposed[0])
        by = np.array(
            [_of_phrase(a, b, starts, ends, units) for a, b in zip(spans.starts_s, spans.ends_s, strict=True)]
        )
        after = make(planted, proposed[0])
        run.promised_db, run.found_db = proposed[0].expected, result_of(after)
    steps, even = np.abs(needed) >= STEP_DB, np.abs(needed) < EVEN_DB
    run.steps, run.even = int(steps.sum()), int(even.sum())
    run.ridden = int((steps & (np.sign(by) == np.sign(needed)) & (np.abs(by) >= 3.0)).sum())
    run.falsely = int((even & (np.abs(by) >= 1.0)).sum())
    then, _ = _relation(after, lane_id, spans)
    run.spread_db = tuple(float(np.ptp(np.percentile(item - centre, (10, 90)))) for item in (now, then))  # type: ignore[assignment]
    worst = [float(rides.hidden_of(look, lane_id, spans).max()) for look in (planted, after)]
    run.hidden = (worst[0], worst[1])
    for begin in breaths:
        run.breaths_db.append(_breath(after, lane_id, begin, spans, by))
    return run


def _lead(look: Look) -> str:
    return next(lane.id for lane in look.session.lanes if lane.file.startswith("Lead"))


def _relation(look: Look, lane_id: str, spans: Spans) -> tuple[np.ndarray, np.ndarray]:
    found = rides.levels(look)
    place = found.place(lane_id)
    assert place is not None
    own = found.power[place].astype(float)
    relation = riding.relations_db(own, found.backing(place), found.frame_s, spans.starts_s, spans.ends_s)
    starts = np.array([section.start_s for section in look.get(SONG).sections])
    middle = 0.5 * (spans.starts_s + spans.ends_s)
    return relation, np.searchsorted(starts, middle, side="right") - 1


def _of_phrase(start_s: float, end_s: float, starts: np.ndarray, ends: np.ndarray, by: np.ndarray) -> float:
    """The mean ride over a phrase, by the time its units take."""
    both = np.maximum(0.0, np.minimum(ends, end_s) - np.maximum(starts, start_s))
    return float((both * by).sum() / both.sum()) if both.sum() > 0.0 else 0.0


def _breath(look: Look, lane_id: str, begin_s: float, spans: Spans, by: np.ndarray) -> tuple[float, float, float]:
    """(how far a breath was moved at most, rides of the phrases before and behind it)."""
    item = next((one for one in look.session.lane(lane_id).automation if one.parameter == "level_db"), None)
    curve = [(point.time_s, point.value) for point in item.points] if item is not None else []
    rest = look.session.lane(lane_id).level_db
    times = np.linspace(begin_s, begin_s + BREATH_S, 20)
    change = curves.values_at(curve, times, rest) - rest
    behind = int(np.searchsorted(spans.starts_s, begin_s))
    before, after = (float(by[index]) if 0 <= index < len(by) else 0.0 for index in (behind - 1, behind))
    return float(change.max()), before, after


def words_found(language: str) -> tuple[int, int, int]:
    """(phrases said, of them begun within 0.15 s by a word, breaths taken for words)."""
    rng = np.random.default_rng(sum(f"speech {language}".encode()))
    lead, plain, breaths = spoken(VOICES[language], rng)
    truth = islands(plain)
    found = phrases.find_words(phrases.course_of(lead[:, np.newaxis], RATE))
    hit = sum(bool(np.any(np.abs(found.starts_s - start_s) < 0.15)) for start_s in truth.starts_s)
    middles = 0.5 * (found.starts_s + found.ends_s)
    wrong = sum(bool(np.any((middles > at) & (middles < at + BREATH_S))) for at in breaths)
    return len(truth), hit, wrong
