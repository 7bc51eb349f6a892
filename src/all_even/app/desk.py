"""The desk: the one place where the window's session, its measures and its player meet.

Widgets read `desk.session` and call `desk.edit`; they learn of changes by one signal with the old
and the new session. Everything slow goes through `desk.work`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from all_even.app import kept
from all_even.app.work import Job, Report, Work
from all_even.errors import Cancelled, UserError
from all_even.session import edits, recovery, store
from all_even.session.document import Document
from all_even.session.history import History
from all_even.session.model import MIX, Session

AUTOSAVE_MS = 5_000
SETTLE_MS = 200
STAGES = ("gather", "balance", "buses", "print")


@dataclass(frozen=True, slots=True)
class Hearing:
    """Which state is heard: `now`, or a snapshot's name; matched_db: what level matching took away."""

    name: str = "now"
    matched_db: float = 0.0


class Desk(QObject):
    """Lives in the interface thread."""

    changed = pyqtSignal(object, object)
    """(old session, new session)"""
    opened = pyqtSignal()
    saved_state_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    stage_changed = pyqtSignal(str)
    lane_measured = pyqtSignal(str)
    mix_measured = pyqtSignal()
    moves_changed = pyqtSignal()
    hearing_changed = pyqtSignal()
    said = pyqtSignal(str)
    """A sentence for the status line."""

    def __init__(self, open_device: Callable[..., Any] | None = None) -> None:
        super().__init__()
        self.work = Work(self)
        self.work.failed.connect(lambda _name, sentence: self.said.emit(sentence))
        self.document: Document | None = None
        self._open_device = open_device
        self._player: Any = None
        self._sources: Any = None
        self.reports: dict[str, Any] = {}
        self.flow: Any = None
        self.mix_stale = True
        self.moves: dict[str, list[Any]] = {stage: [] for stage in STAGES}
        self.made: dict[str, Any] = {}
        self.unreadable: list[tuple[Path, str, int | None]] = []
        self.selected: tuple[str, ...] = ()
        self.stage = STAGES[0]
        self.hearing = Hearing()
        self._settle = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._settle.timeout.connect(self._measure_mix)
        self._autosave = QTimer(self, interval=AUTOSAVE_MS)
        self._autosave.timeout.connect(self.autosave)

    # The session and its history.

    @property
    def session(self) -> Session:
        assert self.document is not None
        return self.document.session

    @property
    def is_open(self) -> bool:
        return self.document is not None

    @property
    def path(self) -> Path | None:
        """Where the session's file is; None for one that was never saved."""
        return self.document.path if self.document else None

    @property
    def unsaved(self) -> bool:
        return self.document is not None and self.document.unsaved

    @property
    def _history(self) -> History | None:
        return self.document.history if self.document else None

    @property
    def undo_text(self) -> str | None:
        return self._history.undo_text if self._history else None

    @property
    def redo_text(self) -> str | None:
        return self._history.redo_text if self._history else None

    def _start(
        self, name: str, job: Job, done: Callable[[Any], None], partial: Callable[[Any], None] | None = None
    ) -> None:
        """Runs a job of the present document; closing it drops what comes of it."""
        self.work.start(name, job, done, partial, owner=self.document)

    def edit(
        self, edit: edits.Edit, *, merge: str | None = None, text: str | None = None, reason: str = "", move: Any = None
    ) -> None:
        """Applies a pure edit. merge: key of the gesture this belongs to."""
        if self._history is None:
            return
        old = self.session
        if self._history.apply(edit(old), text=text, reason=reason, move=move, merge=merge):
            self._after_change(old)

    def try_edit(self, edit: edits.Edit, *, merge: str | None = None) -> bool:
        """Applies an edit that may be refused; the reason is said in the status line."""
        try:
            self.edit(edit, merge=merge)
        except UserError as error:
            self.said.emit(str(error))
            return False
        return True

    def end_gesture(self) -> None:
        if self._history is not None:
            self._history.end_gesture()

    def undo(self) -> None:
        self._step(History.undo)

    def redo(self) -> None:
        self._step(History.redo)

    def _step(self, step: Callable[[History], bool]) -> None:
        if self._history is None:
            return
        old = self.session
        if step(self._history):
            self._after_change(old)
            self.said.emit(self.session.ledger[-1].text)

    def _after_change(self, old: Session) -> None:
        new = self.session
        if self.hearing.name != "now":
            self.hear_now()
        lanes_before = {lane.id: (lane.file, lane.take, lane.folder) for lane in old.lanes}
        reread = [lane.id for lane in new.lanes if lanes_before.get(lane.id) != (lane.file, lane.take, lane.folder)]
        present = {item.id for item in new.members} | {MIX}
        self.selected = tuple(lane_id for lane_id in self.selected if lane_id in present)
        self.changed.emit(old, new)
        self.saved_state_changed.emit()
        if reread:
            for lane_id in reread:
                self.reports.pop(lane_id, None)
            self.measure_lanes()
        if _sound(old) != _sound(new):
            self.mix_stale = True
            self._send_plan()
            self._settle.start()
        elif old.declined != new.declined:
            self._propose()
        if old.loop != new.loop:
            self._send_loop()

    # Opening and saving.

    def open_folder(self, folder: Path) -> None:
        """Makes a new session of a folder's files, off this thread."""

        def job(report: Report) -> Any:
            from all_even.session.new import inspect_all, new_session, sound_paths

            report.progress(-1.0, f"Looking into {folder.name}")
            good, bad = inspect_all(sound_paths(folder))
            if not good:
                reason = str(bad[0][1]) if bad else f"{folder.name} holds no sound files."
                raise UserError(f"{folder.name} can't be opened: {reason}")
            return new_session(folder, good), [(path, str(error), error.channels) for path, error in bad]

        self.work.start("open", job, lambda result: self._take(result[0], None, unreadable=result[1]))

    def open_session(self, path: Path) -> None:
        """Opens a session file, with what a recovery copy has beyond it."""

        def job(_report: Report) -> Any:
            session = store.load(path)
            return session, recovery.newer_than(path, session)

        def done(result: tuple[Session, tuple[Session, Path] | None]) -> None:
            session, found = result
            self._take(session, path)
            if found is not None and self.document is not None:
                recovered, copy = found
                self.document.copy.adopt(copy)
                self.edit(lambda _now: recovered, text="Recovered what was not saved before")
                self.said.emit("Changes that were not saved last time have been recovered; undo takes them back.")

        self.work.start("open", job, done)

    def open_demo(self) -> None:
        def job(report: Report) -> Any:
            from all_even.demo.stems import demo_folder
            from all_even.session.new import inspect_all, new_session, sound_paths

            report.progress(-1.0, "The crew is playing the demo in (about 15 seconds, only once)")
            folder = demo_folder()
            good, _ = inspect_all(sound_paths(folder))
            return new_session(folder, good, "Slack Water")

        self.work.start("open", job, lambda session: self._take(session, None))

    def add_pair(self, path: Path, take: tuple[int, ...]) -> None:
        """Takes channels of a file that has more than two, as a lane of its own."""
        folder = Path(self.session.folders[0].path)

        def edit(session: Session) -> Session:
            from all_even.session.model import Lane
            from all_even.session.roles import display_name, guess_role

            lane = Lane(
                id=edits.free_id(session, "lane-"),
                name=display_name(path.stem),
                file=path.relative_to(folder).as_posix(),
                role=guess_role(path.stem),
                take=take,
            )
            return edits.add_lanes(session, (lane,))

        self.unreadable = [entry for entry in self.unreadable if entry[0] != path]
        self.edit(edit)

    def _take(self, session: Session, path: Path | None, unreadable: list[Any] | None = None) -> None:
        self.close_session()
        self.document = document = Document(session, path)
        self.unreadable = unreadable or []
        self.selected = (session.lanes[0].id,) if session.lanes else ()
        if path is not None:
            if document.lock is not None and not document.lock.held:
                self.said.emit(f"{path.name} is open in another window: save here under another name.")
            kept.remember_recent(path)
        self._autosave.start()
        self.opened.emit()
        self.saved_state_changed.emit()
        if unreadable:
            count = len(unreadable)
            more = f" ({count - 1} more can't be used; all are listed under Moves.)" if count > 1 else ""
            self.said.emit(f"{unreadable[0][1]}{more}")
        self.measure_lanes()

    def close_session(self) -> None:
        """Lets go of the session; the player stops. What was not saved stays in its recovery copy.

        Whatever is being done for it is dropped, except a save: that completes, for its own file.
        """
        document = self.document
        if document is not None:
            if document.worth_keeping:
                self._write_copy(document)
            self.work.cancel_owned(document)
            document.close()
        self._settle.stop()
        if self._player is not None:
            self._player.stop()
            self._player.set_plan(None)
        self.document = None
        self._sources = None
        self.selected = ()
        self.reports, self.flow, self.mix_stale, self.made = {}, None, True, {}
        self.moves = {stage: [] for stage in STAGES}
        self.unreadable = []
        self.hearing = Hearing()

    def save(self, path: Path | None = None) -> None:
        """Saves to `path`, or where the session came from; says so in the status line."""
        document, target = self.document, path or self.path
        if target is None or document is None:
            return
        if target.suffix != store.SUFFIX:
            target = target.with_name(target.name + store.SUFFIX)
        lock = document.lock_for(target)
        if not lock.held:
            self.said.emit(f"{target.name} is open in another window: save under another name.")
            return
        session, number = document.session, document.begin("save")

        def job(_report: Report) -> None:
            try:
                document.write(session, target, number)
            except UserError:
                if lock is not document.lock:
                    lock.release()
                raise

        def done(_result: None) -> None:
            document.is_saved(session, target, lock)
            kept.remember_recent(target)
            if document is self.document:
                self.saved_state_changed.emit()
            self.said.emit(f"Saved as {target.name} in {target.parent}.")

        self.work.start("save", job, done, owner=document, completes=True)

    def autosave(self) -> None:
        """Keeps a recovery copy of unsaved changes."""
        document = self.document
        if document is not None and document.worth_keeping and document.session != document.kept:
            self._write_copy(document)

    def _write_copy(self, document: Document) -> None:
        session, number = document.session, document.begin("copy")
        document.kept = session
        self.work.start(
            "autosave", lambda _report: document.write_copy(session, number), lambda _none: None,
            owner=document, completes=True,
        )  # fmt: skip

    def recover(self, path: Path) -> None:
        """Opens a recovery copy of a session that was never saved; it becomes this document's copy."""

        def done(session: Session) -> None:
            self._take(session, None)
            if self.document is not None:
                self.document.copy.adopt(path)

        self.work.start("open", lambda _report: store.load(path), done)

    # Selection and stage.

    def select(self, lane_ids: tuple[str, ...]) -> None:
        if lane_ids != self.selected:
            self.selected = lane_ids
            self.selection_changed.emit()

    @property
    def current(self) -> str | None:
        """The lane that the bench shows: the one selected last."""
        return self.selected[-1] if self.selected else None

    @property
    def current_lane(self) -> str | None:
        """The selected lane, or None where a bus, the mix or nothing is selected."""
        current = self.current
        return current if current in {lane.id for lane in self.session.lanes} else None

    def set_stage(self, stage: str) -> None:
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit(stage)

    # Measuring.

    def report(self, lane_id: str) -> Any:
        return self.reports.get(lane_id)

    def measures(self, lane_id: str) -> Any:
        report = self.reports.get(lane_id)
        return report.measures if report else None

    def song_s(self) -> float:
        """Length of the song in seconds, as far as its files have been measured."""
        if not self.is_open:
            return 0.0
        ends = [
            lane.start_s + report.measures.duration_s
            for lane in self.session.lanes
            if (report := self.reports.get(lane.id)) is not None and report.measures is not None
        ]
        return max(ends, default=0.0)

    def measure_lanes(self) -> None:
        """Measures every lane that is not measured yet."""
        session = self.session
        wanted = [lane for lane in session.lanes if lane.id not in self.reports]

        def job(report: Report) -> None:
            from all_even.measure import files
            from all_even.measure.files import FileReport

            jobs, lanes = [], []
            for lane in wanted:
                try:
                    jobs.append((store.lane_path(session, lane), lane.take))
                    lanes.append(lane)
                except UserError as error:
                    report.send((lane.id, FileReport(Path(lane.file), error=str(error))))

            def progress(done: int, total: int, name: str) -> None:
                report.progress(done / total, f"Measuring: {done} of {total}, {name}")

            for index, result in files.measure_files(jobs, progress=progress, cancelled=report.cancelled):
                report.send((lanes[index].id, result))

        def partial(value: tuple[str, Any]) -> None:
            self.reports[value[0]] = value[1]
            self.lane_measured.emit(value[0])

        self._start("measure", job, lambda _none: self.open_sources(), partial)

    def open_sources(self) -> None:
        """Opens the files for playing."""
        session, opened = self.session, self._sources

        def job(report: Report) -> Any:
            from all_even.engine.sources import Sources

            sources = opened or Sources()
            for index, lane in enumerate(session.lanes):
                if report.cancelled.is_set():
                    raise Cancelled
                report.progress(index / max(1, len(session.lanes)), f"Opening {lane.name}")
                sources.open_lane(session, lane)
            return sources

        def done(sources: Any) -> None:
            self._sources = sources
            self._send_plan()
            self._send_loop()
            self._measure_mix()

        self._start("sources", job, done)

    @property
    def sources(self) -> Any:
        """The opened files; None while they are being opened."""
        return self._sources

    def plan(self, session: Session | None = None) -> Any:
        """The plan of a session (the present one), or None while its files are being opened."""
        if self._sources is None:
            return None
        from all_even.engine.plan import make_plan

        return make_plan(session or self.session, self._sources)

    @property
    def mix(self) -> Any:
        """The figures of the mix, as it was measured last."""
        return self.flow.mix if self.flow is not None else None

    def _measure_mix(self) -> None:
        plan = self.plan() if self.is_open else None
        if plan is None or self.work.busy("sources") or self.work.busy("measure"):
            return
        session = self.session
        playing = self._player is not None and self._player.playing

        def job(report: Report) -> Any:
            from all_even.engine.flow import measure_flow

            workers = {"workers": 1} if playing else {}  # playing goes before measuring
            return measure_flow(plan, cancelled=report.cancelled, **workers) if plan.frames else None

        def done(flow: Any) -> None:
            self.flow, self.mix_stale = flow, False
            self._write_results(session)
            self.mix_measured.emit()
            self._propose()

        self._start("mix", job, done)

    def _situation(self, session: Session) -> Any:
        from all_even.engine.flow import measure_flow
        from all_even.engine.plan import make_plan
        from all_even.engine.render import hear_strip, measure_mix
        from all_even.moves.move import Situation

        sources = self._sources

        def measured(trial: Session) -> Any:
            return measure_mix(make_plan(trial, sources))

        def flowing(trial: Session) -> Any:
            sources.update(trial)
            return measure_flow(make_plan(trial, sources))

        def hear(trial: Session, strip_id: str) -> Any:
            sources.update(trial)
            return hear_strip(trial, sources, strip_id)

        return Situation(session, dict(self.reports), self.mix, measured, self.flow, flowing, hear)

    def _propose(self) -> None:
        situation = self._situation(self.session)

        def job(_report: Report) -> dict[str, list[Any]]:
            from all_even.moves.propose import propose

            return {stage: propose(situation, stage) for stage in STAGES}

        def done(moves: dict[str, list[Any]]) -> None:
            self.moves = moves
            self.moves_changed.emit()

        self._start("moves", job, done)

    def propose_all_even(self, done: Callable[[list[Any]], None]) -> None:
        """The move All even for the present state, whether or not it was made before."""
        situation = self._situation(self.session)

        def job(_report: Report) -> list[Any]:
            from all_even.moves.balance.all_even import moves

            return moves(situation) if situation.mix is not None else []

        self._start("all even", job, done)

    def apply_move(self, move: Any) -> None:
        """Makes a move; its result is written into the ledger as soon as it is measured.

        What it has to find on the sound is found first, off this thread.
        """
        if move.prepare is not None:
            situation = self._situation(self.session)

            def job(report: Report) -> Any:
                report.progress(-1.0, f"Trying out: {move.title}")
                return move.prepare(situation)

            self._start("prepare", job, self.apply_move)
            return
        self.made[move.id] = move
        self.edit(move.edit, text=move.title, reason=move.reason, move=move.record())

    def decline_move(self, move: Any, reason: str) -> None:
        self.edit(
            lambda session: edits.decline(session, move.id, reason),
            text=f"Declined: {move.title}",
            reason=reason or "no reason given",
        )

    def _write_results(self, measured: Session) -> None:
        """Figures after moves that were made since the last measuring."""
        if self.document is None or measured != self.session:
            return
        situation = self._situation(self.session)
        session = self.session
        for entry in session.ledger:
            move = entry.move
            if move is not None and move.after is None and move.id in self.made:
                session = edits.record_result(session, move.id, self.made.pop(move.id).measure(situation))
        if session is not self.session:
            self.document.history.amend(session)
            self.changed.emit(session, session)

    # Hearing.

    @property
    def player(self) -> Any:
        """Made on first use: the start page needs no sound."""
        if self._player is None:
            from all_even.engine.player import Player

            self._player = Player(self._open_device) if self._open_device else Player()
        return self._player

    def toggle_play(self) -> None:
        if not self.is_open:
            return
        if self._sources is None:
            if not self.work.busy("sources") and not self.work.busy("measure"):
                self.open_sources()  # it was stopped before
            self.said.emit("Nothing to play yet: the files are still being opened.")
            return
        if self.player.playing:
            self.player.stop()
        else:
            self.player.play()

    def _send_plan(self) -> None:
        plan = self.plan()
        if plan is not None:
            self.player.set_plan(plan)

    def _send_loop(self) -> None:
        if self._sources is None:
            return
        loop = self.session.loop
        self.player.set_loop((loop.start_s, loop.end_s) if loop is not None and loop.active else None)

    def hear_now(self) -> None:
        self.hearing = Hearing()
        self._send_plan()
        self.hearing_changed.emit()

    def hear_snapshot(self, first: str, second: str) -> None:
        """Switches between two states (`now` or snapshot names), the louder lowered to the other's loudness."""
        wanted = second if self.hearing.name == first else first
        states = {name: self._state(name) for name in (first, second)}
        sources, asked = self._sources, self.session
        if sources is None:
            return

        def job(report: Report) -> tuple[dict[str, Any], dict[str, float | None]]:
            from all_even.engine.plan import make_plan
            from all_even.engine.render import measure_mix

            report.progress(-1.0, "Measuring both for the same loudness")
            plans, loudness = {}, {}
            for name, state in states.items():
                sources.update(state)  # a snapshot may read other files
                plans[name] = make_plan(state, sources)
                loudness[name] = measure_mix(plans[name], cancelled=report.cancelled).integrated_lufs
            return plans, loudness

        def done(result: tuple[dict[str, Any], dict[str, float | None]]) -> None:
            plans, loudness = result
            if self.session is not asked:
                return  # it was changed meanwhile
            known = [value for value in loudness.values() if value is not None]
            own = loudness[wanted]
            matched_db = min(known) - own if own is not None and known else 0.0
            self.hearing = Hearing(wanted, matched_db)
            self.player.set_plan(plans[wanted], 10.0 ** (matched_db / 20.0))
            self.hearing_changed.emit()

        self._start("compare", job, done)

    def _state(self, name: str) -> Session:
        return self.session if name == "now" else edits.recall_snapshot(self.session, name)

    def close(self) -> None:
        """Ends threads; called once when the window closes."""
        self._autosave.stop()
        self.close_session()
        self.work.close()  # a recovery copy that is being written is waited for
        if self._player is not None:
            self._player.close()
            self._player = None


def _sound(session: Session) -> tuple[object, ...]:
    """All of a session that can be heard."""
    return (
        session.lanes, session.buses, session.folder_groups, session.shapes, session.mix, session.pan_law
    )  # fmt: skip
