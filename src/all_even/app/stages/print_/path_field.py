"""Where things are written: a line for a path with its button, proposed beside the session."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QLineEdit, QWidget

from all_even import texts
from all_even.app.asking_files import Mode, chosen
from all_even.app.desk import Desk
from all_even.app.style import fields, layouts, theme


class PathField(QWidget):
    """A path to type or to choose. folder: of a folder instead of a file."""

    def __init__(self, name: str, tip: str, *, folder: bool = False) -> None:
        super().__init__()
        self._folder = folder
        row = layouts.row(self, margins=layouts.NONE, spacing=8)
        self.line = QLineEdit()
        self.line.setAccessibleName(name)
        self.line.setToolTip(texts.tip(tip))
        self.line.setMinimumHeight(theme.TARGET)
        row.addWidget(self.line, 1)
        row.addWidget(fields.button("Choose …", f"Choose a place: {name.lower()}", self.choose))

    def setText(self, text: str) -> None:
        self.line.setText(text)
        self.line.setCursorPosition(len(text))

    def text(self) -> str:
        return self.line.text()

    @property
    def path(self) -> Path:
        return Path(self.line.text()).expanduser()

    def choose(self) -> None:
        """Asks for a file to write to, or a folder."""
        there = self.line.text()
        if self._folder:
            found = chosen(self, Mode.Directory, "Choose a folder", start=there)
        else:
            found = chosen(self, Mode.AnyFile, "Choose a file", save=there, start=str(self.path.parent))
        if found:
            self.setText(str(found[0]))


class Proposed:
    """Proposes places beside the session, or in the home folder for one that has none; anew where that is another."""

    def __init__(self, desk: Desk, propose: Callable[[Path, str], object]) -> None:
        self._desk, self._propose = desk, propose
        self._for: Path | None = None

    def refresh(self) -> None:
        if not self._desk.is_open:
            return
        place = self._desk.path.parent if self._desk.path else Path.home()
        key = place / self._desk.session.name
        if key != self._for:
            self._for = key
            self._propose(place, self._desk.session.name)
