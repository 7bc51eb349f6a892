"""What commands do: the verbs of the window, on the parts it is made of."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit, QWidget

from all_even.app.desk import Desk
from all_even.app.lanes.entries import entry
from all_even.app.song_time import SongTime
from all_even.app.work import Report
from all_even.errors import UserError
from all_even.session.editing import copying, edits
from all_even.session.file.store import SUFFIX
from all_even.session.model.on_time_line import Loop
from all_even.session.model.strips import MIX
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.status import StatusLine
    from all_even.app.workbench import Workbench


class Frame(Protocol):
    """What actions need of the window. bench: None before a session was opened."""

    status: "StatusLine"
    workbench: "Workbench | None"

    def close(self) -> bool: ...
    def close_session(self) -> None: ...
    def switch_theme(self) -> None: ...
    def show_finder(self) -> None: ...
    def show_page(self, name: str, at: str = "") -> None: ...
    def stop(self) -> None: ...


class Actions:
    """dialogs: the widget they belong to."""

    def __init__(self, desk: Desk, frame: Frame, dialogs: QWidget) -> None:
        self.desk, self.frame, self._dialogs = desk, frame, dialogs
        self.time = SongTime(self)

    # Files.

    def open_path(self, path: Path) -> None:
        """Opens a folder or a session file."""
        path = Path(path)
        if path.is_dir():
            self.desk.documents.open_folder(path)
        elif path.suffix == SUFFIX or path.is_file():
            self.desk.documents.open_session(path)
        else:
            self.desk.said.emit(f"{path.name} is neither a folder nor a session file.")

    def ask_folder(self) -> None:
        chosen = self.ask(QFileDialog.FileMode.Directory, "Open a folder of tracks")
        if chosen:
            self.desk.documents.open_folder(chosen)

    def ask_session(self) -> None:
        chosen = self.ask(QFileDialog.FileMode.ExistingFile, "Open a session", f"Sessions (*{SUFFIX})")
        if chosen:
            self.desk.documents.open_session(chosen)

    def ask_files(self) -> None:
        """Adds files to the open session."""
        if self.desk.is_open:
            chosen = self.choose(QFileDialog.FileMode.ExistingFiles, "Add files")
            if chosen:
                self.desk.documents.add_files(chosen)

    def replace_file(self) -> None:
        """Another file for the selected lane; its settings stay."""
        current = self.desk.current_lane if self.desk.is_open else None
        if current is not None:
            chosen = self.choose(QFileDialog.FileMode.ExistingFile, "Another file for this lane")
            if chosen:
                self.desk.documents.replace_file(current, chosen[0])

    def drop(self, paths: list[Path]) -> None:
        """What was dropped on the window: a session is opened; files and folders are added to the open session, or
        make one. At Check files are references."""
        session = next((path for path in paths if path.suffix == SUFFIX), None)
        if session is not None:
            self.open_path(session)
        elif self.desk.is_open and self.desk.stage == "check":
            self.keep_references(paths)
        elif self.desk.is_open:
            self.desk.documents.add_files(paths)
        elif paths:
            self.open_path(paths[0] if paths[0].is_dir() else paths[0].parent)

    def ask(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: str = "") -> Path | None:
        """A file or folder chosen by the user."""
        chosen = self.choose(mode, title, pattern, save)
        return chosen[0] if chosen else None

    def choose(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: str = "") -> list[Path]:
        """Files or folders chosen by the user; none where he thought better of it. save: to write to, named so."""
        dialog = QFileDialog(self._dialogs, title, str(Path.home()), pattern)
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setFileMode(mode)
        if save:
            dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
            dialog.selectFile(save)
        return [Path(name) for name in dialog.selectedFiles()] if dialog.exec() else []

    def ask_text(self, what: str, known: str, typed: Callable[[str], None]) -> None:
        """A few words, typed over the song strip."""
        if self.frame.workbench is not None:
            self.frame.workbench.head.transport.strip.ask(what, known, typed)

    def add_session_references(self) -> None:
        """Finished mixes, or the rough mix, that belong to this session."""
        chosen = self.choose(QFileDialog.FileMode.ExistingFiles, "Finished mixes to compare this session with")
        if chosen:
            self.keep_references(chosen)

    def keep_references(self, paths: list[Path]) -> None:
        """Keeps files with the session by their place; what is no sound file is said."""
        from all_even.audio import sound_file
        from all_even.figures.elsewhere.references import ROUGH_WORDS
        from all_even.session.file.new import add_reference
        from all_even.session.model.session import Use

        files = [item for path in paths for item in (sorted(path.iterdir()) if path.is_dir() else [path])]
        taken = 0
        for path in files:
            use: Use = "rough mix" if any(word in path.stem.lower() for word in ROUGH_WORDS) else "reference"
            try:
                sound_file.inspect(path)
            except UserError as error:
                if path in paths:
                    self.desk.said.emit(str(error))
                continue
            self.desk.edit(lambda s, one=path, is_=use: add_reference(s, one, is_), merge="references")  # type: ignore[misc]
            taken += 1
        self.desk.end_gesture()
        if taken:
            from all_even.app.stages.check.shown import shown_of

            shown_of(self.desk).ask_anew()

    def add_references(self) -> None:
        """Finished mixes to compare with, known to all sessions on this machine."""
        from all_even.session.machine import references

        chosen = self.choose(QFileDialog.FileMode.ExistingFiles, "Finished mixes to compare with")
        if chosen:
            try:
                count = len(references.add(chosen))
            except UserError as error:
                self.desk.said.emit(str(error))
                return
            self.desk.said.emit(f"{count} reference{'s are' if count > 1 else ' is'} known now.")
            self.desk.figures.renew()
            self.desk.moves_changed.emit()
            self.desk.mix_measured.emit()

    def forget_references(self) -> None:
        """Empties the list; the files stay where they are."""
        from all_even.session.machine import references

        try:
            references.keep(())
        except UserError as error:
            self.desk.said.emit(str(error))
            return
        self.desk.said.emit("No reference is known any more; their files stay.")
        self.desk.figures.renew()
        self.desk.mix_measured.emit()

    def save(self) -> None:
        if self.desk.is_open:
            if self.desk.path is None:
                self.save_as()
            else:
                self.desk.documents.save()

    def save_as(self) -> None:
        if self.desk.is_open:
            chosen = self.ask(
                QFileDialog.FileMode.AnyFile,
                "Save the session",
                f"Sessions (*{SUFFIX})",
                save=f"{self.desk.session.name}{SUFFIX}",
            )
            if chosen:
                self.desk.documents.save(chosen)

    def save_template(self) -> None:
        """Keeps what is set, for the next song; proposed there by roles."""
        from all_even.session.machine import template

        desk = self.desk
        if not desk.is_open or self.frame.workbench is None:
            return

        def typed(name: str) -> None:
            if not name.strip():
                return
            try:
                template.keep(template.of_session(desk.session, name))
            except UserError as error:
                desk.said.emit(str(error))
                return
            desk.said.emit(f"Template “{name.strip()}” kept: proposed for the next folder, by roles.")

        self.ask_text("Name of the template", desk.session.name, typed)

    def filter_lanes(self) -> None:
        """The field over the lanes."""
        if self.frame.workbench is not None and self.desk.is_open:
            self.frame.workbench.lanes.filter.setFocus()
            self.frame.workbench.lanes.filter.selectAll()

    def rename_song(self) -> None:
        if self.desk.is_open:
            name, ok = QInputDialog.getText(
                self._dialogs, "Rename the song", "Name", QLineEdit.EchoMode.Normal, self.desk.session.name
            )
            if ok and name.strip():
                self.desk.edit(lambda s: replace(s, name=" ".join(name.split())[:200]))

    def empty_cache(self) -> None:
        def done(freed: int) -> None:
            self.desk.said.emit(f"{freed / 1e6:.0f} MB of decoded copies deleted; what is open stays.")

        def job(_report: Report) -> int:
            from all_even.audio.decoded import empty_cache

            return empty_cache()

        self.desk.work.start("cache", job, done)

    # Playing.

    def locate(self, seconds: float) -> None:
        if self.desk.is_open and self.frame.workbench is not None:
            self.desk.player.locate(seconds)
            self.frame.workbench.head.transport.strip.set_position(seconds)

    def to_start(self) -> None:
        if self.desk.is_open:
            self.desk.player.stop()
            self.desk.player.locate(0.0)

    def toggle_loop(self) -> None:
        if not self.desk.is_open:
            return
        loop = self.desk.session.loop
        if loop is None:
            self.desk.said.emit("Drag along the song strip first: that marks the section to repeat.")
            return
        turned = Loop(start_s=loop.start_s, end_s=loop.end_s, active=not loop.active)
        self.desk.edit(lambda s: edits.set_loop(s, turned))

    def follow(self) -> None:
        if self.frame.workbench is not None:
            self.frame.workbench.head.transport.follow.click()

    def compare(self) -> None:
        if self.frame.workbench is not None and self.desk.is_open:
            self.frame.workbench.side.versions.compare()

    # Going somewhere.

    def go_to_strip(self, strip_id: str) -> None:
        """Selects a lane, a bus or the mix, at a stage that shows it."""
        workbench = self.frame.workbench
        if workbench is None or not self.desk.is_open:
            return
        if strip_id not in workbench.lanes.lane_ids():
            hidden = self.desk.session.is_lane(strip_id) and self.desk.session.lane(strip_id).hidden
            if hidden:
                workbench.lanes.hidden_button.setChecked(True)
            else:
                self.desk.set_stage("buses")
        self.desk.select((strip_id,))
        workbench.lanes.setFocus()

    def go_to_station(self, strip_id: str, station_id: str) -> None:
        """Opens a station where it stands."""
        self.desk.set_stage("buses")
        self.go_to_strip(strip_id)
        self.bench("buses").open_part(station_id)

    # Copy and paste.

    def selected_strips(self) -> list[str]:
        """The selected rows that are strips: lanes and buses."""
        strips = {strip.id for strip in self.desk.session.strips}
        return [item for item in self.desk.selected if item in strips]

    def copy_strip(self) -> None:
        """Puts what is set on the current strip on the clipboard, as text."""
        current = self.desk.current
        clipboard = QApplication.clipboard()
        if current is None or clipboard is None:
            return
        try:
            clipboard.setText(copying.copied(self.desk.session, current))
        except KeyError:
            self.desk.said.emit("A folder group has no settings to copy but its level.")
            return
        name = self.desk.session.strip_name(current)
        self.desk.said.emit(f"{name}: chain, sends, level and pan copied; the Edit menu pastes each by itself.")

    def paste(self, part: copying.Part) -> None:
        """Puts one part of what was copied on the selected strips."""
        clipboard = QApplication.clipboard()
        if not self.desk.is_open or clipboard is None:
            return
        chosen = self.selected_strips()
        if part == "chain" and MIX in self.desk.selected:
            chosen.append(MIX)
        try:
            found = copying.read(clipboard.text())
        except UserError as error:
            self.desk.said.emit(str(error))
            return
        if self.desk.try_edit(lambda s: copying.paste(s, chosen, part, found)):
            what = {"chain": "Chain", "sends": "Sends", "level": "Level and pan"}[part]
            count = f"{len(chosen)} strips" if len(chosen) != 1 else self.desk.session.strip_name(chosen[0])
            self.desk.said.emit(f"{what} of {found.name} pasted to {count}; undo takes it back.")

    # Lanes.

    def rename(self) -> None:
        if self.desk.current is not None and self.frame.workbench is not None:
            self.frame.workbench.lanes.gestures.start_rename(self.desk.current)

    def toggle(self, field: str) -> None:
        if self.frame.workbench is not None and self.desk.is_open:
            self.frame.workbench.lanes.toggle(field)

    def select_all(self) -> None:
        if self.desk.is_open and self.frame.workbench is not None:
            self.desk.select(tuple(self.frame.workbench.lanes.lane_ids()))

    def select_family(self) -> None:
        if self.desk.is_open and self.desk.current and self.frame.workbench is not None:
            family = family_of(entry(self.desk.session, self.desk.current).role)
            shown = set(self.frame.workbench.lanes.lane_ids())
            self.desk.select(tuple(i for i in edits.lanes_of_family(self.desk.session, family) if i in shown))

    def clear_solo(self) -> None:
        if self.desk.is_open:
            soloed = [lane.id for lane in self.desk.session.lanes if lane.solo]
            self.desk.edit(lambda s: edits.change_strips(s, soloed, solo=False))

    def toggle_hidden_lanes(self) -> None:
        if self.frame.workbench is not None:
            self.frame.workbench.lanes.hidden_button.toggle()

    # Pages and panels.

    def write_note(self) -> None:
        if self.desk.is_open and self.frame.workbench is not None:
            self.show_tab(2)
            self.frame.workbench.side.notes.text.setFocus()

    def name_snapshot(self) -> None:
        if self.desk.is_open and self.frame.workbench is not None:
            self.show_tab(3)
            self.frame.workbench.side.versions.name.setFocus()

    def show_tab(self, index: int) -> None:
        if self.frame.workbench is not None:
            self.frame.workbench.side.setCurrentIndex(index)

    def go_on(self) -> None:
        """To what is next in the order of the work."""
        if self.frame.workbench is not None and self.frame.workbench.head.next.stage:
            self.desk.set_stage(self.frame.workbench.head.next.stage)
            self.show_tab(0)

    def tick_off(self) -> None:
        """Marks the present stage as done, or takes the mark away."""
        if self.desk.is_open:
            self.desk.moves.tick_off(self.desk.stage, self.desk.stage not in self.desk.moves.done)

    def zoom(self, factor: float) -> None:
        """Shows a shorter stretch of the song (over 1), a longer one, or all of it (0)."""
        if self.frame.workbench is not None and self.desk.is_open:
            self.frame.workbench.head.transport.strip.zoom(factor)

    def on_card(self, act: str) -> None:
        """Does something with the move whose card has the keyboard or was pointed at, else with the first."""
        if self.frame.workbench is not None and self.desk.is_open:
            self.show_tab(0)
            card = self.frame.workbench.side.moves.current_card()
            if card is None:
                self.desk.said.emit("There is no move at this stage.")
            else:
                card.act(act)

    def bench(self, stage: str) -> "Bench":
        """A stage's bench; a session is open."""
        assert self.frame.workbench is not None
        return self.frame.workbench.bench.of(stage)

    def go_to_bench(self, stage: str) -> "Bench":
        """Shows a stage; returns its bench."""
        self.desk.set_stage(stage)
        return self.bench(stage)
