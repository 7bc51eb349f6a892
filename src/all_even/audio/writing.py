"""Writing sound files: our own rounding and dither, atomically, with overs counted.

The writer library would truncate towards minus infinity when it turns floats into integers, so
integers are made here. 16 bits get TPDF dither of two quantisation steps peak to peak, anchored at
session frame 0 on a fixed grid, so that a print of a section equals that section of the whole print.

A WAV file says who made it, when, and where on the session's time line it begins (BWF, EBU Tech 3285), and becomes RF64
(EBU Tech 3306) where its sound is over 4 GB, which plain WAV can't hold.
"""

import contextlib
import struct
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from numpy.typing import NDArray

from all_even import clock, outputs
from all_even.audio.sound_file import Samples
from all_even.errors import UserError, short_name
from all_even.outputs import NO_RECORDINGS, Beside, Recordings

Bits = Literal["16", "24", "32f"]
SUBTYPES: dict[str, str] = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
LARGEST_WAV_BYTES = (1 << 32) - (1 << 16)
"""Of sound; a WAV file counts its whole length in 32 bits, and has a head."""
SET_BROADCAST_INFO = 0x10F1
"""The writer library's command for the `bext` chunk."""
ADD_PEAK_CHUNK = 0x1050
"""The one that says whether it writes a `PEAK` chunk."""
BROADCAST_INFO = struct.Struct("@256s32s32s10s8sIIh64s5h180sI256s")
"""As its C structure lies in memory: description, originator, its reference, date, time, time reference (low, high),
version, UMID, loudness (unknown),
reserved, and the coding history's length with its text."""
UNKNOWN_LOUDNESS = 0x7FFF
DITHER_GRID = 1 << 16
DITHER_KEY = 0x51AC4


@dataclass(frozen=True, slots=True)
class Written:
    """frames written; overs: samples beyond full scale, which integers can't hold and were clipped."""

    path: Path
    frames: int
    overs: int


class Quantiser:
    """Turns float blocks into what the file holds; `overs` counts samples beyond full scale."""

    def __init__(self, bits: Bits, *, dither: bool | None = None, first_frame: int = 0) -> None:
        self.bits: Bits = bits
        self.overs = 0
        self._dither = bits == "16" if dither is None else dither and bits != "32f"
        self._frame = first_frame

    def __call__(self, block: Samples) -> NDArray[np.float32] | NDArray[np.int32] | NDArray[np.int16]:
        """(frames, channels) in, the same shape out: float32 untouched, int16, or int32 for 24 bits."""
        start, self._frame = self._frame, self._frame + len(block)
        if self.bits == "32f":
            self.overs += int(np.count_nonzero(np.abs(block) > 1.0))
            return block
        steps = 1 << (int(self.bits) - 1)
        scaled = block.astype(np.float64) * steps
        if self._dither:
            scaled += tpdf(start, len(block), block.shape[1])
        rounded = np.rint(scaled)
        self.overs += int(np.count_nonzero((block > 1.0) | (block < -1.0)))
        clipped = np.clip(rounded, -steps, steps - 1)
        if self.bits == "16":
            return clipped.astype(np.int16)
        return clipped.astype(np.int32) << 8


def tpdf(first_frame: int, frames: int, channels: int) -> NDArray[np.float64]:
    """Triangular noise between -1 and 1 step, the same for the same session frames."""
    result = np.empty((frames, channels))
    done = 0
    while done < frames:
        cell, inside = divmod(first_frame + done, DITHER_GRID)
        take = min(frames - done, DITHER_GRID - inside)
        rng = np.random.Generator(np.random.Philox(key=DITHER_KEY, counter=cell << 64))
        noise = rng.random((2, DITHER_GRID, channels))
        result[done : done + take] = (noise[0] - noise[1])[inside : inside + take]
        done += take
    return result


class SoundWriter:
    """A WAV or FLAC file by the path's ending that appears whole, when it is finished, or not at all.

    Raises `UserError` for an ending or a depth the format can't hold, where the disk refuses, and where a
    recording (`protected`) or a file of another kind would be replaced. first_frame: where it begins on the session's
    time line. frames: how many will come, where that is known, for sounds over 4 GB. dated:
    whether it says where it comes from and when; without, the same sound is the same file.
    """

    def __init__(
        self,
        path: Path,
        *,
        sample_rate: int,
        channels: int,
        bits: Bits = "24",
        dither: bool | None = None,
        first_frame: int = 0,
        protected: Recordings = NO_RECORDINGS,
        frames: int = 0,
        dated: bool = True,
    ) -> None:
        target = outputs.allowed(path, outputs.SOUND, protected)
        container = {".wav": "WAV", ".flac": "FLAC"}[path.suffix.lower()]
        if container == "WAV" and is_large(frames, channels, bits):
            container = "RF64"
        if container == "FLAC" and bits == "32f":
            raise UserError("FLAC holds 16 or 24 bits, not 32-bit float: choose WAV or fewer bits.")
        self.path = path
        self._quantise = Quantiser(bits, dither=dither, first_frame=first_frame)
        self._frames = 0
        try:
            self._beside = Beside(target)
        except OSError:
            raise self._refused() from None
        try:
            self._file = soundfile.SoundFile(
                self._beside.file.fileno(), "w", samplerate=sample_rate, channels=channels, format=container,
                subtype=SUBTYPES[bits], closefd=False,
            )  # fmt: skip
            if bits == "32f":  # its chunk of peaks holds the time, and would make two equal sounds differ
                soundfile._snd.sf_command(self._file._file, ADD_PEAK_CHUNK, soundfile._ffi.NULL, 0)
            if container != "FLAC" and dated:
                _say_origin(self._file, first_frame, path.stem)
            self._file.software = outputs.MARK.decode()
        except (OSError, soundfile.SoundFileError):
            self._beside.discard()
            raise self._refused() from None

    def write(self, block: Samples) -> None:
        """Adds (frames, channels), full scale = 1.0."""
        try:
            self._file.write(self._quantise(block))
        except (OSError, soundfile.SoundFileError):
            raise self._refused() from None
        self._frames += len(block)

    def finish(self) -> Written:
        """Closes the file and puts it into its place."""
        try:
            self._file.close()
            self._beside.keep()
        except (OSError, soundfile.SoundFileError):
            raise self._refused() from None
        return Written(self.path, self._frames, self._quantise.overs)

    def discard(self) -> None:
        """Leaves nothing behind of a file that was not finished."""
        with contextlib.suppress(OSError, soundfile.SoundFileError):
            self._file.close()
        self._beside.discard()

    def _refused(self) -> UserError:
        return UserError(f"{short_name(self.path.name)} can't be written: the folder refuses it or the disk is full.")


def is_large(frames: int, channels: int, bits: Bits) -> bool:
    """Whether a sound is more than a plain WAV file can hold."""
    return frames * channels * (4 if bits == "32f" else int(bits) // 8) > LARGEST_WAV_BYTES


def broadcast_info(first_frame: int, description: str, when: datetime) -> bytes:
    """The content of a `bext` chunk, as the writer library takes it."""
    loudness = (UNKNOWN_LOUDNESS,) * 5
    return BROADCAST_INFO.pack(
        description.encode("ascii", "replace")[:256], outputs.MARK, b"", when.strftime("%Y-%m-%d").encode(),
        when.strftime("%H:%M:%S").encode(), first_frame & 0xFFFFFFFF, first_frame >> 32, 2, b"", *loudness, b"", 0, b"",
    )  # fmt: skip


def _say_origin(file: soundfile.SoundFile, first_frame: int, description: str) -> None:
    """Puts description, originator, date and time reference into a WAV file, before any sound."""
    info = broadcast_info(max(0, first_frame), description, clock.now())
    soundfile._snd.sf_command(file._file, SET_BROADCAST_INFO, info, len(info))


def write_sound(
    path: Path,
    blocks: Iterable[Samples],
    *,
    sample_rate: int,
    channels: int,
    bits: Bits = "24",
    dither: bool | None = None,
    first_frame: int = 0,
    protected: Recordings = NO_RECORDINGS,
    frames: int = 0,
    dated: bool = True,
) -> Written:
    """Writes a whole file from blocks; arguments and errors as `SoundWriter`."""
    writer = SoundWriter(
        path, sample_rate=sample_rate, channels=channels, bits=bits, dither=dither, first_frame=first_frame,
        protected=protected, frames=frames, dated=dated,
    )  # fmt: skip
    try:
        for block in blocks:
            writer.write(block)
        return writer.finish()
    finally:
        writer.discard()
