"""One constant retune of a whole recording into a file of its own; the original stays as it is.

The shifting is Rubber Band's (through pedalboard), in its older engine with long windows and smooth transients: on a
tone of eleven partials everything else stays 60 dB under it, and hits keep their places within a millisecond. Its newer
engine, the default, drifted by 0.1 s in a minute (pedalboard 0.9.26), which `tests/audio/test_retune.py` would find.
"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from all_even.audio import sound_file
from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.errors import UserError, system_reason
from all_even.late import scipy

FOLDER = "Retuned by All Even"
"""Beside the recording; not looked into when a folder is opened."""
MOST_CENTS = 100.0
LONGEST_S = 1800.0
_LAG_STEP, _LAG_S, _LAG_OVER_S = 8, 0.05, 60.0


def shifted(samples: Samples, sample_rate: int, cents: float) -> Samples:
    """(frames, channels) at another pitch, as long as before. cents: up to 100 either way."""
    from pedalboard import time_stretch

    cents = min(MOST_CENTS, max(-MOST_CENTS, cents))
    found = time_stretch(
        np.ascontiguousarray(samples.T), sample_rate, 1.0, cents / 100.0, high_quality=False, transient_mode="smooth",
        use_long_fft_window=True, preserve_formants=False,
    ).T  # fmt: skip
    late = _lag(samples, found, sample_rate)
    result = np.zeros_like(samples)
    kept = found[max(0, late) : max(0, late) + len(samples) - max(0, -late)]
    result[max(0, -late) : max(0, -late) + len(kept)] = kept
    return result


def _lag(before: Samples, after: Samples, sample_rate: int) -> int:
    """By how many frames the sound came late, from its envelope."""
    most = round(_LAG_S * sample_rate / _LAG_STEP)
    a, b = _envelope(before, sample_rate), _envelope(after, sample_rate)
    count = min(len(a), len(b))
    if count <= 2 * most:
        return 0
    likeness = scipy.signal.correlate(b[:count], a[:count], mode="full", method="fft")
    middle = count - 1
    return (int(np.argmax(likeness[middle - most : middle + most + 1])) - most) * _LAG_STEP


def _envelope(samples: Samples, sample_rate: int) -> NDArray[np.float64]:
    loud = np.abs(samples[: round(_LAG_OVER_S * sample_rate)]).sum(axis=1, dtype=np.float64)
    steps = loud[: len(loud) // _LAG_STEP * _LAG_STEP].reshape(-1, _LAG_STEP).mean(axis=1)
    return steps - steps.mean() if len(steps) else steps


def place_of(path: Path, take: tuple[int, ...] | None, cents: float) -> Path:
    """Where a retuned copy lies: in a folder of its own beside the recording."""
    sign = "+" if cents >= 0.0 else "−"
    channels = "" if take is None else " ch " + "-".join(map(str, take))
    home = path.parent if path.parent.name == FOLDER else path.parent / FOLDER
    return home / f"{path.stem}{channels} {sign}{abs(cents):.0f} cents.wav"


def retune(path: Path, take: tuple[int, ...] | None, cents: float) -> Path:
    """Writes a retuned copy (32-bit float WAV), or finds the one that is there. A sentence where it can't be."""
    target = place_of(path, take, cents)
    if target.is_file():
        return target
    info = sound_file.inspect_pair(path, take) if take else sound_file.inspect(path)
    if info.duration_s > LONGEST_S:
        raise UserError(f"{path.name} is longer than {LONGEST_S / 60:.0f} minutes: too long to retune at once.")
    reader = sound_file.Reader(info)
    try:
        samples = reader.read(0, info.frames)
    finally:
        reader.close()
    if take:
        samples = np.ascontiguousarray(samples[:, [channel - 1 for channel in take]])
    try:
        target.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise UserError(f"A folder beside {path.name} can't be made: {system_reason(error)}.") from None
    found = shifted(samples, info.sample_rate, cents)
    write_sound(target, (found,), sample_rate=info.sample_rate, channels=found.shape[1], bits="32f")
    return target
