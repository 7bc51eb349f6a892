"""Reverb in speed and in quality, beside a peer library's and beside noise that falls, which is as good as it gets."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from types import ModuleType

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import Single
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.room import Room
from all_even.measure.space import response

Array = NDArray[np.float64]
RATE = 48_000
SECONDS, SPEED_S = 4.0, 20
DECAY_S = 2.0
PLAIN = Reverb(decay_s=DECAY_S, size_ms=60.0, predelay_ms=0.0, early_db=-40.0, low_ratio=1.0, high_ratio=1.0)
MOMENTS = 8
"""Impulses at so many moments of the modulation."""
PEER_ROOM = 0.7
"""The peer's room size, of 0 to 1: about two seconds."""


@dataclass(frozen=True, slots=True)
class Quality:
    """full_ms: until fully dense. std_db: of the spectrum early and late, 5.57 is that of noise; peak_db: highest over
    its expectation. uneven_percent: the octave from 125 Hz to 8 kHz that is furthest from the mean decay time;
    bend_db: how far the fall leaves a straight line."""

    full_ms: float
    std_db: tuple[float, float]
    peak_db: float
    uneven_percent: float
    bend_db: float

    @property
    def text(self) -> str:
        return (
            f"dense in {self.full_ms:.0f} ms, spectrum {self.std_db[0]:.2f}/{self.std_db[1]:.2f} dB, peak "
            f"{self.peak_db:+.1f} dB, octaves within {self.uneven_percent:.0f} %, bends {self.bend_db:.2f} dB"
        )


def quality(heard: Sequence[Array]) -> Quality:
    """Of responses, (frames, 2) each, to impulses at several moments."""
    sides = [side for part in heard for side in part.T]
    whole = response.decay(np.concatenate(heard, axis=1), RATE)
    times = response.decay_by_octave(np.concatenate(heard, axis=1), RATE)
    decay_s = whole.decay_s if whole is not None else DECAY_S
    onset = float(np.flatnonzero(np.abs(sides[0]) > 1e-4 * np.abs(sides[0]).max())[0]) / RATE
    found = [
        [response.evenness(side, RATE, onset + start, 0.8, decay_s) for side in sides] for start in (0.1, 0.6 * decay_s)
    ]
    full = [response.full_density_s(side, RATE) for side in sides]
    known = [one.decay_s for hz, one in times.items() if hz > 100.0]
    mean = float(np.mean(known))
    return Quality(
        1000.0 * max(SECONDS if value is None else value for value in full),
        (float(np.mean([one.std_db for one in found[0]])), float(np.mean([one.std_db for one in found[1]]))),
        float(np.mean([one.peak_db for part in found for one in part])),
        100.0 * max(abs(value / mean - 1.0) for value in known),
        max(one.bend_db for hz, one in times.items() if hz > 200.0),
    )


def ours() -> Quality:
    frames = round(SECONDS * RATE)
    heard = []
    for moment in range(MOMENTS):
        impulse = np.zeros((frames, 2))
        impulse[0, moment % 2] = 1.0
        heard.append(Single(PLAIN, RATE, moment * 31_013)(impulse))
    return quality(heard)


def noise() -> Quality:
    time_s = np.arange(round(SECONDS * RATE)) / RATE
    fall = 10.0 ** (-3.0 * time_s / DECAY_S)
    rng = np.random.default_rng(0)
    return quality([rng.standard_normal((len(time_s), 2)) * fall[:, np.newaxis] for _ in range(MOMENTS)])


def peer_board(pedalboard: ModuleType) -> Callable[[Array], Array]:
    """The peer's reverb without damping, wet alone."""
    board = pedalboard.Pedalboard([
        pedalboard.Reverb(room_size=PEER_ROOM, damping=0.0, wet_level=1.0, dry_level=0.0, width=1.0)
    ])  # fmt: skip

    def run(sound: Array) -> Array:
        return np.asarray(board(sound.T.astype(np.float32), RATE), dtype=np.float64).T

    return run


def peer(pedalboard: ModuleType) -> Quality:
    frames = round(SECONDS * RATE)
    heard = []
    for moment in range(MOMENTS):
        impulse = np.zeros((frames, 2))
        impulse[0, moment % 2] = 1.0
        heard.append(peer_board(pedalboard)(impulse))
    return quality(heard)


def speed(work: Callable[[Array], object]) -> float:
    """Times real time in stereo, by processor time."""
    sound = 0.1 * np.random.default_rng(1).standard_normal((SPEED_S * RATE, 2))
    work(sound[:RATE])
    start = time.process_time()
    work(sound)
    return SPEED_S / (time.process_time() - start)


def reverb_speed() -> float:
    return speed(lambda sound: Single(PLAIN, RATE)(sound))


def room_speed() -> float:
    """The convolution of a room, in blocks as an offline render has them."""
    return speed(lambda sound: [Single(Room(), RATE)(sound[at : at + 65_536]) for at in range(0, len(sound), 65_536)])
