"""The figures of a session: the mix, what each lane contributes and how much of it is covered, the low end."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from all_even.engine import responses
from all_even.engine.sources import Opened, Sources, frames_of
from all_even.figures.arriving import arrival, spectra
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import moving
from all_even.figures.elsewhere.translation import Translation, translation
from all_even.figures.low_end.low_end import LowEnd, kicks_and_basses, low_end
from all_even.figures.rides.rides import Riding, riding_of
from all_even.figures.rides.sections_heard import SectionHeard, heard_sections
from all_even.figures.sharing.sharing import Apart, Hiding, Sharing, apart, pairs, sharing
from all_even.figures.song import session_song
from all_even.figures.sources.units import units
from all_even.figures.space.space_view import SpaceView, space_view
from all_even.measure.dynamics.movement import Movement
from all_even.measure.recording import files
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.track import TrackMeasures
from all_even.measure.sharing.masking import Masking
from all_even.measure.time.sections import Section
from all_even.session.file import store
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX
from all_even.session.tracks.importance import importance


@dataclass(frozen=True, slots=True)
class LaneFigures:
    """contribution_lu: the lane's loudness at the mix bus minus the mix's; masked_share: 0 to 1, how much of its
    source (`figures.sources.units`) the others cover, by section too. None where it is not heard."""

    name: str
    contribution_lu: float | None
    masked_share: float | None
    masked_by_section: tuple[float | None, ...]
    importance: float


@dataclass(frozen=True, slots=True, eq=False)
class SessionFigures:
    """mix: None where there is nothing to hear. masked_share: mean over the lanes, weighted by importance: for the
    record, not to be chased by itself. sharing, apart, hiding: who hides whom, weights frozen
    (`figures.sharing.sharing`)."""

    mix: TrackMeasures | None
    lanes: tuple[LaneFigures, ...]
    masked_share: float | None
    sections: tuple[Section, ...]
    low_end: LowEnd
    masking: Masking
    sharing: Sharing | None
    apart: Apart | None
    hiding: tuple[Hiding, ...]
    movements: Mapping[str, Movement]
    """What moves in each strip, by id: lanes, buses, mix."""
    space: SpaceView
    rides: Mapping[str, Riding]
    """Each line over its backing, by lane id."""
    heard: tuple[SectionHeard, ...]
    """The sections as they are heard."""
    translation: Translation
    """What is left of each source on other systems."""


def lane_reports(session: Session, sources: Opened) -> dict[str, FileReport]:
    """Every opened lane's file, measured (from cache where known), by lane id."""
    opened = frames_of(session, sources)
    wanted = [lane for lane in session.lanes if lane.id in opened]
    found = dict(files.measure_files([(store.lane_path(session, lane), lane.take) for lane in wanted]))
    return {lane.id: found[index] for index, lane in enumerate(wanted)}


def measured(look: Look) -> Look:
    """The look with every file measured: lanes that read another one since are measured now."""
    opened = frames_of(look.session, look.book.sources)
    missing = [lane for lane in look.session.lanes if lane.id not in look.reports and lane.id in opened]
    if not missing:
        return look
    jobs = [(store.lane_path(look.session, lane), lane.take) for lane in missing]
    found = dict(files.measure_files(jobs, cancelled=look.cancelled, workers=look.workers))
    return replace(look, reports={**look.reports, **{lane.id: found[index] for index, lane in enumerate(missing)}})


def session_figures(session: Session, book: Book, reports: Mapping[str, FileReport]) -> SessionFigures:
    """Puts figures together from measured files and what is heard, in as few passes as there can be."""
    sounding = [lane.id for lane in session.lanes if lane.id in book.fingerprints(session).opened]
    kicks, basses = kicks_and_basses(session)
    chained = [lane.id for lane in session.lanes if lane.id in kicks | basses and lane.id in sounding and lane.chain]
    book.hear(
        session,
        [*book.flow_wants(session), *spectra.wants(session, sounding), *(("sound", lane_id) for lane_id in chained)],
    )
    flow = book.known_flow(session)
    mix = flow.mix if flow is not None else None
    look = Look(session, book, reports)
    unit_of = {lane.id: unit.id for unit in units(look) for lane in unit.lanes}
    table = spectra.find_masking(look, unit_of=unit_of)
    weights = importance(session)
    sections = session_song(session, reports).sections
    by_section = [table.section(section.start_s, section.end_s) for section in sections]
    lanes = []
    for lane in session.lanes:
        contribution = None
        report = reports.get(lane.id)
        if report is not None and report.measures is not None and routing.is_sounding(session, lane):
            lane_lufs = arrival.arrival(session, lane, report.measures, flow).integrated_lufs
            if lane_lufs is not None and mix is not None and mix.integrated_lufs is not None:
                contribution = lane_lufs - mix.integrated_lufs
        lanes.append(
            LaneFigures(
                lane.name,
                contribution,
                table.shares.get(unit_of.get(lane.id, lane.id)),
                tuple(shares.get(unit_of.get(lane.id, lane.id)) for shares in by_section),
                weights[lane.id],
            )
        )
    mean = table.importance_mean(weights)
    return SessionFigures(
        mix, tuple(lanes), mean, sections, low_end(look), table, sharing(look), apart(look), pairs(look),
        {strip_id: found for strip_id in _strips(session) if (found := moving(look, strip_id)) is not None},
        space_view(look), _lines(look), heard_sections(look), translation(look),
    )  # fmt: skip


def _lines(look: Look) -> dict[str, Riding]:
    found = {lane.id: riding_of(look, lane.id) for lane in look.session.lanes}
    return {lane_id: line for lane_id, line in found.items() if line is not None}


def _strips(session: Session) -> tuple[str, ...]:
    return (*(strip.id for strip in session.strips), MIX)


def measure_session(session: Session) -> tuple[SessionFigures, dict[str, str]]:
    """All figures of a session from its files; also the sentences of what can't be used."""
    sources = Sources()
    sources.update(session)
    return session_figures(session, Book(sources), lane_reports(session, sources)), {
        **sources.problems(session),
        **responses.problems(session),
    }
