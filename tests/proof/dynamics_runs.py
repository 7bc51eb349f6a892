"""Sessions for the proof of dynamics, and what every move of the stage does to one: made in processes of their own.

Generated tunes (six of the demo's parts), ten genres of a sound bank of recorded instruments (Debian's
`timgm6mb-soundfont`, played dry by FluidSynth), and speech of a synthesiser that tells when each sound begins
(Debian's `espeak-ng`). Each move is made, and measured again on the rendered session.
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
from all_even.figures.dynamics import dynamics
from all_even.measure.dynamics import sibilants
from all_even.measure.dynamics.side_effects import SideEffects, between, pump_db
from all_even.moves import making
from all_even.moves.dynamics import gentle, glue
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import MIX
from tests.moves.looks import look_at, make, result_of
from tests.proof import share_runs
from tests.proof.speech import say

BARS = 6
PARTS = ("01_KIK IN.wav", "SnTop_01.wav", "BASS_DI.wav", "Clar(1).wav", "LD VOX comp.wav", "crew vox 1.wav")
KINDS = (
    "dynamics.even-out", "dynamics.even-out-twice", "dynamics.peaks", "dynamics.peaks-fast", "dynamics.attack",
    "dynamics.attack-compressor", "dynamics.sustain", "dynamics.sustain-compressor", "dynamics.gate",
    "dynamics.breaths", "dynamics.sibilants", "dynamics.parallel", "dynamics.glue", "dynamics.hold-low",
    "dynamics.three-bands",
)  # fmt: skip
SAYINGS = {
    "nl": "Zes kleine zusjes zitten stil in de zon. Niemand spreekt, alleen de rivier ruist zacht. Morgen zien we zee.",
    "es": "Seis pasos suaves cruzan la plaza sin prisa. Nadie responde, solo suena el viento. Despues llega la noche.",
    "pl": "Szesc cichych statkow sunie przez mglisty las. Nikt nie slyszy, tylko deszcz szumi. Jutro bedzie jasno.",
    "pt": "Sete passaros sobem sem pressa. Ninguem escuta, so o sino soa ao longe. Depois cai a noite sobre a casa.",
    "cs": "Sest tichych lodi pluje skrz mlhu. Nikdo se nesmeje, jen vitr susti v lese. Zitra zase vyjde slunce.",
}
"""Sentences of our own, in languages that no rule was looked at with."""
VOICES = ("", "+f2", "+m3")
PAUSE_S = 0.45


@dataclass
class Outcome:
    """One move: what it promised and what came. side: what the strip's dynamics do besides, as measured."""

    kind: str
    name: str
    before: float | None
    expected: float | None
    after: float | None
    tolerance: float
    aim: float | None = None
    side: SideEffects | None = None


@dataclass
class Run:
    """One session. unmoved: lines that are even already, and for how many of them something was proposed."""

    name: str
    outcomes: list[Outcome] = field(default_factory=list)
    even_lines: int = 0
    even_lines_moved: int = 0
    pad_swing_db: float | None = None
    """Of a steady pad under the glue that fits the mix."""
    sibilants: tuple[int, int, int, int] | None = None
    """Of speech: true ones, those found, what was found, those right."""


def tune(folder: Path, seed: int) -> Path:
    studio = Studio(make_score(seed, bars=BARS))
    for stem in STEMS:
        if stem.file in PARTS:
            soundfile.write(folder / stem.file, render_stem(stem, studio), stem.sample_rate, subtype="PCM_24")
    return folder


def speech(folder: Path, language: str) -> Path:
    """Three voices of a language; phrases at three levels, so that they are uneven."""
    for number, variant in enumerate(VOICES):
        said = say(SAYINGS[language], language + variant, words_per_minute=130 + 10 * number, pitch=40 + 10 * number)
        sound = said.sound * phrase_gains(said.sound, said.rate, number)
        soundfile.write(folder / f"Voice {number + 1}.wav", 0.5 * sound / np.abs(sound).max(), said.rate)
    return folder


def phrase_gains(sound: np.ndarray, rate: int, seed: int) -> np.ndarray:
    """Words up and down by some decibels, turned where it is quiet."""
    rng = np.random.default_rng(seed)
    hop = rate // 50
    level = np.sqrt(np.convolve(sound**2, np.ones(hop) / hop, "same"))
    quiet = np.flatnonzero(np.diff((level < 0.02 * level.max()).astype(int)) == 1)
    gains = np.zeros(len(sound))
    for start, stop in zip(np.concatenate(([0], quiet)), np.concatenate((quiet, [len(sound)])), strict=True):
        gains[start:stop] = rng.uniform(-7.0, 5.0)
    return 10.0 ** (gains / 20.0)


def run_one(wanted: tuple[str, str]) -> Run:
    """what, which: a tune by its seed, a genre, speech of a language, or a folder that is there."""
    what, which = wanted
    with tempfile.TemporaryDirectory(prefix="all-even-proof-") as made:
        folder = Path(made)
        match what:
            case "tune":
                tune(folder, int(which))
            case "genre":
                share_runs.genre(folder, which)
            case "speech":
                speech(folder, which)
            case _:
                folder = Path(which)
        look = look_at(folder, Pages())
        run = Run(f"{what} {Path(which).name}")
        if what == "speech":
            run.sibilants = found_sibilants(which)
        for kind_id in KINDS:
            for move in making.propose(look, [stages.kinds()[kind_id]]):
                run.outcomes.append(outcome(look, move))
        _even_lines(look, run)
        run.pad_swing_db = pad_swing_db(look)
        return run


def outcome(look: Look, move: Proposal) -> Outcome:
    """A move, made and measured again."""
    after = make(look, move)
    strip_id = move.targets[0]
    one = len(move.targets) == 1 and move.kind != "dynamics.parallel"
    moved = dynamics.moving(after, strip_id) if one else None
    aim = move.parameters.get("aim")
    return Outcome(
        move.kind, move.title, move.before, move.expected, result_of(after), move.tolerance,
        float(aim) if isinstance(aim, float) else None, moved.side if moved is not None else None,
    )  # fmt: skip


def _even_lines(look: Look, run: Run) -> None:
    """Lines under the limit, and whether they were left alone."""
    proposed = {move.targets[0] for move in making.propose(look, [stages.kinds()["dynamics.even-out"]])}
    for lane in look.session.lanes:
        found = dynamics.outline(look, lane.id)
        spread = found.units.spread_db if found is not None and not found.hits_s else None
        if spread is not None and spread < look.session.settings.uneven_over_db:
            run.even_lines += 1
            run.even_lines_moved += lane.id in proposed


def pad_swing_db(look: Look) -> float | None:
    """Swing of a steady pad from hit to hit (levels of 50 ms), put through the gain that the fitted glue applies."""
    found = dynamics.part(look, MIX)
    if found is None or len(found.hits_s) < gentle.FEWEST_HITS:
        return None
    station = glue.fit_of(look, MIX).station
    gains = gentle.gains_of(found, station)
    pad = 10.0 ** (gains / 20.0)
    levels = 10.0 * np.log10(np.convolve(pad**2, np.ones(5) / 5.0, "same"))
    return pump_db(levels, between(found.hits_s))


def found_sibilants(language: str) -> tuple[int, int, int, int]:
    """(true, of them found, found, of them right) over the three voices."""
    counts = np.zeros(4, dtype=int)
    for number, variant in enumerate(VOICES):
        said = say(SAYINGS[language], language + variant, words_per_minute=130 + 10 * number, pitch=40 + 10 * number)
        found = sibilants.find_sibilants(said.sound[:, np.newaxis], said.rate)
        loud = found.over_db > np.percentile(found.over_db, 90) - 12.0
        spans = list(zip(found.starts_s[loud], found.ends_s[loud], strict=True))

        def meets(a: tuple[float, float], b: tuple[float, float]) -> bool:
            """Whether they overlap by a third of the first."""
            return min(a[1], b[1]) - max(a[0], b[0]) > 0.3 * (a[1] - a[0])

        truth = said.sibilants
        counts += (
            len(truth), sum(any(meets(one, span) for span in spans) for one in truth), len(spans),
            sum(any(meets(span, one) for one in truth) for span in spans),
        )  # fmt: skip
    return tuple(int(count) for count in counts)  # type: ignore[return-value]
