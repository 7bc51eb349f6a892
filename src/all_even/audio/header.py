"""What a sound file's own header says, read without a decoder.

The decoder silently shortens a file whose header promises more than is there, and refuses some
files without a reason a person could use. A few bytes of the header give the reason. Chunks are only
stepped over, never entered, and only so many of them: whatever a header holds, reading it is quick. Numbers
that no file can mean count as not found.

Sources of the layouts: EBU Tech 3285 (BWF, `bext`), EBU Tech 3306 (RF64, `ds64`), the AIFF 1.3
specification; W64 from memory.
"""

import math
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO


@dataclass(frozen=True, slots=True)
class Header:
    """Fields of a RIFF, RF64, W64 or AIFF header; None where the field was not found.

    promised_bytes: size of the sound data by the header. present_bytes: what the file holds of it.
    time_reference: BWF, in frames since midnight. place: of the sound data in a RIFF file, in bytes.
    """

    channels: int | None = None
    sample_rate: float | None = None
    frame_bytes: int | None = None
    promised_bytes: int | None = None
    present_bytes: int | None = None
    time_reference: int | None = None
    place: int | None = None


W64_RIFF = bytes.fromhex("726966662e91cf11a5d628db04c10000")
UNKNOWN_SIZE = 0xFFFFFFFF
MOST_CHUNKS = 2000
BEXT_TIME = 256 + 32 + 32 + 10 + 8
"""Where the time reference stands in `bext`: after description, originator, its reference, date and time."""


def read_header(path: Path) -> Header | None:
    """The header of a RIFF, RF64, W64 or AIFF file, or None for any other beginning. Raises OSError only."""
    with path.open("rb") as file:
        start = file.read(16)
        size = file.seek(0, 2)
        if start[:4] in (b"RIFF", b"RF64") and start[8:12] == b"WAVE":
            return _riff(file, size)
        if start[:4] == b"FORM" and start[8:12] in (b"AIFF", b"AIFC"):
            return _aiff(file, size)
        if start == W64_RIFF:
            return _w64(file, size)
    return None


def _chunks(file: BinaryIO, size: int, first: int, head: struct.Struct, whole: bool, step: int) -> Iterator[
    tuple[bytes, int, int]
]:  # fmt: skip
    """(name, length of the content, its place) of each chunk that begins inside the file.

    head: name and length. whole: whether the length counts the head too. step: chunks begin at multiples.
    """
    position = first
    for _ in range(MOST_CHUNKS):
        if position + head.size > size:
            return
        file.seek(position)
        data = file.read(head.size)
        if len(data) < head.size:
            return
        name, length = head.unpack(data)
        if whole:
            length -= head.size
        if length < 0:
            return
        yield name, length, position + head.size
        position += head.size + length
        position += -position % step


def _body(file: BinaryIO, place: int, layout: str) -> tuple[int, ...] | None:
    """Numbers at a place; None where the file ends before."""
    file.seek(place)
    size = struct.calcsize(layout)
    data = file.read(size)
    return struct.unpack(layout, data) if len(data) == size else None


def _riff(file: BinaryIO, size: int) -> Header:
    channels = rate = frame_bytes = reference = data_size_64 = promised = present = start = None
    for name, length, place in _chunks(file, size, 12, struct.Struct("<4sI"), False, 2):
        if name == b"ds64" and (sizes := _body(file, place, "<QQ")):
            data_size_64 = sizes[1]
        elif name == b"fmt " and (form := _body(file, place, "<HHIIHH")):
            _, channels, rate, _, frame_bytes, _ = form
        elif name == b"bext" and length >= BEXT_TIME + 8 and (time := _body(file, place + BEXT_TIME, "<Q")):
            reference = time[0]
        elif name == b"data" and promised is None:
            promised = data_size_64 if length == UNKNOWN_SIZE and data_size_64 is not None else length
            present = size - place
            if promised == UNKNOWN_SIZE:  # a recorder that was stopped before it wrote the size
                promised = present
            present = min(promised, present)
            start = place
    return Header(channels, rate, frame_bytes, promised, present, reference, start)


def _aiff(file: BinaryIO, size: int) -> Header:
    channels = rate = frame_bytes = promised = present = None
    for name, length, place in _chunks(file, size, 12, struct.Struct(">4sI"), False, 2):
        if name == b"COMM" and (form := _body(file, place, ">hIhHQ")):
            channels, _, bits, exponent, mantissa = form
            rate = _extended(exponent, mantissa)
            frame_bytes = channels * ((bits + 7) // 8)
        elif name == b"SSND" and promised is None:
            promised = max(0, length - 8)
            present = min(promised, max(0, size - place - 8))
    return Header(channels, rate, frame_bytes, promised, present)


def _w64(file: BinaryIO, size: int) -> Header:
    channels = rate = frame_bytes = promised = present = None
    for name, length, place in _chunks(file, size, 40, struct.Struct("<16sQ"), True, 8):
        if name[:4] == b"fmt " and (form := _body(file, place, "<HHIIHH")):
            _, channels, rate, _, frame_bytes, _ = form
        elif name[:4] == b"data" and promised is None:
            promised, present = length, min(length, size - place)
    return Header(channels, rate, frame_bytes, promised, present)


def _extended(exponent: int, mantissa: int) -> float:
    """An 80-bit IEEE extended number, as AIFF writes its rate; infinite where it is larger than any."""
    try:
        return math.ldexp(float(mantissa), (exponent & 0x7FFF) - 16383 - 63)
    except OverflowError:
        return math.inf
