"""Songs played by recorded instruments: nothing of ours makes their sound, and the score says what is true.

Drum kits and basses of two General MIDI sound banks of recorded samples (Debian's `timgm6mb-soundfont` and
`fluid-soundfont-gm`), played dry by FluidSynth, and recorded drum kits (Debian's `hydrogen-drumkits`), played by
laying their samples on the score. Patterns and lines are drawn at random, with doubles, ghost notes, and players who
are a few milliseconds off.
"""

import functools
import re
import shutil
import subprocess
import xml.etree.ElementTree as ElementTree
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile
import soxr

from all_even.session.tracks.roles import guess_role

BANK = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
SECOND_BANK = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
KITS_FOLDER = Path("/usr/share/hydrogen/data/drumkits")
STARTS_AT = 0.03
"""A sample begins where it first passes this share of its peak."""
TOM_NOTES = (41, 43, 45, 47, 48, 50)
PLAYER = shutil.which("fluidsynth")
RATE = 48_000
TICKS_PER_S = 1920
KITS = {
    0: "standard",
    8: "room",
    16: "power",
    24: "electronic",
    25: "analogue",
    32: "jazz",
    40: "brush",
    48: "orchestra",
}
BASSES = {
    32: "upright", 33: "finger", 34: "pick", 35: "fretless", 36: "slap 1", 37: "slap 2", 38: "synth 1", 39: "synth 2",
}  # fmt: skip
KICK_PATTERNS = ((0, 8), (0, 6, 8), (0, 3, 8, 11), (0, 8, 10), (0, 4, 8, 12), (0, 1, 8, 10))
"""Sixteenths of a bar."""
LATE_S = 0.004
BARS = 12


@dataclass(frozen=True)
class Event:
    time_s: float
    note: int
    velocity: int
    length_s: float = 0.1


@dataclass(frozen=True)
class SampledSong:
    """sounds: kick, snare, hat, tom, bass, (frames,) at 48 kHz, peak 0.5; events: what each plays."""

    seed: int
    bpm: float
    kit: int
    bass_program: int
    events: dict[str, list[Event]]
    sounds: dict[str, np.ndarray]

    def times(self, part: str) -> np.ndarray:
        return np.array([event.time_s for event in self.events[part]])


def make_song(seed: int, folder: Path, bank: Path = BANK) -> SampledSong:
    """Every eighth seed has the same kit and bass."""
    rng = np.random.default_rng(seed)
    bpm = float(rng.uniform(75.0, 165.0))
    kit, program = list(KITS)[seed % len(KITS)], list(BASSES)[seed % len(BASSES)]
    events = _drums(rng, bpm, (36, 35)[seed % 2], (38, 40)[seed % 2]) | {"bass": _line(rng, bpm)}
    events["tom"] = _toms(np.random.default_rng(10_000 + seed), bpm, TOM_NOTES[seed % len(TOM_NOTES)])
    sounds = {
        part: play(played, folder, program=program if part == "bass" else kit, drums=part != "bass", bank=bank)
        for part, played in events.items()
    }
    return SampledSong(seed, bpm, kit, program, events, sounds)


def _drums(rng: np.random.Generator, bpm: float, kick_note: int, snare_note: int) -> dict[str, list[Event]]:
    sixteenth = 15.0 / bpm
    pattern = KICK_PATTERNS[rng.integers(len(KICK_PATTERNS))]

    def hit(bar: int, place: float, note: int, softest: int, loudest: int) -> Event:
        time = 0.5 + (16 * bar + place) * sixteenth + rng.normal(0.0, LATE_S)
        return Event(time, note, int(rng.integers(softest, loudest)))

    kick, snare, hat = [], [], []
    for bar in range(BARS):
        kick += [hit(bar, place, kick_note, 85, 120) for place in pattern]
        if rng.random() < 0.2:
            kick.append(hit(bar, 15, kick_note, 75, 85))
        snare += [hit(bar, place, snare_note, 90, 120) for place in (4, 12)]
        if rng.random() < 0.3:
            snare.append(hit(bar, float(rng.choice([7, 9, 15])), snare_note, 35, 60))
        hat += [hit(bar, place, 42, 60, 110) for place in range(0, 16, 2)]
    return {name: sorted(part, key=lambda event: event.time_s) for name, part in
            (("kick", kick), ("snare", snare), ("hat", hat))}  # fmt: skip


def _line(rng: np.random.Generator, bpm: float) -> list[Event]:
    sixteenth, root, events = 15.0 / bpm, int(rng.integers(28, 38)), []
    for bar in range(BARS):
        place = 0
        while place < 16:
            length = min(int(rng.choice([2, 2, 4, 4, 6, 8])), 16 - place)
            note = root + (0, 5, 7, 0)[bar % 4] + int(rng.choice([0, 0, 0, 3, 7, 12, 10]))
            if rng.random() > 0.12:
                time = 0.5 + (16 * bar + place) * sixteenth + rng.normal(0.0, LATE_S)
                held = float(rng.choice([0.6, 0.85, 0.95]))
                events.append(Event(time, note, int(rng.integers(75, 115)), length * sixteenth * held))
            place += length
    return events


def _toms(rng: np.random.Generator, bpm: float, note: int) -> list[Event]:
    """One tom: a fill at the end of every other bar, and single strokes."""
    sixteenth, events = 15.0 / bpm, []
    for bar in range(BARS):
        places = [12, 13, 14, 15] if bar % 2 else [int(rng.choice([3, 6, 11]))]
        for place in places:
            time = 0.5 + (16 * bar + place) * sixteenth + rng.normal(0.0, LATE_S)
            events.append(Event(time, note, int(rng.integers(70, 120))))
    return sorted(events, key=lambda event: event.time_s)


@dataclass(frozen=True)
class RecordedKit:
    """instruments: for each part the layers of one instrument, softest first, (frames,) at 48 kHz from their start."""

    name: str
    instruments: dict[str, list[np.ndarray]]


@functools.cache
def recorded_kits() -> tuple[RecordedKit, ...]:
    """Those that have a kick, in the order of their names."""
    found = [_read_kit(folder) for folder in sorted(KITS_FOLDER.iterdir())] if KITS_FOLDER.is_dir() else []
    return tuple(kit for kit in found if "kick" in kit.instruments)


def _read_kit(folder: Path) -> RecordedKit:
    text = re.sub(r'\sxmlns="[^"]+"', "", (folder / "drumkit.xml").read_text(errors="replace"), count=1)
    parts: dict[str, list[np.ndarray]] = {}
    for instrument in ElementTree.fromstring(text).iter("instrument"):
        role = guess_role(instrument.findtext("name") or "")
        part = {"kick": "kick", "snare top": "snare", "hi-hat": "hat", "tom": "tom"}.get(role)
        layers = [item.findtext("filename") for item in instrument.iter("layer")] or [instrument.findtext("filename")]
        paths = [folder / name for name in layers if name and (folder / name).is_file()]
        if part is not None and part not in parts and paths:
            parts[part] = [_sample(path) for path in paths]
    return RecordedKit(folder.name, parts)


def _sample(path: Path) -> np.ndarray:
    samples, rate = soundfile.read(path, always_2d=True)
    mono = samples.mean(axis=1)
    mono = soxr.resample(mono, rate, RATE) if rate != RATE else mono
    loud = np.flatnonzero(np.abs(mono) > STARTS_AT * np.abs(mono).max())
    return mono[max(0, int(loud[0]) - 8) :] if len(loud) else mono


def play_kit(kit: RecordedKit, seed: int) -> SampledSong:
    """The drums of a song on a recorded kit; what rings on is added."""
    rng = np.random.default_rng(seed)
    bpm = float(rng.uniform(75.0, 165.0))
    events = _drums(rng, bpm, 36, 38)
    events["tom"] = _toms(np.random.default_rng(10_000 + seed), bpm, 45)
    events = {part: played for part, played in events.items() if part in kit.instruments}
    sounds = {part: _laid(played, kit.instruments[part]) for part, played in events.items()}
    return SampledSong(seed, bpm, -1, -1, events, sounds)


def _laid(events: list[Event], layers: list[np.ndarray]) -> np.ndarray:
    sound = np.zeros(round((events[-1].time_s + 3.0) * RATE))
    for event in events:
        layer = layers[min(len(layers) - 1, event.velocity * len(layers) // 128)]
        start = round(event.time_s * RATE)
        length = min(len(layer), len(sound) - start)
        sound[start : start + length] += layer[:length] * (event.velocity / 127.0) ** 1.5
    return 0.5 * sound / np.abs(sound).max()


def play(events: list[Event], folder: Path, *, program: int, drums: bool, bank: Path = BANK) -> np.ndarray:
    """The sound of one part, mono, no reverberation and no chorus."""
    messages = [(event.time_s, "note_on", event.note, event.velocity) for event in events]
    messages += [(event.time_s + event.length_s, "note_off", event.note, 0) for event in events]
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)])
    channel = 9 if drums else 0
    track.append(mido.Message("program_change", program=program, channel=channel))
    now = 0
    for time_s, kind, note, velocity in sorted(messages, key=lambda item: (item[0], item[1] == "note_on")):
        tick = round(time_s * TICKS_PER_S)
        track.append(mido.Message(kind, note=note, velocity=velocity, channel=channel, time=tick - now))
        now = tick
    score, sound = folder / "part.mid", folder / "part.wav"
    mido.MidiFile(ticks_per_beat=TICKS_PER_S // 2, tracks=[track]).save(score)
    dry = ["-R", "0", "-C", "0", "-g", "1.0"]
    subprocess.run(
        [str(PLAYER), "-ni", "-q", *dry, "-r", str(RATE), "-T", "wav", "-F", str(sound), str(bank), str(score)],
        check=True,
        capture_output=True,
    )
    samples = soundfile.read(sound)[0].mean(axis=1)
    return 0.5 * samples / np.abs(samples).max()
