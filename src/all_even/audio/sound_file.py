"""Opening a sound file somebody sent: what it is, whether it can be mixed, and its samples.

A sound file is untrusted input. `inspect` looks at it and either describes it or raises
`SoundFileError` with one sentence that names the file and the cause. `read_blocks` decodes it.
Files are opened read-only, by descriptor, and never changed.
"""

import contextlib
import math
import os
import stat
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TypeAlias

import numpy as np
import soundfile
from numpy.typing import NDArray

from all_even.audio import header as headers
from all_even.audio import pcm
from all_even.errors import UserError, short_name, system_reason

Samples: TypeAlias = NDArray[np.float32]
"""Sound: shape (frames, channels), full scale = 1.0."""

SUFFIXES = frozenset(
    [
        ".wav",
        ".wave",
        ".bwf",
        ".rf64",
        ".w64",
        ".aif",
        ".aiff",
        ".aifc",
        ".caf",
        ".flac",
        ".ogg",
        ".oga",
        ".opus",
        ".mp3",
    ]
)
LOWEST_RATE, HIGHEST_RATE = 4_000, 384_000
MOST_CHANNELS = 1024
BLOCK_FRAMES = 1 << 16
LARGEST_SAMPLE = 1e6
"""120 dB over full scale: what is larger is no sound but damage, and counts like NaN."""
SEEKABLE_PCM = frozenset({"WAV", "WAVEX", "RF64", "W64", "AIFF", "CAF"})
RIFF = frozenset({"WAV", "WAVEX", "RF64"})
PLAIN_SUBTYPES = frozenset({"PCM_S8", "PCM_U8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE"})


RESPONSE_CHANNELS = 4
"""Of a recorded response: left and right of a source on the left, then of one on the right."""


class SoundFileError(UserError):
    """A file that can't be used as it is; `channels` is set when taking a pair of them would help."""

    def __init__(self, sentence: str, channels: int | None = None) -> None:
        super().__init__(sentence)
        self.channels = channels


@dataclass(frozen=True, slots=True)
class SoundInfo:
    """A readable file. `defect`: one sentence when it is damaged but the rest can be used. pcm_place: where in the
    file `audio.pcm` finds its first frame; None where a decoder has to."""

    path: Path
    container: str
    subtype: str
    sample_rate: int
    channels: int
    frames: int
    start_frame: int | None
    defect: str | None
    plain_pcm: bool
    pcm_place: int | None = None

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate


def is_sound_name(path: Path) -> bool:
    """Whether the file's ending is one we read; what it really is, only its content says."""
    return path.suffix.lower() in SUFFIXES


def display_name(path: Path) -> str:
    """The file name as text that any screen and file can hold."""
    return path.name.encode("utf-8", "replace").decode("utf-8")


def told_name(path: Path) -> str:
    """The file name as it stands in a sentence."""
    return short_name(display_name(path))


def inspect(path: Path) -> SoundInfo:
    """Describes the file, or raises `SoundFileError` with the reason it can't be mixed."""
    return _inspected(path, 2, None)


def inspect_response(path: Path) -> SoundInfo:
    """`inspect` for a recorded response, which may have four channels."""
    return _inspected(path, RESPONSE_CHANNELS, None)


def _inspected(path: Path, most_channels: int, take: tuple[int, ...] | None) -> SoundInfo:
    name = told_name(path)
    _check_place(path, name)
    try:
        header = headers.read_header(path)
    except PermissionError:
        raise SoundFileError(f"{name} can't be read: this user has no permission.") from None
    except OSError as error:
        raise SoundFileError(f"{name} can't be read: {system_reason(error)}.") from None
    if header is not None and header.channels == 0:
        raise SoundFileError(f"{name} has no channels: its header says 0.")
    _check_rate(name, header.sample_rate if header else None)
    try:
        with _opened(path) as file:
            info = SoundInfo(
                path=path,
                container=file.format,
                subtype=file.subtype,
                sample_rate=file.samplerate,
                channels=file.channels,
                frames=file.frames,
                start_frame=(header.time_reference or None) if header else None,
                defect=_cut_short(name, header),
                plain_pcm=file.format in SEEKABLE_PCM and file.subtype in PLAIN_SUBTYPES,
                pcm_place=_pcm_place(file, header),
            )
    except (soundfile.SoundFileError, OSError, ValueError, RuntimeError, OverflowError, MemoryError):
        raise SoundFileError(_why_unreadable(path, name, header)) from None
    _check_rate(name, info.sample_rate)
    if take is not None and (not take or min(take) < 1 or max(take) > info.channels):
        raise SoundFileError(f"{name} has no such channel: it has {info.channels}, and {max(take or (0,))} is wanted.")
    if info.channels > most_channels:
        words = "only mono and stereo are mixed, but two of its channels can be taken."
        if most_channels == RESPONSE_CHANNELS:
            words = "a response has 1, 2 or 4."
        raise SoundFileError(f"{name} has {info.channels} channels: {words}", channels=info.channels)
    if info.frames <= 0:
        raise SoundFileError(f"{name} holds no samples: its header is there, the sound is not.")
    return info


def _pcm_place(file: soundfile.SoundFile, header: headers.Header | None) -> int | None:
    """Only where the header says the same as the decoder does."""
    width = pcm.WIDTHS.get(file.subtype)
    if header is None or width is None or file.format not in RIFF or file.endian == "BIG":
        return None
    return header.place if header.frame_bytes == width * file.channels == width * (header.channels or 0) else None


def inspect_pair(path: Path, take: tuple[int, ...]) -> SoundInfo:
    """`inspect` for a file of any number of channels of which `take` (counted from 1) is wanted."""
    return _inspected(path, MOST_CHANNELS, take)


def read_blocks(info: SoundInfo, block_frames: int = BLOCK_FRAMES) -> Iterator[Samples]:
    """The file's samples in order, as blocks (frames, channels). NaN and infinity are passed on.

    Stops at the last frame that can be decoded; a caller that counts finds what is missing.
    """
    frames = max(1024, 2 * block_frames // max(2, info.channels))
    if info.pcm_place is not None:
        yield from _read_pcm(info, info.pcm_place, frames)
        return
    with _opened(info.path) as file:
        while True:
            try:
                with _quiet_decoder(info):
                    block = file.read(frames, dtype="float32", always_2d=True)
            except (soundfile.SoundFileError, RuntimeError):
                return
            if not len(block):
                return
            yield block


def _read_pcm(info: SoundInfo, place: int, frames: int) -> Iterator[Samples]:
    fd = os.open(info.path, os.O_RDONLY)
    try:
        for start in range(0, info.frames, frames):
            block = np.empty((min(frames, info.frames - start), info.channels), dtype=np.float32)
            width = pcm.WIDTHS[info.subtype]
            got = pcm.read(fd, place + start * width * info.channels, width, block)
            if got:
                yield block[:got]
            if got < len(block):
                return
    finally:
        os.close(fd)


class Reader:
    """Random access to a file's frames at its own rate; safe to share between threads.

    not_finite: samples that were no numbers, in what was read so far. cut: whether frames were not there any more.
    """

    def __init__(self, info: SoundInfo) -> None:
        self.info = info
        self.not_finite, self.cut = 0, False
        self._lock = threading.Lock()
        self._fd = os.open(info.path, os.O_RDONLY)
        try:
            self._file = soundfile.SoundFile(self._fd, closefd=False)
        except Exception:
            os.close(self._fd)
            raise

    def read(self, start: int, frames: int) -> Samples:
        """Frames `start` to `start + frames`, zeros where the file has none; never NaN."""
        result = np.zeros((frames, self.info.channels), dtype=np.float32)
        first = max(0, start)
        stop = min(start + frames, self.info.frames)
        if stop > first and self.info.pcm_place is not None:
            width = pcm.WIDTHS[self.info.subtype]
            place = self.info.pcm_place + first * width * self.info.channels
            got_frames = 0
            with contextlib.suppress(OSError):
                got_frames = pcm.read(self._fd, place, width, result[first - start : stop - start])
            self.cut |= got_frames < stop - first
        elif stop > first:
            with self._lock:
                try:
                    self._file.seek(first)
                    got = self._file.read(stop - first, dtype="float32", always_2d=True)
                except (soundfile.SoundFileError, RuntimeError):
                    got = result[:0]
            result[first - start : first - start + len(got)] = got
            self.cut |= len(got) < stop - first
        if self.info.subtype in ("FLOAT", "DOUBLE"):
            self.not_finite += make_finite(result)
        return result

    def close(self) -> None:
        """Harmless when called twice."""
        with self._lock:
            if self._fd >= 0:
                self._file.close()
                os.close(self._fd)
                self._fd = -1

    def __del__(self) -> None:
        if getattr(self, "_file", None) is not None:
            self.close()


def make_finite(samples: Samples) -> int:
    """Sets NaN, infinity and what is larger than `LARGEST_SAMPLE` to 0 in place; returns how many there were."""
    bad = ~(np.abs(samples) < LARGEST_SAMPLE)
    count = int(np.count_nonzero(bad))
    if count:
        samples[bad] = 0.0
    return count


_CHATTER = threading.Lock()


@contextmanager
def _opened(path: Path) -> Iterator[soundfile.SoundFile]:
    fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    try:
        # The MP3 decoder writes to the process's stderr by itself; keep that from the user.
        with _CHATTER, _silent_stderr():
            file = soundfile.SoundFile(fd, closefd=False)
        with file:
            yield file
    finally:
        os.close(fd)


@contextmanager
def _quiet_decoder(info: SoundInfo) -> Iterator[None]:
    """The MP3 decoder also tells stderr of every frame that it skips."""
    if info.container != "MP3":
        yield
        return
    with _CHATTER, _silent_stderr():
        yield


@contextmanager
def _silent_stderr() -> Iterator[None]:
    try:
        kept = os.dup(2)
    except OSError:
        yield
        return
    nowhere = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)


def _check_place(path: Path, name: str) -> None:
    try:
        path.name.encode("utf-8")
    except UnicodeEncodeError:
        raise SoundFileError(f"{name} has a name that is not UTF-8 text: rename the file.") from None
    try:
        found = path.stat()
    except FileNotFoundError:
        folder = short_name(str(path.parent))
        raise SoundFileError(f"{name} is not there any more: {folder} has no such file.") from None
    except PermissionError:
        raise SoundFileError(f"{name} can't be read: this user has no permission.") from None
    except OSError as error:
        raise SoundFileError(f"{name} can't be read: {system_reason(error)}.") from None
    except ValueError:
        raise SoundFileError(f"{name} can't be read: no file can have that name.") from None
    if stat.S_ISDIR(found.st_mode):
        raise SoundFileError(f"{name} is a folder, not a sound file.")
    if not stat.S_ISREG(found.st_mode):
        raise SoundFileError(f"{name} is not a regular file.")
    if found.st_size == 0:
        raise SoundFileError(f"{name} is empty: it has 0 bytes.")


def _check_rate(name: str, rate: float | None) -> None:
    if rate is None:
        return
    if not math.isfinite(rate) or not LOWEST_RATE <= rate <= HIGHEST_RATE:
        raise SoundFileError(
            f"{name} has a sample rate of {rate:g} Hz: "
            f"{LOWEST_RATE / 1000:g} to {HIGHEST_RATE / 1000:g} kHz can be read."
        )


def _cut_short(name: str, header: headers.Header | None) -> str | None:
    if header is None or not header.promised_bytes or not header.frame_bytes or not header.sample_rate:
        return None
    if header.present_bytes is None or header.present_bytes >= header.promised_bytes:
        return None
    bytes_per_s = header.frame_bytes * header.sample_rate
    return (
        f"{name} is cut short: its header promises {header.promised_bytes / bytes_per_s:.1f} s, "
        f"the file holds {header.present_bytes / bytes_per_s:.1f} s."
    )


def _why_unreadable(path: Path, name: str, header: headers.Header | None) -> str:
    if header is not None and header.promised_bytes is None:
        return f"{name} is cut short: it ends before its sound begins."
    if header is not None:
        return f"{name} is damaged, or coded in a way that can't be read."
    suffix = path.suffix.lower().lstrip(".") or "sound"
    return f"{name} is not a sound file: its content is not {suffix.upper()} nor anything else that can be read."
