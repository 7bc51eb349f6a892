"""Verbs of files: opening, adding, references, saving, templates."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit

from all_even import inputs
from all_even.app.desk import Desk
from all_even.app.verbs.dialogs import Dialogs
from all_even.app.work import Report
from all_even.errors import UserError, short_name
from all_even.session.file.store import SUFFIX


class FileVerbs:
    def __init__(self, desk: Desk, dialogs: Dialogs) -> None:
        self._desk, self._dialogs = desk, dialogs

    def open_path(self, path: Path) -> None:
        """Opens a folder or a session file."""
        path = Path(path)
        if inputs.is_folder(path):
            self._desk.documents.open_folder(path)
        elif path.suffix == SUFFIX or inputs.is_file(path):
            self._desk.documents.open_session(path)
        else:
            self._desk.said.emit(f"{path.name} is neither a folder nor a session file.")

    def ask_folder(self) -> None:
        chosen = self._dialogs.choose_one(QFileDialog.FileMode.Directory, "Open a folder of tracks")
        if chosen:
            self._desk.documents.open_folder(chosen)

    def ask_session(self) -> None:
        chosen = self._dialogs.choose_one(QFileDialog.FileMode.ExistingFile, "Open a session", f"Sessions (*{SUFFIX})")
        if chosen:
            self._desk.documents.open_session(chosen)

    def ask_files(self) -> None:
        """Adds files to the open session."""
        if self._desk.is_open:
            chosen = self._dialogs.choose(QFileDialog.FileMode.ExistingFiles, "Add files")
            if chosen:
                self._desk.documents.add_files(chosen)

    def replace_file(self) -> None:
        """Another file for the selected lane; its settings stay."""
        current = self._desk.current_lane if self._desk.is_open else None
        if current is not None:
            chosen = self._dialogs.choose(QFileDialog.FileMode.ExistingFile, "Another file for this track")
            if chosen:
                self._desk.documents.replace_file(current, chosen[0])

    def choose_processed(self) -> Path | None:
        """A file that a track was sent out as, and that came back."""
        return self._dialogs.choose_one(QFileDialog.FileMode.ExistingFile, "The file that came back")

    def drop(self, paths: list[Path]) -> None:
        """What was dropped on the window: a session is opened; files and folders are added to the open session, or
        make one. At Check files are references."""
        session = next((path for path in paths if path.suffix == SUFFIX), None)
        if session is not None:
            self.open_path(session)
        elif self._desk.is_open and self._desk.stage == "check":
            self.keep_references(paths)
        elif self._desk.is_open:
            self._desk.documents.add_files(paths)
        elif paths:
            self.open_path(paths[0] if inputs.is_folder(paths[0]) else paths[0].parent)

    def add_session_references(self) -> None:
        """Finished mixes, or the rough mix, that belong to this session."""
        chosen = self._dialogs.choose(QFileDialog.FileMode.ExistingFiles, "Finished mixes to compare this session with")
        if chosen:
            self.keep_references(chosen)

    def keep_references(self, paths: list[Path]) -> None:
        """Keeps files with the session by their place; what is no sound file is said."""
        from all_even.audio import sound_file
        from all_even.figures.elsewhere.references import ROUGH_WORDS
        from all_even.session.file.new import add_reference
        from all_even.session.model.session import Use

        files, said = [], ""
        for path in paths:
            inside = inputs.files_of(path) if inputs.is_folder(path) else None
            files += [path] if inside is None else inside
            if inside is not None and not any(sound_file.is_sound_name(item) for item in inside):
                said = f"{short_name(path.name)} is a folder without sound files in it, and no reference."
        taken = 0
        for path in files:
            use: Use = "rough mix" if any(word in path.stem.lower() for word in ROUGH_WORDS) else "reference"
            try:
                sound_file.inspect(path)
            except UserError as error:
                if path in paths:
                    said = str(error)
                continue
            self._desk.edit(lambda s, one=path, is_=use: add_reference(s, one, is_), merge="references")  # type: ignore[misc]
            taken += 1
        self._desk.end_gesture()
        if said:
            self._desk.said.emit(said)
        if taken:
            from all_even.app.stages.check.shown import Shown

            self._desk.shared(Shown).ask_anew()

    def add_references(self) -> None:
        """Finished mixes to compare with, known to all sessions on this machine."""
        from all_even.session.machine import references

        chosen = self._dialogs.choose(QFileDialog.FileMode.ExistingFiles, "Finished mixes to compare with")
        if chosen:
            try:
                count = len(references.add(chosen))
            except UserError as error:
                self._desk.said.emit(str(error))
                return
            self._desk.said.emit(f"{count} reference{'s are' if count > 1 else ' is'} known now.")
            self._desk.figures.renew()
            self._desk.moves_changed.emit()
            self._desk.mix_measured.emit()

    def forget_references(self) -> None:
        """Empties the list; the files stay where they are."""
        from all_even.session.machine import references

        try:
            references.keep(())
        except UserError as error:
            self._desk.said.emit(str(error))
            return
        self._desk.said.emit("No reference is known any more; their files stay.")
        self._desk.figures.renew()
        self._desk.mix_measured.emit()

    def save(self) -> None:
        if self._desk.is_open:
            if self._desk.path is None:
                self.save_as()
            else:
                self._desk.documents.save()

    def save_as(self) -> None:
        if self._desk.is_open:
            chosen = self._dialogs.choose_one(
                QFileDialog.FileMode.AnyFile,
                "Save the session",
                f"Sessions (*{SUFFIX})",
                save=f"{self._desk.session.name}{SUFFIX}",
            )
            if chosen:
                self._desk.documents.save(chosen)

    def save_template(self) -> None:
        """Keeps what is set, for the next song; proposed there by roles."""
        from all_even.session.machine import template

        desk = self._desk
        if not desk.is_open:
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

        self._dialogs.type_over_song("Name of the template", desk.session.name, typed)

    def rename_song(self) -> None:
        if self._desk.is_open:
            name, ok = QInputDialog.getText(
                self._dialogs.parent, "Rename the song", "Name", QLineEdit.EchoMode.Normal, self._desk.session.name
            )
            if ok and name.strip():
                self._desk.edit(lambda s: replace(s, name=" ".join(name.split())[:200]))

    def empty_cache(self) -> None:
        def done(freed: int) -> None:
            self._desk.said.emit(f"{freed / 1e6:.0f} MB of decoded copies deleted; what is open stays.")

        def job(_report: Report) -> int:
            from all_even.audio.decoded import empty_cache

            return empty_cache()

        self._desk.work.start("cache", job, done)
