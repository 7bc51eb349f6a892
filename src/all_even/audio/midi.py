"""Hits from a Standard MIDI File: the time of every note that begins, with the file's own tempo map."""

from pathlib import Path

from all_even.errors import UserError

LARGEST_BYTES = 16 << 20
MOST_HITS = 100_000


class MidiError(UserError):
    """A MIDI file that can't be used, said in a sentence."""


def hits_s(path: Path, note: int | None = None) -> tuple[float, ...]:
    """Seconds of all note beginnings, or of one note number (0 to 127); equal times once."""
    import mido

    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise MidiError(f"{path.name} is too large to be a MIDI file of hits.")
        file = mido.MidiFile(path)
        now, found = 0.0, []
        for message in file:
            now += message.time
            if message.type == "note_on" and message.velocity > 0 and note in (None, message.note):
                found.append(round(now, 6))
            if len(found) > MOST_HITS:
                raise MidiError(f"{path.name} has more hits than a song.")
    except UserError:
        raise
    except OSError as error:
        if isinstance(error, EOFError) or error.errno is None:
            raise MidiError(f"{path.name} is not a MIDI file, or is damaged.") from None
        raise MidiError(f"{path.name} can't be read.") from None
    except Exception:  # the library raises whatever a broken file makes it stumble over
        raise MidiError(f"{path.name} is not a MIDI file, or is damaged.") from None
    if not found:
        raise MidiError(f"{path.name} has no notes.")
    return tuple(sorted(set(found)))
