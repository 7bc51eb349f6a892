"""Thirty generated tunes, or a share of them, measured once for all proofs; what is judged is kept, files are not.

Detectors were tuned on seeds 0 to 9; what is reported is seeds 100 to 129.
"""

import json
import shutil
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from all_even.demo.score import Score, make_score
from all_even.demo.stems import write_stems
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import FileReport, measure_files
from all_even.measure.recording.pairs import Pair, find_pairs
from all_even.moves.balance import starts
from all_even.session.file.new import inspect_all, new_session, sound_paths
from all_even.session.song.song import Part, Song, find_song, onsets_s
from all_even.session.tracks.roles import guess_role, is_held
from tests.measuring import measure_mix
from tests.proof.draw import drawn
from tests.proof.processes import in_processes

SEEDS = range(100, 130)
BARS = 10
COPY = "SnTop_01 copy.wav"


@dataclass
class Tune:
    """One seed: what is true, what was found, and the sounds that later proofs need, (frames,) at 48 kHz."""

    score: Score
    truth: dict[str, Any]
    reports: dict[str, FileReport]
    kinds: dict[str, set[str]]
    pairs: list[tuple[str, str, Pair]]
    song: Song
    recordings: list[tuple[str, str, set[str]]]
    """Faults of recordings that were planted one by one: (what, the kind it is, the kinds that were told)."""
    spread_lu: float
    mix_peak_dbfs: float
    sounds: dict[str, np.ndarray] = field(repr=False)


def tunes() -> list[Tune]:
    """The tunes that were drawn, in processes of their own."""
    return in_processes(tune, drawn(SEEDS))


def tune(seed: int) -> Tune:
    """Generates, measures and forgets a tune; a copy of a file is planted as a duplicate."""
    with tempfile.TemporaryDirectory(prefix="all-even-proof-") as name:
        folder = Path(name)
        home = write_stems(folder / str(seed), seed=seed, bars=BARS)
        paths = sound_paths(home)
        by_index = dict(measure_files([(path, None) for path in paths]))
        reports = {path.name: by_index[index] for index, path in enumerate(paths)}
        shutil.copy(home / "SnTop_01.wav", home / COPY)
        copies = dict(measure_files([(home / COPY, None)]))
        names = [*reports, COPY]
        found = find_pairs([*reports.values(), copies[0]])
        parts = [
            Part(name, role, report.measures, report.character, onsets_s(role, report.character))
            for name, report in reports.items()
            for role in (guess_role(Path(name).stem),)
        ]
        (home / COPY).unlink()
        sounds = {
            name: soundfile.read(home / name)[0].astype(np.float32)
            for name in ("01_KIK IN.wav", "SnTop_01.wav", "HH.wav", "BASS_DI.wav")
        }
        score = make_score(seed, bars=BARS)
        spread, peak = _made_even(home, paths, by_index)
        return Tune(
            score=score,
            truth=json.loads((home / "truth.json").read_text()),
            reports=reports,
            kinds={
                name: {finding.kind for finding in findings(report, held=is_held(guess_role(Path(name).stem)))}
                for name, report in reports.items()
            },
            pairs=[(names[pair.a], names[pair.b], pair) for pair in found],
            song=find_song(parts),
            spread_lu=spread,
            mix_peak_dbfs=peak,
            recordings=_recordings(home, score, sounds),
            sounds=sounds,
        )


def _recordings(folder: Path, score: Score, sounds: dict[str, np.ndarray]) -> list[tuple[str, str, set[str]]]:
    """One fault of a recording at a time, planted into a bass line, a snare and a hat, at random places."""
    rng = np.random.default_rng(score.seed)
    bass, snare, hat = (sounds[name] for name in ("BASS_DI.wav", "SnTop_01.wav", "HH.wav"))
    longest = max(score.bass[4:-4], key=lambda note: note.length_s)
    middle = round((longest.start_s + 0.5 * longest.length_s) * 48_000)
    hole = bass.copy()
    hole[middle : middle + round(rng.uniform(0.002, 0.02) * 48_000)] = 0.0
    mains = float(rng.choice((50.0, 60.0)))
    time_s = np.arange(len(snare)) / 48_000
    lines = sum(np.sin(2.0 * np.pi * mains * k * time_s + rng.uniform(0, 6)) / k for k in range(1, 6))
    hum = (10.0 ** (rng.uniform(-62.0, -48.0) / 20.0) * lines).astype(np.float32)
    planted = {
        "hole in a bass note": ("dropout", hole),
        f"{mains:.0f} Hz under a snare": ("hum", snare + hum),
        f"{mains:.0f} Hz under a hat": ("hum", hat + hum),
        "bass cut in a note": ("cut_end", bass[:middle]),
        "bass that begins in a note": ("cut_start", bass[middle:]),
        "hat on one side": ("dead_channel", np.stack((hat, np.zeros_like(hat)), axis=1)),
        "hat with a side polarity inverted": ("inverted_channel", np.stack((hat, -0.9 * hat), axis=1)),
    }
    told = []
    for index, (what, (kind, sound)) in enumerate(planted.items()):
        path = folder / f"planted {index}.wav"
        soundfile.write(path, sound, 48_000, subtype="PCM_24")
        report = dict(measure_files([(path, None)]))[0]
        told.append((what, kind, {finding.kind for finding in findings(report, held=False)}))
        path.unlink()
    return told


def _made_even(folder: Path, paths: list[Path], reports: dict[int, FileReport]) -> tuple[float, float]:
    """All even on this material: the spread and the peak that are measured afterwards."""
    infos, _ = inspect_all(paths)
    session = new_session(folder, infos)
    sources = Sources()
    sources.update(session)
    by_lane = {lane.id: reports[index] for index, lane in enumerate(session.lanes)}

    look = Look(session, Book(sources), by_lane)
    (move,) = starts.propose(look)
    move = starts.prepare(look, move)
    after = look.at(starts.edit(session, move))
    # The figures are those of a full render, not of what the book kept.
    measured = measure_mix(make_plan(after.session, sources))
    spread = starts.spread_lu(after)
    assert spread is not None
    assert measured.sample_peak_dbfs is not None
    return spread, measured.sample_peak_dbfs
