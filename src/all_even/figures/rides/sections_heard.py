"""What differs between the sections of a song as it is heard: loudness, width, how many sources play."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.figures.book.fingerprint import digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.rides.rides import levels
from all_even.figures.song import SONG
from all_even.late import scipy
from all_even.measure.level import loudness
from all_even.measure.level.hops import HOP_S, k_weighting
from all_even.measure.time.sections import Section
from all_even.session.model.strips import MIX

Array = NDArray[np.float64]
BLOCK_FRAMES = 1 << 16
PLAYING_DB = 24.0
"""A source this far under its own loudest section does not play in one."""


@dataclass(frozen=True, slots=True)
class SectionHeard:
    """section: name and times. lufs: gated loudness of the mix there; width_db: side over mid, K-weighted, of it; both
    None where it is silent. playing: how many sources play."""

    section: Section
    lufs: float | None
    width_db: float | None
    playing: int


def heard_sections(look: Look) -> tuple[SectionHeard, ...]:
    """Every section, in order; a song without sections is one."""
    return look.get(HEARD)


def _energy(look: Look) -> Array:
    """(hops, 4) K-weighted mean square of left, right, mid and side of the mix."""
    session = look.session
    sound = look.sound(MIX)
    per_hop = round(session.sample_rate * HOP_S)
    weighting = np.insert(k_weighting(session.sample_rate), 3, 1.0, axis=1)
    state = np.zeros((len(weighting), 2, 2))
    block = BLOCK_FRAMES // per_hop * per_hop
    rows = [np.zeros((0, 4))]
    for start in range(0, sound.frames, block):
        look.stop_if_cancelled()
        both = sound.read(start, min(block, sound.frames - start)).astype(np.float64).T
        weighted, state = scipy.signal.sosfilt(weighting, both, axis=1, zi=state)
        left, right = weighted
        four = np.stack((left, right, (left + right) * np.sqrt(0.5), (left - right) * np.sqrt(0.5)))
        hops = four[:, : four.shape[1] // per_hop * per_hop].reshape(4, -1, per_hop)
        rows.append((hops**2).mean(axis=2).T)
    return np.concatenate(rows)


def _compute(look: Look, _target: str) -> tuple[SectionHeard, ...]:
    energy = _energy(look)
    length_s = len(energy) * HOP_S
    sections = look.get(SONG).sections or (Section("Song", 0.0, length_s),)
    found = levels(look)
    means = np.array([[_mean(row, section, found.frame_s) for section in sections] for row in found.power])
    told = []
    for index, section in enumerate(sections):
        part = energy[round(section.start_s / HOP_S) : round(section.end_s / HOP_S)]
        sums = part.sum(axis=0) if len(part) else np.zeros(4)
        width = float(10.0 * np.log10(sums[3] / sums[2])) if sums[2] > 0.0 and sums[3] > 0.0 else None
        lufs = loudness.integrated_lufs(part[:, :2]) if len(part) else None
        playing = 0
        if means.size:
            own, most = means[:, index], means.max(axis=1)
            playing = int(((own > most * 10.0 ** (-PLAYING_DB / 10.0)) & (own > 0.0)).sum())
        told.append(SectionHeard(section, lufs, width, playing))
    return tuple(told)


def _mean(row: NDArray[np.float32], section: Section, frame_s: float) -> float:
    part = row[round(section.start_s / frame_s) : max(1, round(section.end_s / frame_s))]
    return float(part.mean(dtype=np.float64)) if len(part) else 0.0


HEARD = Figure(
    "sections as heard", 1, "mix",
    lambda look, prints, _: digest((prints.mix, SONG.rests_on(look, prints, ""), len(look.reports))), _compute,
)  # fmt: skip
