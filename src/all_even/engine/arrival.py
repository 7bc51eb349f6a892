"""How loud a lane arrives in the mix: its measured loudness after level, pan and trim.

K-weighting is linear, so the loudness after constant gains follows exactly from the K-weighted
energy per channel: nothing has to be rendered. Once a chain stands between file and fader, the
energy is taken after the chain.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp import pan
from all_even.measure import loudness
from all_even.measure.track import TrackMeasures
from all_even.session.model import Lane, Session

QUIETEST_LUFS, LOUDEST_LUFS, BIN_LU = -60.0, 0.0, 0.5
SPREAD_EDGES = np.arange(QUIETEST_LUFS, LOUDEST_LUFS + BIN_LU, BIN_LU)


@dataclass(frozen=True, slots=True, eq=False)
class Arrival:
    """A lane at the mix bus, mute and solo left aside.

    integrated_lufs: gated loudness of its active parts. momentary_lufs: every 100 ms.
    spread: share of the active time in bins of 0.5 LU from -60 LUFS, (120,), sums to 1 at most.
    """

    integrated_lufs: float | None
    momentary_lufs: NDArray[np.float64]
    spread: NDArray[np.float64]


def arriving_energy(session: Session, lane: Lane, measures: TrackMeasures) -> NDArray[np.float64]:
    """K-weighted energy per 10 ms at the mix bus, left and right, (hops, 2)."""
    gain = decibels.gain(lane.level_db) * decibels.gain(session.mix.trim_db)
    matrix = gain * pan.matrix(measures.channels, lane.pan, session.pan_law)
    result: NDArray[np.float64] = measures.hops.weighted.astype(np.float64) @ matrix**2
    return result


def arrival(session: Session, lane: Lane, measures: TrackMeasures) -> Arrival:
    """How the lane arrives with its present level, pan and the mix trim."""
    energy = arriving_energy(session, lane, measures)
    momentary = loudness.momentary_lufs(energy)
    played = momentary[loudness.active_steps(energy)]
    counts, _ = np.histogram(np.clip(played, QUIETEST_LUFS, LOUDEST_LUFS - 1e-9), SPREAD_EDGES)
    return Arrival(
        integrated_lufs=loudness.integrated_lufs(energy),
        momentary_lufs=momentary,
        spread=counts / max(1, len(played)),
    )
