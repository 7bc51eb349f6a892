"""What is asked of people: a file, a folder, a few words."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from all_even.app import asking_files

Typed = Callable[[str], None]
TypeOver = Callable[[str, str, Typed], None]
"""What is asked, what stands there, and what is done with the words."""


class Dialogs:
    """parent: the widget they belong to. type_over_song: asks for a few words over the song strip, once it is there."""

    def __init__(self, parent: QWidget, type_over_song: TypeOver) -> None:
        self.parent, self.type_over_song = parent, type_over_song

    def choose(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: str = "") -> list[Path]:
        """Files or folders chosen by the user; none where he thought better of it. save: to write to, named so."""
        return asking_files.chosen(self.parent, mode, title, pattern, save=save)

    def choose_one(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: str = "") -> Path | None:
        """A file or folder chosen by the user."""
        chosen = self.choose(mode, title, pattern, save)
        return chosen[0] if chosen else None
