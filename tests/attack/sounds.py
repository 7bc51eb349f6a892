"""Broken sound files: a small one of every container we read, and ways to break a header or what follows."""

import random
import struct
from pathlib import Path

import numpy as np
import soundfile

FORMS = (
    ("plain.wav", "WAV", "PCM_16"), ("deep.wav", "WAV", "PCM_24"), ("float.wav", "WAV", "FLOAT"),
    ("double.wav", "WAV", "DOUBLE"), ("many.wav", "WAVEX", "PCM_24"), ("big.rf64", "RF64", "PCM_16"),
    ("wide.w64", "W64", "PCM_24"), ("apple.aiff", "AIFF", "PCM_16"), ("core.caf", "CAF", "PCM_24"),
    ("less.flac", "FLAC", "PCM_16"), ("lossy.ogg", "OGG", "VORBIS"), ("late.mp3", "MP3", "MPEG_LAYER_III"),
    ("phone.wav", "WAV", "GSM610"), ("law.wav", "WAV", "ULAW"),
)  # fmt: skip
EXTREMES = (0, 1, 2, 0x7F, 0xFF, 0x7FFF, 0x8000, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF)
HEAD = 120


def make_seeds(folder: Path) -> list[Path]:
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(2)
    made = []
    for number, (name, container, subtype) in enumerate(FORMS):
        channels, rate = (1 if subtype == "GSM610" else 1 + number % 2), (8_000 if subtype == "GSM610" else 48_000)
        sound = 0.3 * rng.standard_normal((6_000, channels)).clip(-3, 3)
        soundfile.write(folder / name, sound, rate, format=container, subtype=subtype)
        made.append(folder / name)
    midi = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", 12)
    (folder / "hits.mid").write_bytes(midi + b"\x00\x90\x24\x64\x60\x80\x24\x00\x00\xff\x2f\x00")
    return [*made, folder / "hits.mid"]


def broken(whole: bytes, rng: random.Random) -> bytes:
    """One to four wounds, most of them in the header."""
    data = bytearray(whole)
    for _ in range(rng.randint(1, 4)):
        size = len(data)
        place = rng.randrange(min(HEAD, size)) if rng.random() < 0.7 else rng.randrange(size)
        match rng.randrange(8):
            case 0 | 1:
                data[place] ^= 1 << rng.randrange(8)
            case 2:
                data[place : place + 2] = struct.pack("<H", rng.choice(EXTREMES) & 0xFFFF)
            case 3:
                data[place : place + 4] = struct.pack(rng.choice("<>") + "I", rng.choice(EXTREMES))
            case 4:
                data[place : place + 8] = struct.pack("<Q", rng.getrandbits(64) >> rng.randrange(64))
            case 5:
                del data[place:]
            case 6:
                data[place:place] = rng.choice(
                    (
                        rng.randbytes(rng.randrange(1, 40)),
                        b"LIST" + struct.pack("<I", rng.choice(EXTREMES)) + b"INFO",
                        b"bext" + struct.pack("<I", 700) + bytes(700),
                        b"\xff" * 9,
                    )
                )
            case _:
                for _ in range(50):
                    data[rng.randrange(len(data))] = rng.randrange(256)
        if len(data) < 4:
            data += bytes(4)
    return bytes(data)
