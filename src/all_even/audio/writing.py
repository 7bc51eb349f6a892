"""Writing sound files: our own rounding and dither, atomically, with overs counted.

The writer library would truncate towards minus infinity when it turns floats into integers, so
integers are made here. 16 bits get TPDF dither of two quantisation steps peak to peak, anchored at
session frame 0 on a fixed grid, so that a print of a section equals that section of the whole print.
"""

import contextlib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from numpy.typing import NDArray

from all_even import outputs
from all_even.audio.sound_file import Samples
from all_even.errors import UserError, short_name
from all_even.outputs import NO_RECORDINGS, Beside, Recordings

Bits = Literal["16", "24", "32f"]
SUBTYPES: dict[str, str] = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
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
    recording (`protected`) or a file of another kind would be replaced.
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
    ) -> None:
        target = outputs.allowed(path, outputs.SOUND, protected)
        container = {".wav": "WAV", ".flac": "FLAC"}[path.suffix.lower()]
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
) -> Written:
    """Writes a whole file from blocks; errors as `SoundWriter`."""
    writer = SoundWriter(
        path, sample_rate=sample_rate, channels=channels, bits=bits, dither=dither, first_frame=first_frame,
        protected=protected,
    )  # fmt: skip
    try:
        for block in blocks:
            writer.write(block)
        return writer.finish()
    finally:
        writer.discard()
