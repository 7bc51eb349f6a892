"""The figures of a session: the mix, what each lane contributes and how much of it is covered, the low end."""

from collections.abc import Mapping
from dataclasses import dataclass

from all_even.engine import arrival, judging, listening
from all_even.engine.flow import Flow, measure_flow
from all_even.engine.judging import LowEnd
from all_even.engine.plan import make_plan
from all_even.engine.sources import Opened, Sources, frames_of
from all_even.measure import files, masking
from all_even.measure.character import Character
from all_even.measure.files import FileReport
from all_even.measure.masking import Masking
from all_even.measure.sections import Section
from all_even.measure.track import TrackMeasures
from all_even.session import routing, store
from all_even.session.hits import hits_s
from all_even.session.importance import importance
from all_even.session.model import Session
from all_even.session.song import Part, Song, find_song, is_line, onsets_s


@dataclass(frozen=True, slots=True)
class LaneFigures:
    """contribution_lu: the lane's loudness at the mix bus minus the mix's; masked_share: 0 to 1, how much of it the
    others cover, by section too. None where it is not heard."""

    name: str
    contribution_lu: float | None
    masked_share: float | None
    masked_by_section: tuple[float | None, ...]
    importance: float


@dataclass(frozen=True, slots=True, eq=False)
class SessionFigures:
    """masked_share: mean over the lanes, weighted by importance: for the record, not to be chased by itself."""

    mix: TrackMeasures
    lanes: tuple[LaneFigures, ...]
    masked_share: float | None
    sections: tuple[Section, ...]
    low_end: LowEnd
    masking: Masking


def lane_reports(session: Session, sources: Opened) -> dict[str, FileReport]:
    """Every opened lane's file, measured (from cache where known), by lane id."""
    opened = frames_of(session, sources)
    wanted = [lane for lane in session.lanes if lane.id in opened]
    found = dict(files.measure_files([(store.lane_path(session, lane), lane.take) for lane in wanted]))
    return {lane.id: found[index] for index, lane in enumerate(wanted)}


def session_song(session: Session, reports: Mapping[str, FileReport]) -> Song:
    """Tempo, sections, tuning and timing of a session, with the hits as the user has put them right."""
    parts = []
    for lane in session.lanes:
        report = reports.get(lane.id)
        if report is None or report.measures is None or report.character is None:
            continue
        onsets = onsets_s(lane.role, report.character)
        if onsets is not None and is_line(lane.role, report.character):
            onsets = tuple(time + lane.start_s for time in onsets)
        elif onsets is not None:
            onsets = hits_s(lane, onsets)
        parts.append(Part(lane.id, lane.role, report.measures, report.character, onsets, lane.start_s))
    return find_song(parts)


def session_figures(session: Session, sources: Opened, reports: Mapping[str, FileReport], flow: Flow) -> SessionFigures:
    """Puts figures together from measured files and the measured flow; renders what arrives once more."""
    mix = flow.mix
    heard = listening.hear_lanes(session, sources)
    table = masking.find_masking(heard.excitations, session.sample_rate)
    weights = importance(session)
    sections = session_song(session, reports).sections
    by_section = [table.section(section.start_s, section.end_s) for section in sections]
    lanes = []
    for lane in session.lanes:
        contribution = None
        report = reports.get(lane.id)
        if report is not None and report.measures is not None and routing.is_sounding(session, lane):
            lane_lufs = arrival.arrival(session, lane, report.measures, flow).integrated_lufs
            if lane_lufs is not None and mix.integrated_lufs is not None:
                contribution = lane_lufs - mix.integrated_lufs
        lanes.append(
            LaneFigures(
                lane.name,
                contribution,
                table.shares.get(lane.id),
                tuple(shares.get(lane.id) for shares in by_section),
                weights[lane.id],
            )
        )
    characters: dict[str, Character] = {
        lane_id: report.character for lane_id, report in reports.items() if report.character is not None
    }
    low_end = judging.low_end(session, sources, heard, characters)
    return SessionFigures(mix, tuple(lanes), table.importance_mean(weights), sections, low_end, table)


def measure_session(session: Session) -> tuple[SessionFigures, dict[str, str]]:
    """All figures of a session from its files; also the sentences of what can't be used."""
    sources = Sources()
    sources.update(session)
    reports = lane_reports(session, sources)
    flow = measure_flow(make_plan(session, sources))
    return session_figures(session, sources, reports, flow), sources.problems(session)
