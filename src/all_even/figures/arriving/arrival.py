"""How loud a lane arrives in the mix: its loudness after chain, level, pan, groups and trim.

K-weighting is linear, so the loudness after gains follows exactly from the K-weighted energy before the
fader: nothing has to be rendered. That energy is the file's own, or what was measured behind the chain.
What the chains of groups do on the way is left aside: this is what the lane brings to them.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.figures.book.flow import Flow, energy_at_fader, feed_energy
from all_even.measure.level import loudness
from all_even.measure.recording.track import TrackMeasures
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Strip

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


def arriving_energy(
    session: Session, lane: Strip, measures: TrackMeasures | None, flow: Flow | None = None
) -> NDArray[np.float64] | None:
    """K-weighted energy per 10 ms at the mix bus, left and right, (hops, 2); None where it is unknown."""
    energy = energy_at_fader(session, lane, measures, flow)
    strip: Strip = lane
    passed: set[str] = set()
    while energy is not None and strip.destination != NOWHERE and strip.id not in passed:
        passed.add(strip.id)
        energy = feed_energy(session, strip, routing.Edge(strip.id, strip.destination, "destination"), energy)
        if strip.destination == MIX:
            return energy * decibels.gain(session.mix.trim_db) ** 2
        strip = session.bus(strip.destination)
    return None


def arrival(session: Session, lane: Strip, measures: TrackMeasures | None, flow: Flow | None = None) -> Arrival:
    """How the lane or bus arrives with its present settings; unknown figures are None or empty."""
    energy = arriving_energy(session, lane, measures, flow)
    if energy is None or not len(energy):
        return Arrival(None, np.zeros(0), np.zeros(len(SPREAD_EDGES) - 1))
    momentary = loudness.momentary_lufs(energy)
    return Arrival(loudness.integrated_lufs(energy), momentary, _spread(momentary[loudness.active_steps(energy)]))


def together(arrivals: Sequence[Arrival]) -> Arrival | None:
    """Several tracks as one: their powers added, step by step. What two of them have in common (microphones of one
    drum) can make the real sum up to 3 dB louder, or quieter by any amount. None where nothing is known of any."""
    known = [item.momentary_lufs for item in arrivals if len(item.momentary_lufs)]
    if not known:
        return None
    power = np.zeros(max(len(item) for item in known))
    for item in known:
        power[: len(item)] += 10.0 ** ((item - loudness.OFFSET_LU) / 10.0)
    gated, ranged = (loudness.gate(power, lu) for lu in (loudness.RELATIVE_GATE_LU, loudness.RANGE_GATE_LU))
    momentary = loudness.OFFSET_LU + decibels.power_db_array(power)
    played = momentary[power >= ranged.min()] if len(ranged) else momentary[:0]
    return Arrival(loudness.lufs(float(gated.mean())) if len(gated) else None, momentary, _spread(played))


def _spread(played: NDArray[np.float64]) -> NDArray[np.float64]:
    counts, _ = np.histogram(np.clip(played, QUIETEST_LUFS, LOUDEST_LUFS - 1e-9), SPREAD_EDGES)
    shares: NDArray[np.float64] = counts / max(1, len(played))
    return shares
