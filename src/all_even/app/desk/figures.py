"""The desk's figures: files measured and opened, then everything that follows from a change, in order of need.

What the eye is on comes first: the mix and the levels on the way, the results of moves that were made, the moves of the
visible stage; then the other stages. One job does all of that; a change stops it and begins anew, and what it
had found out stays in the book. While the sound plays it uses one thread.
"""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from all_even import stages
from all_even.app.desk.state import DeskState
from all_even.app.timers import timer
from all_even.app.work import Line, Report
from all_even.errors import Cancelled, UserError
from all_even.session.editing.faults import fault_id, put_aside_already
from all_even.session.file import store
from all_even.session.tracks.roles import is_held

if TYPE_CHECKING:
    from all_even.engine.sources import Sources
    from all_even.figures.book.book import Book
    from all_even.figures.book.flow import Flow
    from all_even.figures.book.look import Look
    from all_even.figures.book.pages import Pages
    from all_even.figures.sources.relations import Relation
    from all_even.measure.faults.findings import Finding
    from all_even.measure.faults.grouped import Grouped
    from all_even.measure.recording.files import FileReport
    from all_even.session.model.remark import Remark
    from all_even.session.model.session import Session
    from all_even.session.song.song import Song

A = TypeVar("A")
SETTLE_MS = 200
NOT_YET = "That can't be done yet: the files are still being opened."


class Follower(Protocol):
    """What is looked for once the mix is measured (`desk.moves`). look_through: off the interface thread, sends parts;
    take: on it, takes one."""

    def look_through(self, look: "Look", report: Report) -> None: ...
    def take(self, name: str, value: Any) -> None: ...


class DeskFigures(QObject):
    """opened: files can be played. stale: whether the mix changed since it was measured. sources, book: None while the
    files are being opened."""

    opened = pyqtSignal()

    def __init__(self, desk: DeskState, is_playing: Callable[[], bool]) -> None:
        from all_even.app.desk.arrivals import Arrivals

        super().__init__(desk)
        self._desk, self._is_playing = desk, is_playing
        self._follower: Follower | None = None
        self.reports: dict[str, FileReport] = {}
        self.first_looks: dict[str, tuple[Finding, ...]] = {}
        """What three pieces of a file told, before all of it was measured."""
        self.relations: tuple[Relation, ...] = ()
        """Which lanes belong together, as far as it is known."""
        self.song: Song | None = None
        """Tempo, bars, sections; None before they are known."""
        self.flow: Flow | None = None
        self.stale = True
        self.sources: Sources | None = None
        self.book: Book | None = None
        self._pages: Pages | None = None
        self.arrivals: Arrivals = Arrivals(desk, self)
        self._grouped: tuple[object, Grouped] | None = None
        self.held = False
        """Whether something long is done on the sound, which would only be slower with this beside it."""
        self._settle = timer(desk, SETTLE_MS, self.renew, once=True)

    def follow(self, follower: Follower) -> None:
        """Lets moves be looked for behind the figures."""
        self._follower = follower

    @property
    def pending(self) -> bool:
        """Whether something is about to be measured."""
        return self._settle.isActive()

    def clear(self) -> None:
        self._settle.stop()
        self.reports, self.flow, self.stale, self.relations, self.song = {}, None, True, (), None
        self.first_looks, self.held = {}, False
        self.sources = self.book = None
        self.arrivals.clear()

    def song_s(self) -> float:
        """Length of the song in seconds, as far as its files have been measured."""
        if not self._desk.is_open:
            return 0.0
        ends = [
            lane.start_s + report.measures.duration_s
            for lane in self._desk.session.lanes
            if (report := self.reports.get(lane.id)) is not None and report.measures is not None
        ]
        return max(ends, default=0.0)

    def _follow_makeup(self, session: "Session") -> None:
        """Sets the make-ups that follow, on what was measured of the session as it still is."""
        from all_even.figures.book.flow import with_makeup

        if self._desk.is_open and self._desk.session is session and self.flow is not None:
            made = with_makeup(session, self.flow)
            if made is not session:
                self._desk.amend(made)
                self.renew()

    def findings(self) -> "Grouped":
        """What is wrong with the recordings, all together; worked out anew when a file was measured."""
        aside = put_aside_already(self._desk.session)
        key = (
            aside,
            tuple(
                (lane.id, is_held(lane.role), id(self.reports.get(lane.id)), lane.id in self.first_looks)
                for lane in self._desk.session.lanes
            ),
        )
        if self._grouped is None or self._grouped[0] != key:
            from all_even.measure.faults.grouped import grouped

            found = {lane.id: self.findings_of(lane.id, held=is_held(lane.role)) for lane in self._desk.session.lanes}
            open_ones = {
                lane_id: tuple(item for item in items if fault_id(item.kind, lane_id) not in aside)
                for lane_id, items in found.items()
                if items is not None
            }
            self._grouped = (key, grouped(open_ones))
        return self._grouped[1]

    def findings_of(self, lane_id: str, *, held: bool) -> "tuple[Finding, ...] | None":
        """What is wrong with a lane's file, as far as it is known; None where it was not looked at."""
        report = self.reports.get(lane_id)
        if report is None:
            return self.first_looks.get(lane_id)
        from all_even.measure.faults.findings import findings

        return findings(report, held=held)

    def why_nothing(self, lane_id: str, heard: bool) -> str:
        """Why a stage has nothing to say of a lane: it is muted, counts with another, or plays too little."""
        from all_even.figures.sources.relations import rank, source_units

        session = self._desk.session
        if not heard:
            return "muted"
        unit = next((unit for unit in source_units(session, self.relations) if lane_id in unit), (lane_id,))
        others = [session.lane(other) for other in unit if other != lane_id]
        head = min(others, key=lambda lane: rank(lane.role), default=None)
        if head is not None and rank(head.role) <= rank(session.lane(lane_id).role):
            return f"summed with {head.name}"
        return "too little of it to judge"

    def remarks(self) -> "tuple[Remark, ...]":
        """What is to be said of the playing, as far as the song is known."""
        if self.song is None:
            return ()
        from all_even.session.song.performance import remarks

        return remarks(self._desk.session, self.song)

    def forget(self, lane_ids: list[str]) -> None:
        """These lanes read other files now."""
        for lane_id in lane_ids:
            self.reports.pop(lane_id, None)
            self.first_looks.pop(lane_id, None)

    def measure_lanes(self) -> None:
        """Measures every lane that is not measured yet; meanwhile the files are opened, so that they can be played."""
        session = self._desk.session
        wanted = [lane for lane in session.lanes if lane.id not in self.reports]

        def job(report: Report) -> None:
            from all_even.audio import content
            from all_even.measure.recording import files
            from all_even.measure.recording.files import FileReport
            from all_even.measure.recording.first_look import first_looks

            jobs, lanes = [], []
            for lane in wanted:
                try:
                    jobs.append((store.lane_path(session, lane), lane.take))
                    lanes.append(lane)
                except UserError as error:
                    report.send((lane.id, FileReport(Path(lane.file), error=str(error))))

            # What was hashed before is measured already, most likely.
            fresh = [index for index, (path, _) in enumerate(jobs) if not content.is_known(path)]
            if fresh:
                report.progress(-1.0, f"A first look at {len(fresh)} files")
            for index, seen in first_looks([jobs[i] for i in fresh], cancelled=report.cancelled):
                report.send((lanes[fresh[index]].id, seen))

            def progress(done: int, total: int, name: str) -> None:
                report.progress(done / total, f"Measuring: {done} of {total}, {name}")

            for index, result in files.measure_files(jobs, progress=progress, cancelled=report.cancelled):
                report.send((lanes[index].id, result))

        def partial(value: "tuple[str, FileReport | tuple[Finding, ...]]") -> None:
            lane_id, found = value
            if isinstance(found, tuple):
                self.first_looks[lane_id] = found
                if found:
                    self._desk.lane_measured.emit(lane_id)
            else:
                self.reports[lane_id] = found
                self._desk.lane_measured.emit(lane_id)

        self._desk.start("measure", job, lambda _none: self.renew(), partial)
        self.open_sources()

    def open_sources(self) -> None:
        """Opens the files for playing."""
        session, opened = self._desk.session, self.sources

        def job(report: Report) -> "Sources":
            from all_even.engine.sources import Sources

            sources = opened or Sources()
            for index, lane in enumerate(session.lanes):
                if report.cancelled.is_set():
                    raise Cancelled
                report.progress(index / max(1, len(session.lanes)), f"Opening {lane.name}")
                sources.open_lane(session, lane)
            return sources

        def done(sources: "Sources") -> None:
            if self.sources is not sources:
                from all_even.figures.book.book import Book
                from all_even.figures.book.pages import Pages

                self._pages = self._pages or Pages()
                self.sources, self.book = sources, Book(sources, pages=self._pages)
            self.opened.emit()
            self.renew()

        self._desk.start("sources", job, done, line="quick")

    def keep_on_disk(self) -> None:
        """Keeps what was measured of the session, for the next time it is opened."""
        book, session = self.book, self._desk.session
        if book is not None and not self.stale:
            self._desk.start("keep", lambda _report: book.keep_on_disk(session), lambda _none: None)

    def look(self) -> "Look | None":
        """A look at the session as it is now; None while files are being opened."""
        if self.book is None:
            return None
        from all_even.engine.render import WORKERS
        from all_even.figures.book.look import Look

        workers = 1 if self._is_playing() else WORKERS  # playing goes before measuring
        return Look(self._desk.session, self.book, dict(self.reports), None, workers)

    def find(
        self,
        name: str,
        finding: "Callable[[Look], A]",
        show: Callable[[A], None],
        *,
        saying: str = "",
        waiting: str = NOT_YET,
        line: Line = "long",
    ) -> bool:
        """Finds something on the sound of the present session, off this thread, and shows it unless the session was
        closed. saying: meanwhile, in the status line; waiting: where the files are still being opened. Whether it
        is looked for."""
        look = self.look() if self._desk.is_open else None
        if look is None:
            self._desk.said.emit(waiting)
            return False

        def job(report: Report) -> A:
            if saying:
                report.progress(-1.0, saying)
            return finding(look.with_cancel(report.cancelled))

        self._desk.start(name, job, show, line=line)
        return True

    def renew_soon(self) -> None:
        """After a change: when the hand rests for a moment."""
        self.arrivals.renew()
        self._settle.start()

    def look_again(self) -> None:
        """Another stage is looked at: what it needs comes first, and what takes long is looked for only now."""
        lazy = stages.stage(self._desk.stage).lazy
        if self._desk.is_open and (lazy or self._desk.work.busy("figures")):
            self.renew()
        self.arrivals.renew()

    def renew(self) -> None:
        """Brings up to date all that follows from the session."""
        desk = self._desk
        if not desk.is_open or self.held or desk.work.busy("sources") or desk.work.busy("measure"):
            return
        self._settle.stop()
        look = self.look()
        if look is None:
            return
        session, follower = look.session, self._follower

        def job(report: Report) -> None:
            from all_even.figures.song import SONG
            from all_even.figures.sources.relations import relations

            measured = look.with_cancel(report.cancelled)
            report.progress(-1.0, "Measuring the mix")
            measured.hear(*measured.book.flow_wants(session))
            report.send(("flow", measured.book.known_flow(session)))
            if follower is not None:
                follower.look_through(measured, report)
            report.send(("song", measured.get(SONG)))
            report.send(("relations", relations(measured)))

        def partial(part: tuple[str, Any]) -> None:
            name, value = part
            if name == "flow":
                self.flow = value
                self.stale = False
                desk.mix_measured.emit()
                self.arrivals.renew()
                self._follow_makeup(session)
            elif name == "song":
                if value is not self.song:
                    self.song = value
                    desk.song_changed.emit()
            elif name == "relations":
                if value != self.relations:
                    self.relations = value
                    desk.moves_changed.emit()
                    desk.mix_measured.emit()
            elif follower is not None:
                follower.take(name, value)

        desk.start("figures", job, lambda _none: desk.moves_changed.emit(), partial)
