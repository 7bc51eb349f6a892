"""Whole-number PCM of 16 and 24 bits, low byte first, as most recordings are: read where it lies in the file.

A decoder takes the samples one by one; as numbers of a known width they are widened many at a time. The values are
the decoder's own: an integer over its full scale, exact in single precision.
"""

import os

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel

WIDTHS = {"PCM_16": 2, "PCM_24": 3}
"""Bytes of a sample, by the decoder's name for the kind."""


def read(fd: int, place: int, width: int, samples: NDArray[np.float32]) -> int:
    """Fills (frames, channels), C-ordered, from a place in a file; returns how many whole frames there were."""
    raw = os.pread(fd, samples.size * width, place)
    frames = len(raw) // (width * samples.shape[1])
    flat = samples.reshape(-1)[: frames * samples.shape[1]]
    widen(np.frombuffer(raw, dtype=np.uint8)[: len(flat) * width], width, flat)
    return frames


@kernel
def widen(raw, width, samples):  # type: ignore[no-untyped-def]
    """raw: bytes, `width` a sample (2 or 3). samples: as many float32, full scale 1."""
    if width == 3:
        for i in range(len(samples)):
            low, middle, high = np.int32(raw[3 * i]), np.int32(raw[3 * i + 1]), np.int32(raw[3 * i + 2])
            whole = np.int32(np.int32(low << 8) | np.int32(middle << 16) | np.int32(high << 24))
            samples[i] = np.float32(whole) * np.float32(2.0**-31)
    else:
        for i in range(len(samples)):
            whole = np.int32(np.int32(raw[2 * i]) << 16) | np.int32(np.int32(raw[2 * i + 1]) << 24)
            samples[i] = np.float32(np.int32(whole)) * np.float32(2.0**-31)
