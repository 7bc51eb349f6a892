"""Kick and bass at the bottom: how clearly the kick is heard, how much bass it can bear, how far each covers the other.

All is read from copies at 4 kHz, where both are fully described as far as they meet. *Room for the bass* is the energy
of the bass over the kick's (30 to 250 Hz) at which 70 % of the kick is left: `limit + bass - kick` in dB. A fader does
not move it: what it takes from the bass it gives to the limit. So the change of the room is what a move is worth
beside a fader, its *net*; whoever only takes bass away gains nothing. The masked shares are of the pair alone, up to
2 kHz.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.late import scipy
from all_even.measure.sharing import masking
from all_even.measure.sharing.focus import RATE, Focus, excitation, focus_of

Array = NDArray[np.float64]
ENERGY_HZ = (30.0, 250.0)
QUIET = 1e-20


@dataclass(frozen=True, slots=True, eq=False)
class PairFigures:
    """focus: see `measure.sharing.focus`; None without a hit to judge. kick_db, bass_db: energy from 30 to 250 Hz.
    kick_masked, bass_masked: share that the other covers, 0 to 1; None where it is silent. floor: of these shares."""

    focus: Focus | None
    kick_db: float
    bass_db: float
    kick_masked: float | None
    bass_masked: float | None
    floor: float

    @property
    def limit_db(self) -> float | None:
        return self.focus.limit_db if self.focus is not None else None

    @property
    def room_db(self) -> float | None:
        """Bass over kick, dB, at which 70 % of the kick is left; None where the bass is never in its way."""
        return None if self.limit_db is None else self.limit_db + self.bass_db - self.kick_db


def pair_figures(
    kick: Array,
    bass: Array,
    hits_s: Sequence[float],
    *,
    floor: float | None = None,
    kick_bands: Array | None = None,
) -> PairFigures:
    """kick, bass: (frames,) mono at 4 kHz as they arrive. floor: of the state this one is compared with, so that a
    cut is not taken for a gain. kick_bands: the kick's excitation (`measure.sharing.focus`) where it is known."""
    own = kick_bands if kick_bands is not None else excitation(kick, RATE)
    found = focus_of(own, excitation(bass, RATE), hits_s)
    tracks = {name: masking.excitation_of(side[:, np.newaxis], RATE) for name, side in (("kick", kick), ("bass", bass))}
    table = masking.find_masking(tracks, RATE, floor=floor)
    return PairFigures(
        found, energy_db(kick), energy_db(bass), table.shares["kick"], table.shares["bass"], table.floor
    )  # fmt: skip


def energy_db(low: Array, band_hz: tuple[float, float] = ENERGY_HZ) -> float:
    """Mean power of a band of a 4 kHz copy, dB."""
    size = scipy.fft.next_fast_len(max(16, len(low)), real=True)
    spectrum = scipy.fft.rfft(low, size)
    first, last = (round(edge * size / RATE) for edge in band_hz)
    power = float((spectrum[first : last + 1].real ** 2 + spectrum[first : last + 1].imag ** 2).sum())
    return float(10.0 * np.log10(2.0 * power / size / max(1, len(low)) + QUIET))


def net_db(before: PairFigures, after: PairFigures) -> float | None:
    """What a change is worth beside a fader, dB: the change of the room; None where there is no limit to move."""
    if before.room_db is None or after.room_db is None:
        return None
    return after.room_db - before.room_db
