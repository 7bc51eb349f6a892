"""Folders of many long tracks to be timed with: tunes made by code, as many of them side by side as it takes."""

from pathlib import Path

import numpy as np

from all_even.audio.writing import write_sound
from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import SILENT, STEMS, render_stem

SEED, BEATS_A_BAR = 1451, 4
NO_TRACKS = frozenset({SILENT, "KICK alt LONG tail.wav", "scratch vox.wav", "Audio 23_07.wav", "crew_vox3.wav"})
"""What is no part of the tune, or is there twice."""


def write_song(folder: Path, tracks: int, seconds: float, *, stereo: bool = False) -> None:
    """That many tracks of a tune; with more than one tune has, those of others beside it. stereo: all of them are."""
    wanted = [stem for stem in STEMS if stem.file not in NO_TRACKS]
    for index in range(-(-tracks // len(wanted))):
        bars = max(1, round(seconds * make_score(SEED + index, bars=8).bpm / 60.0 / BEATS_A_BAR))
        studio = Studio(make_score(SEED + index, bars=bars))
        for stem in wanted[: tracks - index * len(wanted)]:
            sound = render_stem(stem, studio)
            if stereo and sound.shape[1] == 1:
                other = np.roll(sound, 7, axis=0) * np.float32(0.98)  # what differs a little is not told to be mono
                sound = np.concatenate((sound, other), axis=1)
            name = f"{index + 1} {stem.file}" if index else stem.file
            write_sound(folder / name, [sound], sample_rate=stem.sample_rate, channels=sound.shape[1])
