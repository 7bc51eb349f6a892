"""What equalisers and passes do to each source already: a search goes on from there, within the same limits.

Limits, guard and the price on timbre count from the sources without any equaliser. Counted from the state as it is, a
set could be made again and again, each time a little further.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.figures.sharing.sharing import Sharing
from all_even.measure.sharing.scene import band_gains, bins_hz
from all_even.moves.share import live
from all_even.moves.share.remarks import bands_of
from all_even.session.model.session import Session

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Present:
    """By the sources of a scene. gains: power (tracks, bands) of all that stands still in their chains; counts: bands
    of 1.5 dB and more."""

    gains: Array
    counts: NDArray[np.int64]


def present(session: Session, found: Sharing) -> Present:
    """Of the first lane of each source: its microphones have the same."""
    rate = session.sample_rate
    at = np.maximum(bins_hz(rate), 1.0)
    gains = np.ones((len(found.units), found.scene.power.shape[2]))
    counts = np.zeros(len(found.units), dtype=np.int64)
    for index, unit in enumerate(found.units):
        if live.tone(unit.head):
            gains[index] = band_gains(np.maximum(live.curve(unit.head, at, rate), 1e-4), rate)
            counts[index] = len(bands_of(unit.head))
    return Present(gains, counts)
