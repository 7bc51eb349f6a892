"""One constant retune of a whole recording into a file of its own; the original stays as it is.

The shifting is done by the program `rubberband` (Rubber Band, package rubberband-cli), with its finer engine: on a tone
of eleven partials everything else stays 60 dB under it, and hits keep their places within a millisecond. Its older
engine does not move pitches of under half a semitone where it keeps attacks, and moves hits by 20 ms where it doesn't;
the same library through a Python package drifted by 0.1 s in a minute.
"""

import os
import shutil
import subprocess
import threading
from pathlib import Path

import numpy as np
import soundfile

from all_even import outputs, places
from all_even.audio import sound_file
from all_even.audio.content import content_hash
from all_even.audio.sound_file import Samples, SoundInfo
from all_even.audio.writing import write_sound
from all_even.errors import Cancelled, UserError, system_reason
from all_even.outputs import NO_RECORDINGS, Recordings

PROGRAM = "rubberband"
FOLDER = "Retuned by All Even"
"""Beside the recording; not looked into when a folder is opened."""
MOST_CENTS = 100.0
LONGEST_S = 1800.0
POLL_S = 0.1
CONTENT_LETTERS = 12
"""Of the hash of a recording's content, in the name of its copy."""


def is_there() -> bool:
    """Whether the program that shifts pitches is on this machine."""
    return shutil.which(PROGRAM) is not None


def shifted(samples: Samples, sample_rate: int, cents: float, cancelled: threading.Event | None = None) -> Samples:
    """(frames, channels) at another pitch, as long as before. cents: up to 100 either way. A UserError where the
    program is not there or fails; `Cancelled` soon after `cancelled` is set."""
    if not is_there():
        raise UserError("Retuning needs the program rubberband: install the package rubberband-cli.")
    cents = min(MOST_CENTS, max(-MOST_CENTS, cents))
    with places.passing_folder("retune") as folder:
        before, after = folder / "before.wav", folder / "after.wav"
        try:
            soundfile.write(before, samples, sample_rate, subtype="FLOAT")
            command = [PROGRAM, "-3", "-q", "-p", f"{cents / 100.0:.4f}", str(before), str(after)]
            with subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                                  stderr=subprocess.DEVNULL) as running:  # fmt: skip
                _wait(running, cancelled)
            if running.returncode:
                raise UserError("Retuning failed: rubberband stopped with an error.")
            found = soundfile.read(after, dtype="float32", always_2d=True)[0]
        except (OSError, soundfile.SoundFileError):
            raise UserError("Retuning failed: there is no room for a temporary copy, or it can't be read.") from None
    result = np.zeros_like(samples)
    count = min(len(found), len(samples))
    result[:count] = found[:count]
    return result


def _wait(running: "subprocess.Popen[bytes]", cancelled: threading.Event | None) -> None:
    while True:
        try:
            running.wait(POLL_S)
            return
        except subprocess.TimeoutExpired:
            if cancelled is not None and cancelled.is_set():
                running.kill()
                raise Cancelled from None


def place_of(path: Path, take: tuple[int, ...] | None, cents: float) -> Path:
    """Where a retuned copy lies: in a folder of its own beside the recording, under a name that no other recording, no
    other content of this one and no other tenth of a cent has. OSError where the recording can't be read."""
    channels = "" if take is None else "ch " + "-".join(map(str, take)) + " "
    sign = "+" if cents >= 0.0 else "−"
    form = path.suffix.lower().lstrip(".")
    ending = f" {form} {channels}{sign}{abs(cents):.1f} cents {content_hash(path)[:CONTENT_LETTERS]}.wav"
    room = outputs.LONGEST_NAME_BYTES - len(ending.encode())
    stem = path.stem.encode()[:room].decode(errors="ignore").strip()
    home = path.parent if path.parent.name == FOLDER else path.parent / FOLDER
    return home / f"{stem}{ending}"


def _is_whole(copy: Path, info: SoundInfo, channels: int) -> bool:
    """Whether a copy of ours is there: by our mark, and as long as its recording."""
    try:
        with copy.open("rb") as file:
            if outputs.MARK not in file.read(outputs.HEAD_BYTES):
                return False
        found = sound_file.inspect(copy)
    except (OSError, UserError):
        return False
    return (found.frames, found.sample_rate, found.channels) == (info.frames, info.sample_rate, channels)


def retune(
    path: Path, take: tuple[int, ...] | None, cents: float, cancelled: threading.Event | None = None,
    protected: Recordings = NO_RECORDINGS,
) -> Path:  # fmt: skip
    """Writes a retuned copy (32-bit float WAV), or finds the one that is there. A UserError where it can't be, or where
    something that is not ours is in its way."""
    info = sound_file.inspect_pair(path, take) if take else sound_file.inspect(path)
    if info.duration_s > LONGEST_S:
        raise UserError(f"{path.name} is longer than {LONGEST_S / 60:.0f} minutes: too long to retune at once.")
    try:
        target = place_of(path, take, cents)
        target.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise UserError(f"A folder beside {path.name} can't be made: {system_reason(error)}.") from None
    home = Path(os.path.realpath(path.parent))
    if not Path(os.path.realpath(target)).is_relative_to(home):
        raise UserError(f"{path.name} can't be retuned: {FOLDER} beside it is a link that leads elsewhere.")
    if _is_whole(target, info, len(take) if take else info.channels):
        return target
    protected = Recordings(protected.identities, (*protected.folders, home))
    outputs.allowed(target, outputs.SOUND, protected)
    reader = sound_file.Reader(info)
    try:
        samples = reader.read(0, info.frames)
    finally:
        reader.close()
    if take:
        samples = np.ascontiguousarray(samples[:, [channel - 1 for channel in take]])
    found = shifted(samples, info.sample_rate, cents, cancelled)
    write_sound(
        target, (found,), sample_rate=info.sample_rate, channels=found.shape[1], bits="32f", protected=protected
    )
    return target
