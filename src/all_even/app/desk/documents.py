"""The desk's documents: opening folders and sessions, saving, recovery copies."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from all_even.app.desk.question import Answer, Question
from all_even.app.machine import recent
from all_even.app.timers import timer
from all_even.app.work import Report
from all_even.errors import UserError, short_name
from all_even.inputs import is_folder
from all_even.session.editing import edits
from all_even.session.file import recovery, store
from all_even.session.file.document import ChangedMeanwhile, Document
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

if TYPE_CHECKING:
    from all_even.app.desk.figures import DeskFigures
    from all_even.app.desk.moves import DeskMoves
    from all_even.app.desk.state import DeskState
    from all_even.audio.sound_file import SoundInfo

AUTOSAVE_MS = 5_000
Unreadable = tuple[Path, str, int | None]
"""A file that is no lane: where, the sentence why, how many channels it offers."""


class Documents:
    """unreadable: files of the opened folder that can't be used as they are."""

    def __init__(
        self, desk: "DeskState", figures: "DeskFigures", moves: "DeskMoves", close_session: Callable[[], None]
    ) -> None:
        self._desk, self._figures, self._moves, self._close_session = desk, figures, moves, close_session
        self.unreadable: list[Unreadable] = []
        self.is_demo = False
        self._autosave = timer(desk, AUTOSAVE_MS, self.autosave)

    def open_folder(self, folder: Path) -> None:
        """Makes a new session of a folder's files, off this thread."""

        wanted = self._desk.preferences

        def job(report: Report) -> tuple[Session, list[Unreadable]]:
            from all_even.session.file.new import inspect_all, new_session, sound_paths

            report.progress(-1.0, f"Looking into {folder.name}")
            good, bad = inspect_all(sound_paths(folder))
            if not good:
                reason = str(bad[0][1]) if bad else f"{folder.name} holds no sound files."
                raise UserError(f"{folder.name} can't be opened: {reason}")
            session = wanted.begin(new_session(folder, good))
            return session, [(path, str(error), error.channels) for path, error in bad]

        def done(result: tuple[Session, list[Unreadable]]) -> None:
            self.take(result[0], None, result[1])

        self._desk.work.start("open", job, done, line="files")

    def open_session(self, path: Path) -> None:
        """Opens a session file, with what a recovery copy has beyond it."""

        def job(_report: Report) -> tuple[store.Loaded, tuple[Session, Path] | None]:
            loaded = store.read(path)
            return loaded, recovery.newer_than(path, loaded.session)

        def done(result: tuple[store.Loaded, tuple[Session, Path] | None]) -> None:
            loaded, found = result
            self.take(loaded.session, path, seen=loaded.seen)
            if loaded.repairs:
                more = f" And {len(loaded.repairs) - 1} more." if len(loaded.repairs) > 1 else ""
                self._desk.said.emit(f"{path.name} was repaired: {loaded.repairs[0]}{more}")
            document = self._desk.document
            if found is not None and document is not None:
                recovered, copy = found
                document.copy.adopt(copy)
                self._desk.edit(lambda _now: recovered, text="Recovered what was not saved before")
                self._desk.said.emit("Changes that were not saved last time have been recovered; undo takes them back.")

        self._desk.work.start("open", job, done, line="files")

    def open_demo(self) -> None:
        def job(report: Report) -> Session:
            from all_even.demo.stems import demo_folder
            from all_even.session.file.new import inspect_all, new_session, sound_paths

            report.progress(-1.0, "The crew is playing the demo in (about 15 seconds, only once)")
            folder = demo_folder()
            good, _ = inspect_all(sound_paths(folder))
            return new_session(folder, good, "Slack Water")

        self._desk.work.start("open", job, lambda session: self.take(session, None, demo=True), line="files")

    def recover(self, path: Path) -> None:
        """Opens a recovery copy of a session that was never saved; it becomes this document's copy."""

        def done(session: Session) -> None:
            self.take(session, None)
            if self._desk.document is not None:
                self._desk.document.copy.adopt(path)

        self._desk.work.start("open", lambda _report: store.load(path), done, line="files")

    def take(
        self, session: Session, path: Path | None, unreadable: list[Unreadable] | None = None,
        seen: store.Seen | None = None, *, demo: bool = False,
    ) -> None:  # fmt: skip
        """Puts a session on the desk in place of the one that is there. seen: the file, as it was read. demo: whether
        it is the demo, which is explained the first time."""
        desk = self._desk
        self._close_session()
        desk.document = document = Document(session, path, seen)
        self.unreadable, self.is_demo = unreadable or [], demo
        desk.selected = (session.lanes[0].id,) if session.lanes else ()
        if path is not None:
            if document.lock is not None and not document.lock.held:
                desk.said.emit(f"{path.name} is open in {document.lock.holder}: save here under another name.")
            recent.remember_recent(path)
        self._autosave.start()
        desk.opened.emit()
        desk.saved_state_changed.emit()
        if unreadable:
            count = len(unreadable)
            more = f" ({count - 1} more can't be used; all are listed under Moves.)" if count > 1 else ""
            desk.said.emit(f"{unreadable[0][1]}{more}")
        self._moves.look_at_names()
        self._figures.measure_lanes()

    def add_pair(self, path: Path, take: tuple[int, ...]) -> None:
        """Takes channels of a file that has more than two, as a lane of its own."""
        folder = Path(self._desk.session.folders[0].path)

        def edit(session: Session) -> Session:
            from all_even.session.file.new import LONGEST_NAME
            from all_even.session.tracks import naming
            from all_even.session.tracks.roles import guess_role

            inside = path.relative_to(folder).parent.name
            taken = {lane.name.lower() for lane in session.lanes}
            lane = Lane(
                id=edits.free_id(session, "lane-"),
                name=naming.first_name(path.stem, inside, taken)[:LONGEST_NAME],
                file=path.relative_to(folder).as_posix(),
                role=guess_role(path.stem),
                take=take,
            )
            return edits.add_lanes(session, (lane,))

        self.unreadable = [entry for entry in self.unreadable if entry[0] != path]
        self._desk.edit(edit)

    def replace_file(self, lane_id: str, path: Path) -> None:
        """Another file for a lane; one that can't be used is said, and nothing changes."""
        desk = self._desk

        def job(report: Report) -> "SoundInfo":
            from all_even.audio import sound_file

            report.progress(-1.0, f"Looking into {path.name}")
            return sound_file.inspect(path)

        def done(info: "SoundInfo") -> None:
            from all_even.session.file.new import replace_file

            if any(lane.id == lane_id for lane in desk.session.lanes):
                desk.edit(lambda s: replace_file(s, lane_id, info))

        desk.start("replace", job, done)

    def add_files(self, paths: list[Path]) -> None:
        """Adds files, and all in folders, to the open session; each that can't be used is said."""
        desk = self._desk

        def job(report: Report) -> "tuple[list[Path], list[SoundInfo], list[Unreadable]]":
            from all_even.session.file.new import inspect_all, sound_paths

            report.progress(-1.0, "Looking into what was added")
            wanted = [found for path in paths for found in (sound_paths(path) if is_folder(path) else [path])]
            good, bad = inspect_all(wanted)
            return wanted, good, [(path, str(error), error.channels) for path, error in bad]

        def done(result: "tuple[list[Path], list[SoundInfo], list[Unreadable]]") -> None:
            from all_even.session.file.new import add_from_anywhere

            wanted, good, bad = result
            before = {lane.id for lane in desk.session.lanes}
            if good:
                desk.edit(lambda s: add_from_anywhere(s, good))
                added = tuple(lane.id for lane in desk.session.lanes if lane.id not in before)
                if not added:
                    return  # refused, and said
                desk.select(added)
                names = "one track" if len(added) == 1 else f"{len(added)} tracks"
                desk.said.emit(f"Added {names}; undo takes them back.")
            elif not wanted:
                desk.said.emit("There was no sound file among what was added.")
            if bad:
                self.unreadable = [*self.unreadable, *bad]
                more = f" ({len(bad) - 1} more can't be used.)" if len(bad) > 1 else ""
                desk.said.emit(f"{bad[0][1]}{more}")
                desk.moves_changed.emit()

        desk.start("add", job, done, line="files")

    def save(self, path: Path | None = None, *, over: bool = False) -> None:
        """Saves to `path`, or where the session came from; says so in the status line. Where somebody else wrote the
        file meanwhile it asks first, unless it is to be saved `over` that."""
        desk = self._desk
        document, target = desk.document, path or desk.path
        if target is None or document is None:
            return
        if target.suffix != store.SUFFIX:
            target = target.with_name(target.name + store.SUFFIX)
        lock = document.lock_for(target)
        if not lock.held:
            desk.said.emit(f"{target.name} is open in {lock.holder}: save under another name.")
            return
        session, number, place = document.session, document.begin("save"), target

        def job(_report: Report) -> ChangedMeanwhile | None:
            try:
                document.write(session, place, number, over=over)
            except ChangedMeanwhile as changed:
                return changed
            except UserError:
                if lock is not document.lock:
                    lock.release()
                raise
            return None

        def done(changed: ChangedMeanwhile | None) -> None:
            if changed is not None:
                if document is desk.document:
                    self._ask_over(place, changed)
                return
            document.is_saved(session, place, lock)
            recent.remember_recent(place)
            if document is desk.document:
                desk.saved_state_changed.emit()
                self._figures.keep_on_disk()
            desk.said.emit(f"Saved as {place.name} in {place.parent}.")

        desk.work.start("save", job, done, owner=document, completes=True, line="files")

    def _ask_over(self, place: Path, changed: ChangedMeanwhile) -> None:
        """Somebody else wrote the file: what now."""
        self._desk.asked.emit(
            Question(
                f"{changed} Saving over it puts this session in its place; what is there stays beside it as "
                f"{short_name(place.name)}{store.PREVIOUS}.",
                (
                    Answer("Save under another name …", lambda: self._desk.wanted.emit("save-as"), main=True),
                    Answer("Save over it", lambda: self.save(place, over=True)),
                ),
            )
        )

    def autosave(self) -> None:
        """Keeps a recovery copy of unsaved changes."""
        document = self._desk.document
        if document is not None and document.worth_keeping and document.session != document.kept:
            self._write_copy(document)

    def _write_copy(self, document: Document) -> None:
        session, number = document.session, document.begin("copy")
        document.kept = session
        self._desk.work.start(
            "autosave", lambda _report: document.write_copy(session, number), lambda _none: None,
            owner=document, completes=True, line="files",
        )  # fmt: skip

    def let_go(self) -> None:
        """Closes the document; what was not saved stays in its recovery copy."""
        document = self._desk.document
        if document is not None:
            if document.worth_keeping:
                self._write_copy(document)
            self._desk.work.cancel_owned(document)
            document.close()
        self._desk.document = None
        self.unreadable = []

    def stop(self) -> None:
        self._autosave.stop()
