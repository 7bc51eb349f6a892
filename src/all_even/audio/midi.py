"""From a Standard MIDI File: hits, the time of every note that begins; and the tempo and bars it was written in."""

import io
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from all_even import inputs
from all_even.errors import UserError, short_name

LARGEST_BYTES = 1 << 20
"""A song of thirty parts has a third of it; reading takes some 20 microseconds a byte."""
MOST_HITS = 100_000
LONGEST_S = 6 * 3600.0
"""No song is as long."""


class MidiError(UserError):
    """A MIDI file that can't be used, said in a sentence."""


def hits_s(path: Path, note: int | None = None) -> tuple[float, ...]:
    """Seconds of all note beginnings, or of one note number (0 to 127); equal times once."""
    now, found = 0.0, []
    for message in _messages(path):
        now += message.time
        if message.type == "note_on" and message.velocity > 0 and note in (None, message.note):
            found.append(round(now, 6))
        if len(found) > MOST_HITS:
            raise MidiError(f"{path.name} has more hits than a song.")
    if not found:
        raise MidiError(f"{path.name} has no notes.")
    return tuple(sorted(set(found)))


@dataclass(frozen=True, slots=True)
class MidiTempo:
    """bpm: beats a minute, of the one that lasts longest. beats_per_bar: of the first time signature, 4 where none is
    said. changes: whether the file has another tempo as well."""

    bpm: float
    beats_per_bar: int
    changes: bool


USUAL_US = 500_000
"""A quarter note where the file says nothing, microseconds (Standard MIDI Files 1.0)."""


def tempo(path: Path) -> MidiTempo:
    """The tempo of a file and how many beats a bar has; compound eighths are counted in three."""
    now, since = 0.0, 0.0
    current, signature = USUAL_US, None
    lasting: dict[int, float] = {}
    for message in _messages(path):
        now += message.time
        if message.type == "set_tempo" and message.tempo > 0:
            lasting[current] = lasting.get(current, 0.0) + now - since
            current, since = message.tempo, now
        elif message.type == "time_signature" and signature is None:
            signature = (message.numerator, message.denominator)
    lasting[current] = lasting.get(current, 0.0) + max(now - since, 1e-6)
    heard = {microseconds: seconds for microseconds, seconds in lasting.items() if seconds > 0.0}
    quarters = 60e6 / max(heard, key=lambda microseconds: heard[microseconds])
    over, under = signature or (4, 4)
    if under == 8 and over % 3 == 0 and over > 3:
        return MidiTempo(quarters * 2.0 / 3.0, over // 3, len(heard) > 1)
    return MidiTempo(quarters * under / 4.0, over, len(heard) > 1)


def _messages(path: Path) -> Iterator[Any]:
    """All messages of a file with the seconds between them; MidiError for one that can't be used."""
    import mido

    try:
        data = inputs.whole(path, LARGEST_BYTES, "a MIDI file")
    except inputs.Unreadable as error:
        raise MidiError(str(error)) from None
    name, now = short_name(path.name), 0.0
    try:
        for message in mido.MidiFile(file=io.BytesIO(data)):
            now += message.time
            if now > LONGEST_S:
                raise MidiError(f"{name} is longer than a song: over {LONGEST_S / 3600:.0f} hours.")
            yield message
    except UserError:
        raise
    except Exception:  # the library raises whatever a broken file makes it stumble over
        raise MidiError(f"{name} is not a MIDI file, or is damaged.") from None


FINE_FROM = 32
"""Controllers 0 to 31 have their fine part on the number plus 32 (MIDI 1.0)."""
COARSE_STEPS = 128


def controller(path: Path) -> list[tuple[float, int]]:
    """(seconds, 0 to 16383) of the controller of a file that has most events; its fine part, where there is one, is
    taken in, else seven bits are spread over all fourteen. MidiError where there is none."""
    now = 0.0
    events: dict[tuple[int, int], list[tuple[float, int]]] = {}
    for message in _messages(path):
        now += message.time
        if message.type == "control_change":
            events.setdefault((message.channel, message.control), []).append((now, message.value))
    coarse = {key: found for key, found in events.items() if not _is_fine(key, events)}
    if not coarse:
        raise MidiError(f"{path.name} has no controller.")
    chosen = max(coarse, key=lambda key: len(coarse[key]))
    fine = events.get((chosen[0], chosen[1] + FINE_FROM)) if chosen[1] < FINE_FROM else None
    if fine is None:
        return [(at, round(value * 16_383 / 127)) for at, value in coarse[chosen]]
    changes = sorted([(at, 0, value) for at, value in coarse[chosen]] + [(at, 1, value) for at, value in fine])
    held, found = [0, 0], {}
    for at, part, value in changes:
        held[part] = value
        found[at] = held[0] * COARSE_STEPS + held[1]
    return sorted(found.items())


def _is_fine(key: tuple[int, int], events: dict[tuple[int, int], list[tuple[float, int]]]) -> bool:
    channel, number = key
    return FINE_FROM <= number < 2 * FINE_FROM and (channel, number - FINE_FROM) in events
