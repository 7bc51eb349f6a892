"""The figures of a session: the mix, and what each lane contributes to it."""

from dataclasses import dataclass

from all_even.engine import arrival
from all_even.engine.flow import Flow, measure_flow
from all_even.engine.plan import Sources, make_plan
from all_even.measure import files
from all_even.measure.track import TrackMeasures
from all_even.session import routing, store
from all_even.session.model import Session


@dataclass(frozen=True, slots=True)
class LaneFigures:
    """contribution_lu: the lane's loudness at the mix bus minus the mix's; None where it is not heard."""

    name: str
    contribution_lu: float | None


@dataclass(frozen=True, slots=True)
class SessionFigures:
    mix: TrackMeasures
    lanes: tuple[LaneFigures, ...]


def session_figures(session: Session, measures: dict[str, TrackMeasures], flow: Flow) -> SessionFigures:
    """Puts figures together from lane measures (by lane id) and the measured flow."""
    mix = flow.mix
    lanes = []
    for lane in session.lanes:
        contribution = None
        if lane.id in measures and routing.is_sounding(session, lane):
            lane_lufs = arrival.arrival(session, lane, measures[lane.id], flow).integrated_lufs
            if lane_lufs is not None and mix.integrated_lufs is not None:
                contribution = lane_lufs - mix.integrated_lufs
        lanes.append(LaneFigures(lane.name, contribution))
    return SessionFigures(mix, tuple(lanes))


def measure_session(session: Session) -> tuple[SessionFigures, dict[str, TrackMeasures], dict[str, str]]:
    """Measures lanes and mix of a session from its files; also the sentences of what can't be used."""
    sources = Sources()
    sources.update(session)
    wanted = [lane for lane in session.lanes if lane.id in sources.frames]
    jobs = [(store.lane_path(session, lane), lane.take) for lane in wanted]
    reports = dict(files.measure_files(jobs))
    measures = {
        lane.id: report.measures for index, lane in enumerate(wanted) if (report := reports[index]).measures is not None
    }
    flow = measure_flow(make_plan(session, sources))
    return session_figures(session, measures, flow), measures, sources.problems
