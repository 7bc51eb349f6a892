"""What a sound file's own header says, read without a decoder.

The decoder silently shortens a file whose header promises more than is there, and refuses some
files without a reason a person could use. A few bytes of the header give the reason.
"""

import struct
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Header:
    """Fields of a RIFF, RF64, W64 or AIFF header; None where the field was not found.

    promised_bytes: size of the sound data by the header. present_bytes: what the file holds of it.
    """

    channels: int | None = None
    sample_rate: float | None = None
    frame_bytes: int | None = None
    promised_bytes: int | None = None
    present_bytes: int | None = None


W64_RIFF = bytes.fromhex("726966662e91cf11a5d628db04c10000")
UNKNOWN_SIZE = 0xFFFFFFFF
MOST_CHUNKS = 2000


def read_header(path: Path) -> Header | None:
    """The header of a RIFF, RF64, W64 or AIFF file, or None for any other beginning."""
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


def _riff(file, size: int) -> Header:  # type: ignore[no-untyped-def]
    channels = rate = frame_bytes = None
    data_size_64 = None
    position = 12
    for _ in range(MOST_CHUNKS):
        file.seek(position)
        head = file.read(8)
        if len(head) < 8:
            break
        name, length = head[:4], struct.unpack("<I", head[4:])[0]
        if name == b"ds64":
            body = file.read(16)
            if len(body) == 16:
                data_size_64 = struct.unpack("<Q", body[8:])[0]
        elif name == b"fmt ":
            body = file.read(16)
            if len(body) == 16:
                _, channels, rate, _, frame_bytes, _ = struct.unpack("<HHIIHH", body)
        elif name == b"data":
            promised = data_size_64 if length == UNKNOWN_SIZE and data_size_64 is not None else length
            present = size - position - 8
            if promised == UNKNOWN_SIZE:  # a recorder that was stopped before it wrote the size
                promised = present
            return Header(channels, rate, frame_bytes, promised, min(promised, present))
        position += 8 + length + (length & 1)
    return Header(channels, rate, frame_bytes)


def _aiff(file, size: int) -> Header:  # type: ignore[no-untyped-def]
    channels = rate = frame_bytes = promised = present = None
    position = 12
    for _ in range(MOST_CHUNKS):
        file.seek(position)
        head = file.read(8)
        if len(head) < 8:
            break
        name, length = head[:4], struct.unpack(">I", head[4:])[0]
        if name == b"COMM":
            body = file.read(18)
            if len(body) == 18:
                channels, _, bits = struct.unpack(">hIh", body[:8])
                rate = _extended(body[8:18])
                frame_bytes = channels * ((bits + 7) // 8)
        elif name == b"SSND":
            promised = max(0, length - 8)
            present = min(promised, max(0, size - position - 16))
        position += 8 + length + (length & 1)
    return Header(channels, rate, frame_bytes, promised, present)


def _w64(file, size: int) -> Header:  # type: ignore[no-untyped-def]
    channels = rate = frame_bytes = None
    position = 40
    for _ in range(MOST_CHUNKS):
        file.seek(position)
        head = file.read(24)
        if len(head) < 24:
            break
        name, length = head[:4], struct.unpack("<Q", head[16:])[0]
        if name == b"fmt ":
            body = file.read(16)
            if len(body) == 16:
                _, channels, rate, _, frame_bytes, _ = struct.unpack("<HHIIHH", body)
        elif name == b"data":
            promised = max(0, length - 24)
            return Header(channels, rate, frame_bytes, promised, min(promised, size - position - 24))
        if length < 24:
            break
        position += (length + 7) // 8 * 8
    return Header(channels, rate, frame_bytes)


def _extended(data: bytes) -> float:
    """An 80-bit IEEE extended number, as AIFF writes its rate."""
    exponent, mantissa = struct.unpack(">HQ", data)
    return float(mantissa * 2.0 ** ((exponent & 0x7FFF) - 16383 - 63))
