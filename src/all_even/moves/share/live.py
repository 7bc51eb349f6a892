"""Figures that follow the hand: shares as they will be while a bar is dragged, long before the song is measured again.

From what was measured last, and the change of every lane's equalisers and passes since. A third of the frames is looked
at: all of the session's shares in a few milliseconds. What it says is replaced as soon as it is measured.
"""

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.filters import biquad
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.sharing.sharing import Sharing
from all_even.measure.sharing.scene import Trial, band_gains, bins_hz
from all_even.moves.share.search import SHARE_OF_FRAMES
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
STATIC = (Equaliser, HighPass, LowPass)


def curve(lane: Lane, frequencies_hz: Array, sample_rate: int) -> Array:
    """Linear gain of all of a lane's equalisers and passes together."""
    whole = np.ones(len(frequencies_hz))
    for station in lane.chain:
        if station.bypass:
            continue
        if isinstance(station, Equaliser):
            whole = whole * station.magnitude(frequencies_hz, sample_rate)
        elif isinstance(station, HighPass | LowPass):
            whole = whole * biquad.magnitude(station.sections(sample_rate), frequencies_hz, sample_rate)
    return np.asarray(whole)


def tone(lane: Lane) -> tuple[object, ...]:
    """What of a lane's chain shapes its spectrum and stands still."""
    return tuple(station for station in lane.chain if isinstance(station, STATIC))


def differs_in_tone_alone(before: Session, after: Session) -> bool:
    """Whether nothing but equalisers and passes of lanes is another."""
    rest = [
        [(lane.level_db, lane.pan, lane.mute, lane.solo, lane.destination,
          tuple(s for s in lane.chain if not isinstance(s, STATIC))) for lane in session.lanes]
        for session in (before, after)
    ]  # fmt: skip
    return rest[0] == rest[1] and before.buses == after.buses and before.mix == after.mix


class Live:
    """measured: the session that `found` was measured of."""

    def __init__(self, found: Sharing, measured: Session) -> None:
        self._found, self._measured = found, measured
        scene = found.scene
        self._trial = Trial(scene.thinned(SHARE_OF_FRAMES) if scene.power.shape[1] > 60 else scene)
        self._offset = found.shares - self._trial.before
        self._put: dict[int, tuple[object, ...]] = {}

    def shares(self, session: Session) -> Array:
        """Share* of every source as it will be, NaN where it never sounds."""
        for index in self._changed(session):
            self._trial.put(index, self._gains(session, index))
            self._put[index] = tone(session.lane(self._found.units[index].id))
        return np.asarray(np.clip(self._trial.shares + self._offset, 0.0, 1.0))

    def mean(self, shares: Array) -> float:
        """The session's."""
        known = ~np.isnan(shares)
        return float(self._found.scene.importance[known] @ shares[known])

    def _changed(self, session: Session) -> Collection[int]:
        known = {lane.id for lane in session.lanes}
        told = []
        for index, unit in enumerate(self._found.units):
            if unit.id in known:
                was = self._put.get(index, tone(self._measured.lane(unit.id)))
                if tone(session.lane(unit.id)) != was:
                    told.append(index)
        return told

    def _gains(self, session: Session, index: int) -> Array:
        rate, unit = session.sample_rate, self._found.units[index].id
        now, then = (band_gains(np.maximum(curve(state.lane(unit), np.maximum(bins_hz(rate), 1.0), rate), 1e-4), rate)
                     for state in (session, self._measured))  # fmt: skip
        return np.asarray(now / then)
