"""Speech with its truth: sentences of our own, said by a synthesiser that tells when each sound begins.

Formant synthesis (Debian's `espeak-ng`); nothing of ours makes its sound, and it knows words and phonemes.
"""

import ctypes
import ctypes.util
import functools
from dataclasses import dataclass

import numpy as np

LIBRARY = ctypes.util.find_library("espeak-ng")
SIBILANTS = ("s", "z", "S", "Z", "tS", "dZ", "ts")
SYNCHRONOUS, PHONEMES, UTF8, WORD, PHONEME, RATE_PARAMETER, PITCH_PARAMETER = 1, 1, 1, 1, 7, 1, 3


class _Id(ctypes.Union):
    _fields_ = [("number", ctypes.c_int), ("name", ctypes.c_char_p), ("string", ctypes.c_char * 8)]


class _Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int), ("identifier", ctypes.c_uint), ("text", ctypes.c_int), ("length", ctypes.c_int),
        ("audio_ms", ctypes.c_int), ("sample", ctypes.c_int), ("user", ctypes.c_void_p), ("id", _Id),
    ]  # fmt: skip


@dataclass(frozen=True)
class Said:
    """sound: (frames,) full scale 1. sounds: (start s, end s, phoneme). words_s: where words begin."""

    sound: np.ndarray
    rate: int
    sounds: tuple[tuple[float, float, str], ...]
    words_s: tuple[float, ...]

    @property
    def sibilants(self) -> list[tuple[float, float]]:
        return [(start, end) for start, end, name in self.sounds if name.rstrip("^;.") in SIBILANTS]


@functools.cache
def _library() -> tuple[ctypes.CDLL, int]:
    library = ctypes.CDLL(LIBRARY)
    return library, int(library.espeak_Initialize(SYNCHRONOUS, 500, None, PHONEMES))


def say(text: str, voice: str = "en", *, words_per_minute: int = 150, pitch: int = 50) -> Said:
    """One text by one voice."""
    library, rate = _library()
    parts: list[np.ndarray] = []
    events: list[tuple[int, str]] = []
    words: list[float] = []

    @ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(_Event))
    def take(wave, count, event):  # type: ignore[no-untyped-def]
        if count > 0 and wave:
            parts.append(np.ctypeslib.as_array(wave, (count,)).copy())
        index = 0
        while event[index].type:
            if event[index].type == PHONEME:
                events.append((event[index].sample, event[index].id.string.decode("utf-8", "replace")))
            elif event[index].type == WORD:
                words.append(event[index].sample / rate)
            index += 1
        return 0

    library.espeak_SetSynthCallback(take)
    library.espeak_SetVoiceByName(voice.encode())
    library.espeak_SetParameter(RATE_PARAMETER, words_per_minute, 0)
    library.espeak_SetParameter(PITCH_PARAMETER, pitch, 0)
    data = text.encode()
    library.espeak_Synth(data, len(data) + 1, 0, 0, 0, UTF8, None, None)
    library.espeak_Synchronize()
    sound = np.concatenate(parts).astype(np.float64) / 32768.0
    ends = [sample for sample, _ in events[1:]] + [len(sound)]
    sounds = tuple((start / rate, end / rate, name) for (start, name), end in zip(events, ends, strict=True))
    return Said(sound, rate, sounds, tuple(words))
