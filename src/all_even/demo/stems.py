"""The demo's files: every instrument of a score, with planted faults, as somebody would send them.

`write_stems` writes WAV files and `truth.json`. Names are inconsistent on purpose.
"""

import json
import secrets
import shutil
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soxr

from all_even import outputs, places
from all_even.audio.writing import write_sound
from all_even.demo import instruments as sound
from all_even.demo import parts
from all_even.demo.instruments import SAMPLE_RATE, Signal
from all_even.demo.parts import TAIL_S, Studio
from all_even.demo.score import Score, make_score
from all_even.errors import UserError, short_name, system_reason
from all_even.late import scipy

CLIP_LEVEL = 10.0 ** (-0.3 / 20.0)
LIMIT_LEVEL = 10.0 ** (-1.0 / 20.0)
BREATH_OF_ROOM = 10.0 ** (-78.0 / 20.0)
DEMO_VERSION = 2
TRUTH = outputs.Kind("list of what was planted", (".json",), lambda head: b'"tempo_bpm"' in head)


@dataclass(frozen=True, slots=True)
class Stem:
    """One file: its name, the role it plays, its peak in dBFS, and how to make it, (frames,) or (frames, 2)."""

    file: str
    role: str
    peak_dbfs: float
    make: Callable[[Studio], Signal]
    sample_rate: int = SAMPLE_RATE


STEMS: tuple[Stem, ...] = (
    Stem("01_KIK IN.wav", "kick", -6.5, parts.kick_in),
    Stem("02_kik_out.wav", "kick out", -9.0, parts.kick_out),
    Stem("KICK alt LONG tail.wav", "kick", -7.0, parts.kick_alternative),
    Stem("SnTop_01.wav", "snare top", -5.0, parts.snare_top),
    Stem("snr_btm.wav", "snare bottom", -11.0, parts.snare_bottom),
    Stem("HH.wav", "hi-hat", -14.0, lambda s: s.hats + 0.04 * s.snare),
    Stem("Tom1.wav", "tom", -8.0, lambda s: s.toms[0] + 0.02 * s.snare),
    Stem("FT.wav", "tom", -7.5, lambda s: s.toms[1] + 0.03 * s.kick),
    Stem("OH L.wav", "overhead", -9.5, parts.overhead(0)),
    Stem("OH R.wav", "overhead", -10.5, parts.overhead(1)),
    Stem("tamb crew.wav", "tambourine", -16.0, parts.tambourine),
    Stem("BASS_DI.wav", "bass DI", -8.0, lambda s: s.bass),
    Stem("Bass amp mic.wav", "bass amplifier", -12.0, parts.bass_amplifier),
    Stem("sub syn chorus.wav", "sub bass", -10.0, parts.sub),
    Stem("eGtr1.wav", "electric guitar", -11.0, parts.guitar_chops),
    Stem("gtr 2 pick_03.wav", "electric guitar", -15.0, parts.guitar_picked),
    Stem("MANDO.wav", "mandolin", -9.0, parts.mandolin, sample_rate=44_100),
    Stem("Accordion ST.wav", "accordion", -7.0, parts.accordion),
    Stem("harmonium take2.wav", "harmonium", -13.0, parts.harmonium),
    Stem("Clar(1).wav", "clarinet", -10.0, lambda s: np.repeat(parts.clarinet(s)[:, np.newaxis], 2, axis=1)),
    Stem("bari.wav", "baritone saxophone", -8.5, parts.baritone),
    Stem("tbn_take 3.wav", "trombone", 2.5, parts.trombone),
    Stem("Vla.wav", "viola", -14.0, parts.viola),
    Stem("LD VOX comp.wav", "lead voice", -6.0, parts.lead),
    Stem("crew vox 1.wav", "backing voice", -12.0, parts.crew(0)),
    Stem("crew vox 2.wav", "backing voice", 3.0, parts.crew(1)),
    Stem("crew_vox3.wav", "backing voice", -17.0, parts.crew(2)),
    Stem("scratch vox.wav", "scratch voice", -9.0, parts.scratch),
    Stem("Audio 23_07.wav", "unknown", -200.0, lambda s: s.silence()),
)
CLIPPED, LIMITED, OFFSET, SILENT = (
    "tbn_take 3.wav",
    "crew vox 2.wav",
    "harmonium take2.wav",
    "Audio 23_07.wav",
)


def render_stem(stem: Stem, studio: Studio) -> np.ndarray:
    """The file's samples, (frames, channels) float32, at the stem's own rate."""
    signal = stem.make(studio)
    signal = signal[:, np.newaxis] if signal.ndim == 1 else signal
    rng = studio.rng(stem.file)
    if stem.file != SILENT:
        peak = np.max(np.abs(signal))
        if peak > 0.0:
            signal = signal * (10.0 ** (stem.peak_dbfs / 20.0) / peak)
        # The same noise on both sides keeps a mono sound in a stereo file identical.
        signal = signal + BREATH_OF_ROOM * rng.standard_normal((len(signal), 1))
    if stem.file == CLIPPED:
        signal = np.clip(signal, -CLIP_LEVEL, CLIP_LEVEL)
    if stem.file == LIMITED:
        signal = limit(signal)
    if stem.file == OFFSET:
        signal = signal + studio.score.faults.dc_offset
    result = signal.astype(np.float32)
    if stem.sample_rate != SAMPLE_RATE:
        result = soxr.resample(result, SAMPLE_RATE, stem.sample_rate, quality="VHQ")
    return result


def write_stems(folder: Path, *, seed: int = 0, tracks: int | None = None, bars: int = 24, workers: int = 2) -> Path:
    """Writes a score's files, 24-bit WAV, and truth.json; returns the folder.

    tracks: how many files (more than there are parts repeats them as doubles); bars: length.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(f"{short_name(folder.name)} can't be made: {system_reason(error)}.") from None
    if seed < 0:
        raise UserError("The seed of a tune has to be 0 or more.")
    # Whatever lies in the folder and is not one of our own files stays.
    protected = outputs.recordings((), [folder])
    sheet = outputs.allowed(folder / "truth.json", TRUTH)
    studio = Studio(make_score(seed, bars=bars))
    wanted = list(STEMS if tracks is None else [STEMS[i % len(STEMS)] for i in range(tracks)])
    names = [
        stem.file if i < len(STEMS) else f"{stem.file[:-4]} dbl{i // len(STEMS)}.wav" for i, stem in enumerate(wanted)
    ]

    def write(name: str, stem: Stem) -> None:
        samples = render_stem(stem, studio)
        write_sound(
            folder / name, [samples], sample_rate=stem.sample_rate, channels=samples.shape[1], protected=protected,
            dated=False,
        )  # fmt: skip

    with ThreadPoolExecutor(workers) as pool:
        for future in [pool.submit(write, name, stem) for name, stem in zip(names, wanted, strict=True)]:
            future.result()
    try:
        outputs.write_whole(sheet, json.dumps(truth(studio.score, names, wanted), indent=1).encode())
    except OSError as error:
        raise UserError(f"truth.json can't be written: {system_reason(error)}.") from None
    return folder


def demo_folder() -> Path:
    """The demo's stems in the user's cache, made on first use."""
    folder = places.cache_folder("demo") / f"slack-water-{DEMO_VERSION}"
    if not (folder / "truth.json").exists():
        for left in folder.parent.glob("*.part"):  # of a run that was killed long ago
            if left.stat().st_mtime < time.time() - outputs.STALE_S:
                shutil.rmtree(left, ignore_errors=True)
        beside = folder.with_name(f"{folder.name}.{secrets.token_hex(8)}.part")
        write_stems(beside)
        try:
            beside.rename(folder)
        except OSError:  # another process was quicker
            shutil.rmtree(beside, ignore_errors=True)
    return folder


def truth(score: Score, names: list[str], stems: list[Stem]) -> dict[str, Any]:
    """What was planted, for tests."""
    return {
        "title": score.title,
        "seed": score.seed,
        "tempo_bpm": score.bpm,
        "key_root_midi": score.root,
        "duration_s": score.duration_s + TAIL_S,
        "sections": [
            {"name": s.name, "start_s": score.section_span_s(s)[0], "end_s": score.section_span_s(s)[1]}
            for s in score.sections
        ],
        "kick": {
            "fundamental_hz": score.kick_hz,
            "tail_ms": score.kick_tail_ms,
            "onsets_s": list(score.kick),
            "alternative_fundamental_hz": score.alternative_kick_hz,
            "alternative_tail_ms": score.alternative_kick_tail_ms,
        },
        "snare_onsets_s": list(score.snare),
        "bass": {
            "notes": [[n.start_s, n.length_s, n.pitch, sound.hertz(n.pitch)] for n in score.bass],
            "hot_pitch": score.hot_bass_pitch,
        },
        "phrases": [list(phrase) for phrase in score.phrases],
        "faults": asdict(score.faults),
        "roles": {name: stem.role for name, stem in zip(names, stems, strict=True)},
        "files": {
            "clipped": CLIPPED,
            "limited": LIMITED,
            "dc_offset": OFFSET,
            "silent": SILENT,
            "identical_channels": "Clar(1).wav",
            "other_rate": "MANDO.wav",
            "honky_900_hz": "MANDO.wav",
            "harsh_2800_hz": "Vla.wav",
            "on_the_bass": "Accordion ST.wav",
        },
    }


def limit(signal: Signal) -> Signal:
    """Look-ahead gain so that no peak passes the ceiling: printed limiting, heard as such."""
    level = np.abs(signal).max(axis=1)
    gain = np.minimum(1.0, LIMIT_LEVEL / np.maximum(level, 1e-9))
    gain = scipy.ndimage.uniform_filter1d(scipy.ndimage.minimum_filter1d(gain, 961), 481)
    return signal * gain[:, np.newaxis]
