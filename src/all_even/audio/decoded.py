"""Frames of any file at the session's rate: read in place where possible, else from a decoded copy.

Plain PCM at the session's rate is read straight from the user's file. Compressed files and files
of another rate are decoded (and resampled with soxr, very high quality) once into a float32 copy in the
user's cache folder. The copy begins with its length and checksum; one that does not fit is made again. It is
read, not mapped: a file that is cut while it is open gives silence, where a mapping would end the
program. A copy in use is never evicted.
"""

import contextlib
import os
import struct
import threading
import zlib
from collections import Counter
from pathlib import Path
from typing import BinaryIO, Protocol

import numpy as np
import soxr

from all_even import places
from all_even.audio import sound_file
from all_even.audio.content import content_hash
from all_even.audio.sound_file import Samples, SoundFileError, SoundInfo
from all_even.errors import short_name
from all_even.outputs import Beside

CACHE_LIMIT_BYTES = 8 << 30
SHORT_S = 0.001
"""A decoder and a resampler may round that much away at the end of a file."""
HEAD = struct.Struct("<16sIIQQ")
"""Mark, channels, CRC-32 of the samples, bytes of the samples, how many of them were no numbers in the file."""
MARK = b"all-even float 2"


class Frames(Protocol):
    """Sound at the session's rate, by frame number from the file's start."""

    channels: int
    frames: int

    def read(self, start: int, frames: int) -> Samples:
        """(frames, channels); zeros outside the file; always finite."""
        ...


class InPlace:
    """A plain PCM file at the session's rate."""

    def __init__(self, info: SoundInfo) -> None:
        self._reader = sound_file.Reader(info)
        self.channels, self.frames = info.channels, info.frames

    def read(self, start: int, frames: int) -> Samples:
        return self._reader.read(start, frames)

    @property
    def trouble(self) -> str | None:
        reader = self._reader
        return _trouble(reader.info, reader.not_finite, "was cut while it was read" if reader.cut else "")


class DecodedCopy:
    """A float32 copy of a file in the cache. Raises ValueError where it is not whole."""

    def __init__(self, path: Path, info: SoundInfo, sample_rate: int) -> None:
        self._fd = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        try:
            self.channels, self.frames, not_finite = _checked(self._fd)
        except BaseException:
            os.close(self._fd)
            raise
        promised = info.frames * sample_rate // info.sample_rate
        short = self.frames < promised - sample_rate * SHORT_S
        self.trouble = _trouble(info, not_finite, "can't be decoded to its end" if short else "")
        self._path = path
        _in_use[path] += 1

    def read(self, start: int, frames: int) -> Samples:
        result = np.zeros((frames, self.channels), dtype=np.float32)
        first, stop = max(0, start), min(start + frames, self.frames)
        if stop > first:
            wanted = result[first - start : stop - start].data.cast("B")
            done, place = 0, HEAD.size + 4 * self.channels * first
            while done < len(wanted):
                try:
                    got = os.preadv(self._fd, [wanted[done:]], place + done)
                except OSError:
                    got = 0
                if got <= 0:  # cut short while it is open: the rest is silent
                    wanted[done - done % 4 :] = bytes(len(wanted) - done + done % 4)
                    break
                done += got
        return result

    def __del__(self) -> None:
        with contextlib.suppress(OSError, AttributeError):
            os.close(self._fd)
            _in_use[self._path] -= 1


def _trouble(info: SoundInfo, not_finite: int, partly: str) -> str | None:
    name = sound_file.told_name(info.path)
    if info.defect is not None or not (partly or not_finite):
        return info.defect
    what = "1 sample that is no number" if not_finite == 1 else f"{not_finite} samples that are no numbers"
    return f"{name} {partly}." if partly else f"{name} holds {what}: silent there."


def _checked(fd: int) -> tuple[int, int, int]:
    """Channels, frames and samples that were no numbers of a copy that is whole; ValueError for any other."""
    with open(fd, "rb", closefd=False) as file:
        head = file.read(HEAD.size)
        if len(head) < HEAD.size:
            raise ValueError
        mark, channels, wanted, size, not_finite = HEAD.unpack(head)
        if mark != MARK or not channels or size % (4 * channels) or os.fstat(fd).st_size != HEAD.size + size:
            raise ValueError
        crc = 0
        while chunk := file.read(1 << 20):
            crc = zlib.crc32(chunk, crc)
    if crc != wanted:
        raise ValueError
    return channels, size // (4 * channels), not_finite


class Taken:
    """Some channels of another source, counted from 1."""

    def __init__(self, source: Frames, take: tuple[int, ...]) -> None:
        self.source, self._columns = source, [number - 1 for number in take]
        self.channels, self.frames = len(take), source.frames

    def read(self, start: int, frames: int) -> Samples:
        return np.ascontiguousarray(self.source.read(start, frames)[:, self._columns])


def trouble(frames: Frames) -> str | None:
    """What is wrong with the file of a sound that is read all the same, in a sentence; as far as it was read by now."""
    while isinstance(frames, Taken):
        frames = frames.source
    return frames.trouble if isinstance(frames, InPlace | DecodedCopy) else None


_in_use: Counter[Path] = Counter()
_making: dict[Path, threading.Lock] = {}
_registry = threading.Lock()


def open_frames(info: SoundInfo, sample_rate: int, take: tuple[int, ...] | None = None) -> Frames:
    """The file's frames at `sample_rate` Hz; `take` picks channels, counted from 1."""
    source: Frames
    if info.plain_pcm and info.sample_rate == sample_rate:
        source = InPlace(info)
    else:
        source = _decoded(info, sample_rate)
    return Taken(source, take) if take else source


def empty_cache() -> int:
    """Deletes every decoded copy that is not open; returns the bytes freed."""
    return _shrink(0)


def _decoded(info: SoundInfo, sample_rate: int) -> DecodedCopy:
    """The copy of a file, made where there is none that is whole. SoundFileError where nothing can be decoded."""
    path = places.cache_folder("decoded") / f"{content_hash(info.path)}-{sample_rate}.f32"
    with _registry:
        lock = _making.setdefault(path, threading.Lock())
    with lock:
        try:
            found = DecodedCopy(path, info, sample_rate)
            os.utime(path)
            return found
        except (OSError, ValueError):
            _make(path, info, sample_rate)
        try:
            return DecodedCopy(path, info, sample_rate)
        except ValueError:
            name = short_name(sound_file.display_name(info.path))
            raise SoundFileError(f"{name} can't be decoded: its copy in the cache does not stay whole.") from None


def _make(path: Path, info: SoundInfo, sample_rate: int) -> None:
    _shrink(CACHE_LIMIT_BYTES)
    beside = Beside(path)
    try:
        out = beside.file
        out.write(bytes(HEAD.size))
        crc, size, not_finite = _decode(info, sample_rate, out)
        if size == 0:
            name = short_name(sound_file.display_name(info.path))
            raise SoundFileError(f"{name} can't be decoded: no sound could be read from it.")
        out.seek(0)
        out.write(HEAD.pack(MARK, info.channels, crc, size, not_finite))
        beside.keep()
    finally:
        beside.discard()


def _decode(info: SoundInfo, sample_rate: int, out: BinaryIO) -> tuple[int, int, int]:
    """Writes the samples; returns their CRC-32, how many bytes they are, and how many were no numbers."""
    resampler = None
    if info.sample_rate != sample_rate:
        resampler = soxr.ResampleStream(info.sample_rate, sample_rate, info.channels, dtype="float32", quality="VHQ")
    crc = size = not_finite = 0

    def write(block: Samples) -> None:
        nonlocal crc, size
        data = np.ascontiguousarray(block).tobytes()
        crc, size = zlib.crc32(data, crc), size + len(data)
        out.write(data)

    for block in sound_file.read_blocks(info):
        not_finite += sound_file.make_finite(block)
        write(resampler.resample_chunk(block) if resampler else block)
    if resampler:
        write(resampler.resample_chunk(np.zeros((0, info.channels), dtype=np.float32), last=True))
    return crc, size, not_finite


def _shrink(limit_bytes: int) -> int:
    copies = []
    for path in places.cache_folder("decoded").glob("*.f32"):
        with contextlib.suppress(OSError):  # another run was quicker
            status = path.stat()
            copies.append((status.st_mtime, status.st_size, path))
    total = sum(size for _, size, _ in copies)
    freed = 0
    for _, size, path in sorted(copies):
        if total - freed <= limit_bytes:
            break
        if not _in_use[path]:
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
                freed += size
    return freed
