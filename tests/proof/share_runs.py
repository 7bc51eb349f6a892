"""Sessions for the proof of sharing, and what the stage's moves do to one: made in processes of their own.

Generated tunes (sixteen of the demo's parts), ten genres and ten sparse trios of a sound bank of recorded instruments
(Debian's `timgm6mb-soundfont`, played dry by FluidSynth). All sources are made equally loud from what their files
measure, so that nothing is won by faders; then placed, thinned out, and shaped, each rendered and measured again.
"""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile

from all_even import stages
from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import STEMS, render_stem
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.sharing import sharing
from all_even.measure.sharing.partial_loudness import partial_loudness
from all_even.measure.sharing.scene import Trial, home
from all_even.moves import making
from all_even.moves.kind import per_strip
from all_even.moves.share import bands, search
from all_even.moves.share.figures import bottom
from all_even.session.editing import edits
from tests.moves.looks import look_at
from tests.proof import sampled

BARS = 6
PARTS = (
    "01_KIK IN.wav", "SnTop_01.wav", "HH.wav", "BASS_DI.wav", "eGtr1.wav", "gtr 2 pick_03.wav", "MANDO.wav",
    "Accordion ST.wav", "harmonium take2.wav", "Clar(1).wav", "bari.wav", "tbn_take 3.wav", "Vla.wav",
    "LD VOX comp.wav", "crew vox 1.wav", "scratch vox.wav",
)  # fmt: skip
RANDOM_SETS, RANDOM_FRAMES = 50, 0.15
EVEN_LUFS = -26.0
GENRES: dict[str, tuple[tuple[str, int, str], ...]] = {
    "soul": (("Bass", 33, "line"), ("Electric piano", 4, "chords"), ("Electric guitar", 27, "stabs"),
             ("Organ", 16, "chords"), ("Trumpet", 56, "stabs"), ("Trombone", 57, "stabs"), ("Alto sax", 65, "melody"),
             ("Lead vox", 54, "melody")),
    "rock": (("Bass", 34, "line"), ("Electric guitar L", 29, "chords"), ("Electric guitar R", 30, "chords"),
             ("Guitar lead", 29, "melody"), ("Organ", 18, "chords"), ("Lead vox", 53, "melody")),
    "latin": (("Bass", 32, "line"), ("Piano", 0, "stabs"), ("Nylon guitar", 24, "stabs"), ("Trumpet 1", 56, "melody"),
              ("Trumpet 2", 56, "stabs"), ("Flute", 73, "melody"), ("Lead vox", 52, "melody")),
    "metal": (("Bass", 34, "line"), ("Electric guitar L", 30, "chords"), ("Electric guitar R", 30, "chords"),
              ("Guitar lead", 30, "melody"), ("Strings", 48, "chords"), ("Lead vox", 54, "melody")),
    "folk": (("Double bass", 32, "line"), ("Acoustic guitar", 25, "chords"), ("Banjo", 105, "stabs"),
             ("Violin", 40, "melody"), ("Mandolin", 25, "stabs"), ("Lead vox", 53, "melody")),
    "brass band": (("Tuba", 58, "line"), ("Trombone 1", 57, "stabs"), ("Trombone 2", 57, "chords"),
                   ("Horn", 60, "chords"), ("Trumpet 1", 56, "melody"), ("Trumpet 2", 56, "stabs")),
    "chamber": (("Cello", 42, "line"), ("Viola", 41, "chords"), ("Violin 1", 40, "melody"), ("Violin 2", 40, "stabs"),
                ("Clarinet", 71, "melody"), ("Oboe", 68, "melody")),
    "synth pop": (("Synth bass", 38, "line"), ("Pad", 89, "chords"), ("Synth", 81, "melody"), ("Keys", 80, "stabs"),
                  ("Strings", 50, "chords"), ("Lead vox", 54, "melody")),
    "ballad": (("Bass", 33, "line"), ("Piano", 0, "chords"), ("Strings", 48, "chords"),
               ("Acoustic guitar", 25, "stabs"), ("Backing vox", 52, "chords"), ("Lead vox", 53, "melody")),
    "jazz": (("Double bass", 32, "line"), ("Piano", 0, "stabs"), ("Electric guitar", 26, "chords"),
             ("Tenor sax", 66, "melody"), ("Trumpet", 59, "melody"), ("Trombone", 57, "stabs")),
}  # fmt: skip
WITHOUT_DRUMS = frozenset({"chamber", "brass band"})
SCALE = (0, 2, 3, 5, 7, 8, 10)
ROOTS = (0, 5, 3, 7)


@dataclass
class Run:
    """One session. shares of the sources that are still there at the end, weighted: hidden in all, in one ear, before
    loudspeakers; at the start, placed, thinned out, shaped. None of `shaped` where no set was proposed."""

    name: str
    sources: int
    alike_at_one_place: bool
    ear: list[float] = field(default_factory=list)
    speakers: list[float] = field(default_factory=list)
    hidden_before: float = 0.0
    hidden_after: float | None = None
    expected: float = 0.0
    worst_prediction: float = 0.0
    bands: int = 0
    loudness: dict[str, float] = field(default_factory=dict)
    """Partial loudness of each source after the set against before."""
    mix_change_lu: float = 0.0
    most_db: float = 0.0
    most_home_db: float = 0.0
    own_fall: float = 0.0
    random_falls: list[float] = field(default_factory=list)
    offered: list[str] = field(default_factory=list)


def tune(folder: Path, seed: int) -> Path:
    studio = Studio(make_score(seed, bars=BARS))
    for stem in STEMS:
        if stem.file in PARTS:
            soundfile.write(folder / stem.file, render_stem(stem, studio), stem.sample_rate, subtype="PCM_24")
    return folder


def genre(folder: Path, name: str) -> Path:
    """About twelve seconds, bars of four chords."""
    rng = np.random.default_rng(sum(name.encode()))
    bpm = float(rng.uniform(84.0, 140.0))
    beat = 60.0 / bpm
    bars = max(4, round(12.0 / (4 * beat)))
    for part, program, how in GENRES[name]:
        events = played(rng, how, beat, bars, program)
        sound = sampled.play(events, folder, program=program, drums=False)
        soundfile.write(folder / f"{part}.wav", sound, sampled.RATE, subtype="PCM_24")
    if name not in WITHOUT_DRUMS:
        steps = {"Kick": (36, (0, 8, 10)), "Snare": (38, (4, 12)), "HH": (42, tuple(range(0, 16, 2)))}
        for part, (note, places) in steps.items():
            events = [sampled.Event(0.25 + (4 * bar + place / 4) * beat, note, int(rng.integers(80, 115)))
                      for bar in range(bars) for place in places]  # fmt: skip
            sound = sampled.play(events, folder, program=0, drums=True)
            soundfile.write(folder / f"{part}.wav", sound, sampled.RATE, subtype="PCM_24")
    return _without_scraps(folder)


def played(rng: np.random.Generator, how: str, beat: float, bars: int, program: int) -> list[sampled.Event]:
    """A part of a kind over the chords."""
    found = []
    low = {"line": 36, "chords": 55, "stabs": 60, "melody": 64}[how] + (5 if program in (56, 73, 40) else 0)
    for bar in range(bars):
        root, at = ROOTS[bar % 4], 0.25 + 4 * bar * beat
        match how:
            case "chords":
                found += [sampled.Event(at, low + root + step, 90, 3.8 * beat) for step in (0, 3, 7)]
            case "stabs":
                places = rng.choice([0, 1, 1.5, 2, 2.5, 3, 3.5], size=3, replace=False)
                found += [sampled.Event(at + place * beat, low + root + step, 95, 0.4 * beat)
                          for place in sorted(places) for step in (0, 3, 7)]  # fmt: skip
            case "line":
                found += [sampled.Event(at + place * beat, low + root + int(rng.choice([0, 0, 7, 12])), 100, 0.9 * beat)
                          for place in range(4)]  # fmt: skip
            case _:
                for place in np.arange(0.0, 4.0, 0.5):
                    if rng.random() < 0.7:
                        note = low + root + SCALE[int(rng.integers(len(SCALE)))]
                        found.append(sampled.Event(at + place * beat, note, 100, 0.45 * beat))
    return found


def trio(folder: Path, seed: int) -> Path:
    """A low bass, a high flute or bell, and a hat: three parts of the spectrum."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / float(rng.uniform(80.0, 130.0))
    bass = [sampled.Event(0.25 + 2 * i * beat, int(rng.integers(28, 38)), 95, 1.6 * beat) for i in range(9)]
    program, name = ((73, "Flute"), (9, "Glockenspiel"), (72, "Piccolo"))[seed % 3]
    high = [sampled.Event(0.25 + (2 * i + 1) * beat, int(rng.integers(86, 96)), 90, 0.8 * beat) for i in range(9)]
    hats = [sampled.Event(0.25 + 2 * (i + 0.5) * beat, 42, 90) for i in range(9)]
    for part, events, number, drums in (("Double bass", bass, 32, False), (name, high, program, False),
                                        ("HH", hats, 0, True)):  # fmt: skip
        sound = sampled.play(events, folder, program=number, drums=drums)
        soundfile.write(folder / f"{part}.wav", sound, sampled.RATE, subtype="PCM_24")
    return _without_scraps(folder)


def _without_scraps(folder: Path) -> Path:
    for scrap in ("part.mid", "part.wav"):
        (folder / scrap).unlink(missing_ok=True)
    return folder


def evenly_loud(look: Look) -> Look:
    """Every lane as loud as the others, from what its file measures."""
    levels = {}
    for lane in look.session.lanes:
        measures = look.measures(lane.id)
        if measures is not None and measures.integrated_lufs is not None:
            levels[lane.id] = float(np.clip(EVEN_LUFS - measures.integrated_lufs, -40.0, 12.0))
    return look.at(edits.set_levels(look.session, levels))


def run(kind: str, which: str) -> Run:
    """One session from its sounds to its last figure; kind: tune, genre, trio, or a folder that is there."""
    with tempfile.TemporaryDirectory(prefix="share-") as temporary:
        folder = Path(temporary)
        if kind == "tune":
            tune(folder, int(which))
        elif kind == "genre":
            genre(folder, which)
        elif kind == "trio":
            trio(folder, int(which))
        else:
            folder = Path(which)
        return judged(evenly_loud(look_at(folder, Pages())), f"{kind} {which}")


def run_one(wanted: tuple[str, str]) -> Run:
    return run(*wanted)


def judged(look: Look, name: str) -> Run:
    parts = stages.stage("share").moves()
    found = sharing.sharing(look)
    assert found is not None
    told = Run(name, len(found.units), False)
    if name.startswith("trio"):
        told.offered = [move.id for move in making.propose(look, (*parts.kinds, *parts.also))]
        told.hidden_before = found.mean
        return told
    states = [look]
    for move in making.propose(look, [stages.kinds()["balance.spread"]]):
        told.alike_at_one_place = True
        look = look.at(making.made(look.session, stages.kinds()[move.kind], move))
    states.append(look)
    for move in making.propose(look, [stages.kinds()["share.thin"]])[:1]:
        look = look.at(making.made(look.session, stages.kinds()[move.kind], move))
    states.append(look)
    before = sharing.sharing(look)
    assert before is not None
    told.hidden_before = before.mean
    kind = stages.kinds()["share.shape"]
    for move in making.propose(look, [kind]):
        session = making.made(look.session, kind, move)
        after = sharing.sharing(look.at(session))
        assert after is not None
        _shaped(told, look, before, after, move)
        mixes = [state.mix for state in (look, look.at(session))]
        told.mix_change_lu = (mixes[1].integrated_lufs or 0.0) - (mixes[0].integrated_lufs or 0.0)  # type: ignore[union-attr]
        look = look.at(session)
    states.append(look)
    _apart(told, states)
    return told


def _shaped(told: Run, look: Look, before: sharing.Sharing, after: sharing.Sharing, move) -> None:
    its = bands.bands_of(move)
    outputs = per_strip(move, bands.OUTPUTS)
    trial = bands.tried(before, its, outputs)
    told.hidden_after, told.expected = after.mean, move.expected / 100.0
    told.worst_prediction = float(np.nanmax(np.abs(after.shares - trial.shares)))
    told.bands = sum(map(len, its.values()))
    loud = [[partial_loudness(t.spread[i], t.total, before.scene.floor) for i in range(len(before.units))]
            for t in (Trial(before.scene), Trial(after.scene))]  # fmt: skip
    told.loudness = {unit.name: b / a for unit, a, b in zip(before.units, *loud, strict=True) if a > 0.0}
    rate = look.session.sample_rate
    for unit, bells in its.items():
        curve = 10.0 * np.log10(search.gains_of(bells, rate))
        place = before.scene.names.index(unit)
        for moved in (curve, curve + outputs.get(unit, 0.0)):
            told.most_db = max(told.most_db, float(np.abs(moved).max()))
            told.most_home_db = max(told.most_home_db, float(np.abs(moved[home(before.scene.power[place])]).max()))
    few = Trial(before.scene.thinned(RANDOM_FRAMES))
    start = few.mean()
    for unit, bells in its.items():
        place = before.scene.names.index(unit)
        few.put(place, few.kept(place, search.gains_of(bells, rate)))
    told.own_fall = start - few.mean()
    told.random_falls = random_falls(before, [band.gain_db for bells in its.values() for band in bells], guarded(few))


def guarded(trial: Trial) -> float:
    """What the guard counts against a state."""
    rise = np.maximum(0.0, trial.shares - trial.before - 0.02)
    return float(trial.scene.importance @ np.nan_to_num(rise))


def random_falls(found: sharing.Sharing, gains: list[float], allowed: float) -> list[float]:
    """How far as many bands of the same sizes, on random tracks at random places, lower share*: with the same keep,
    home and guard."""
    rng = np.random.default_rng(7)
    scene = found.scene.thinned(RANDOM_FRAMES)
    limits = search.limits_db(found.scene, bottom(found), search.School())
    blank = Trial(scene)
    falls: list[float] = []
    for _ in range(8 * RANDOM_SETS):
        trial = Trial(scene)
        curves: dict[int, np.ndarray] = {}
        for gain in gains:
            for _try in range(40):
                track, atom = int(rng.integers(len(found.units))), int(rng.integers(len(search.ATOMS)))
                signed = float(rng.choice([-1.0, 1.0])) * abs(gain)
                curve = curves.get(track, 1.0) * search.atom_gains(atom, signed, scene.sample_rate)
                if search.inside(curve, blank.kept(track, curve), limits[track]):
                    curves[track] = curve
                    break
        for track, curve in curves.items():
            trial.put(track, trial.kept(track, curve))
        if guarded(trial) <= allowed + 0.002:
            falls.append(blank.mean() - trial.mean())
        if len(falls) == RANDOM_SETS:
            break
    return falls


def _apart(told: Run, states: list[Look]) -> None:
    """Both ways of hearing, over the sources that are there at the end."""
    last = sharing.sharing(states[-1])
    assert last is not None
    names = [unit.id for unit in last.units]
    weight = last.scene.importance
    for state in states:
        found, apart = sharing.sharing(state), sharing.apart(state)
        assert found is not None
        assert apart is not None
        order = [[unit.id for unit in found.units].index(name) for name in names]
        told.ear.append(float(weight @ np.nan_to_num(apart.ear[order])))
        told.speakers.append(float(weight @ np.nan_to_num(apart.loudspeakers[order])))
