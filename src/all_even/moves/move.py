"""What a move is: a proposed change that says what it rests on and what it should do.

A stage's rule looks at the session and its measures and returns moves. Making one gives a new
session and a record for the ledger; afterwards the same figure is measured again and stands beside
the expectation.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from all_even.engine.flow import Flow
from all_even.measure.files import FileReport
from all_even.measure.track import TrackMeasures
from all_even.session.edits import Edit
from all_even.session.model import Evidence, MoveRecord, Session


@dataclass(frozen=True, slots=True, eq=False)
class Situation:
    """What rules look at. reports: per lane id; mix: the measured mix, None while it is being measured.

    flow: levels on the way and at the faders. measure_mix, measure_flow: how a trial that needs rendering
    measures another session; hear: the loudest part of a strip's sound before its fader, (frames, channels).
    All three are slow.
    """

    session: Session
    reports: Mapping[str, FileReport]
    mix: TrackMeasures | None = None
    measure_mix: Callable[[Session], TrackMeasures] | None = None
    flow: Flow | None = None
    measure_flow: Callable[[Session], Flow] | None = None
    hear: Callable[[Session, str], NDArray[np.float64]] | None = None

    def measures(self, lane_id: str) -> TrackMeasures | None:
        report = self.reports.get(lane_id)
        return report.measures if report else None


@dataclass(frozen=True, slots=True, eq=False)
class Move:
    """A proposal. target: a lane id, or `mix` or `session`. weight: rank within its stage, high first.

    edit: a function of the present session; metric: the figure it is judged by, with its unit;
    measure: reads that figure after the edit (None where it can't be known yet). prepare: finds on the sound
    what the edit needs, and returns the move as it is to be made; slow.
    """

    id: str
    stage: str
    target: str
    title: str
    reason: str
    evidence: Evidence
    edit: Edit
    metric: str
    before: float | None
    expected: float | None
    expected_from: Literal["predicted", "trial"]
    measure: Callable[[Situation], float | None]
    weight: float = 0.0
    prepare: Callable[[Situation], "Move"] | None = None

    def record(self) -> MoveRecord:
        return MoveRecord(
            id=self.id,
            stage=self.stage,
            target=self.target,
            title=self.title,
            reason=self.reason,
            evidence=self.evidence,
            metric=self.metric,
            before=self.before,
            expected=self.expected,
            expected_from=self.expected_from,
        )
