"""Two players in a simulated room, each with a microphone, and a second microphone at the first.

Recorded instruments of a sound bank play lines of their own, thirds under each other, or in unison; one rests now and
then while a tuba further back goes on. Walls, places, the distance (1 to 3 m), the bleed (-6 to -24 dB) and the second
microphone are drawn.
"""

import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from all_even.measure.recording.files import measure_file
from all_even.measure.recording.pairs import Pair, find_pairs
from tests.proof import sampled
from tests.proof.rooms import Room, heard

ALIKE = (56, 40, 66, 71, 52, 25, 57, 73)
"""Trumpet, violin, saxophone, clarinet, voices, guitar, trombone, flute."""
TUBA = 58
SOURCE = 0.8
"""From this correlation on two tracks of one role count as one source (`figures.sources.relations`)."""


@dataclass(frozen=True)
class Outcome:
    """taken_before: the two would have been one source without `players`; taken: they still are. microphones: the pair
    at one player is found; kept: and still counts as one source."""

    seed: int
    style: str
    bleed_db: float
    taken_before: bool
    taken: bool
    microphones: bool
    kept: bool


def _line(rng: np.random.Generator, beat_s: float, bars: int, low: int) -> list[sampled.Event]:
    events, place = [], int(rng.integers(0, 7))
    for bar in range(bars):
        at = 0.0
        while at < 4.0:
            length = float(rng.choice([0.5, 1.0, 1.5]))
            if rng.random() < 0.85:
                note = low + 12 * (place // 7) + (0, 2, 4, 5, 7, 9, 11)[place % 7]
                start_s = 0.2 + (4 * bar + at) * beat_s + float(rng.normal(0.0, 0.012))
                events.append(sampled.Event(start_s, note, int(rng.integers(75, 115)), 0.92 * length * beat_s))
            place, at = int(np.clip(place + rng.integers(-3, 4), 0, 12)), at + length
    return events


def _rms(sound: np.ndarray) -> float:
    return float(np.sqrt(np.mean(sound**2)))


def sounds(seed: int, folder: Path) -> tuple[dict[str, np.ndarray], str, float]:
    """What the first player's microphone, the second's, and the second one at the first player hear."""
    rng = np.random.default_rng(seed)
    program = ALIKE[seed % len(ALIKE)]
    other = program if rng.random() < 0.65 else int(rng.choice(ALIKE))
    style = str(rng.choice(["own", "thirds", "unison"], p=[0.5, 0.35, 0.15]))
    beat_s = 60.0 / float(rng.uniform(80.0, 130.0))
    bars = max(6, round(16.0 / (4.0 * beat_s)))
    first = _line(rng, beat_s, bars, 58)
    if style == "own":
        second = _line(rng, beat_s, bars, 55)
    else:
        down = int(rng.choice([3, 4, 5])) if style == "thirds" else 0
        second = [sampled.Event(event.time_s + float(rng.normal(0.0, 0.015)), event.note - down,
                                int(np.clip(event.velocity + rng.integers(-10, 10), 40, 120)), event.length_s)
                  for event in first]  # fmt: skip
    parts = ((program, first), (other, second), (TUBA, _line(rng, beat_s, bars, 38)))
    bank = sampled.BANK if rng.random() < 0.5 else sampled.SECOND_BANK
    played = [sampled.play(events, folder, program=number, drums=False, bank=bank) for number, events in parts]
    frames = max(map(len, played))
    one, two, three = (np.pad(sound, (0, frames - len(sound))) / _rms(sound) for sound in played)
    for bar in range(0, bars, 4):  # the second rests two bars of four
        two[round(4 * (bar + 2) * beat_s * sampled.RATE) : round(4 * (bar + 4) * beat_s * sampled.RATE)] = 0.0
    size = (float(rng.uniform(5.0, 12.0)), float(rng.uniform(4.0, 9.0)), float(rng.uniform(2.6, 4.0)))
    room = Room(size, float(rng.uniform(0.45, 0.8)), sampled.RATE)
    apart, middle = float(rng.uniform(1.0, 3.0)), (size[0] / 2.0, size[1] / 2.0, 1.3)
    places = [(middle[0] + side * apart / 2.0, middle[1] + float(rng.normal(0.0, 0.2)), 1.3) for side in (-1.0, 1.0)]
    back = (middle[0] + float(rng.uniform(-2.0, 2.0)), 0.15 * size[1] + 0.2, 1.3)

    def at(place: tuple[float, float, float], nearest_m: float, furthest_m: float) -> tuple[float, float, float]:
        angle, away = float(rng.uniform(-2.4, -0.7)), float(rng.uniform(nearest_m, furthest_m))
        return (
            place[0] + away * np.cos(angle),
            place[1] + away * np.sin(angle),
            place[2] + float(rng.uniform(-0.2, 0.3)),
        )

    bleed_db, tuba_db = float(rng.uniform(-24.0, -6.0)), float(rng.uniform(-24.0, -12.0))

    def microphone(spot: tuple[float, float, float], own: int) -> np.ndarray:
        players = ((one, places[0]), (two, places[1]), (three, back))
        parts = [heard(room, {"p": player}, spot, places[own]) for player in players]
        out = parts[own].copy()
        for index, level_db in ((1 - own, bleed_db), (2, tuba_db)):
            out += 10.0 ** (level_db / 20.0) * _rms(parts[own]) / _rms(parts[index]) * parts[index]
        return 0.4 * out / np.abs(out).max() + 1e-5 * rng.standard_normal(frames)

    found = {"first": microphone(at(places[0], 0.25, 0.6), 0), "second": microphone(at(places[1], 0.25, 0.6), 1),
             "again": microphone(at(places[0], 0.3, 1.2), 0)}  # fmt: skip
    return found, style, bleed_db


def run(seed: int) -> Outcome:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        found, style, bleed_db = sounds(seed, folder)
        reports = []
        for name, sound in found.items():
            soundfile.write(folder / f"{name}.wav", sound, sampled.RATE, subtype="PCM_24")
            reports.append(measure_file(folder / f"{name}.wav"))
        pairs: dict[tuple[int, int], dict[str, Pair]] = {}
        for pair in find_pairs(reports):
            pairs.setdefault((pair.a, pair.b), {})[pair.kind] = pair
    two, mics = pairs.get((0, 1), {}), pairs.get((0, 2), {})
    was, are = ("offset" in kinds and kinds["offset"].correlation >= SOURCE for kinds in (two, mics))
    return Outcome(seed, style, bleed_db, was, was and "players" not in two, are, are and "players" not in mics)
