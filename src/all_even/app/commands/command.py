"""What a command is: where it stands, its name, its key, when it can be given, what it does."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Generic, Literal, Protocol, TypeVar

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QFileDialog

    from all_even.app.bench.bench import Bench
    from all_even.app.desk import Desk

Place = Literal["lanes", "song strip", "station", "card"]
"""What a context menu belongs to; everywhere else it holds the menus alone."""
MENUS = ("File", "Edit", "Tracks", "Play", "View", "Help")
LANES: tuple[Place, ...] = ("lanes",)
STRIP: tuple[Place, ...] = ("song strip",)
CARD: tuple[Place, ...] = ("card",)


class Hands(Protocol):
    """What commands of a stage need of the window. bench, go_to_bench: of a stage, the second with it shown."""

    @property
    def desk(self) -> "Desk": ...
    def bench(self, stage: str) -> "Bench": ...
    def go_to_bench(self, stage: str) -> "Bench": ...
    def choose(self, mode: "QFileDialog.FileMode", title: str, pattern: str = "", save: str = "") -> list[Path]: ...
    def add_session_references(self) -> None: ...


H = TypeVar("H", contravariant=True)


def always(_desk: "Desk") -> bool:
    return True


def is_open(desk: "Desk") -> bool:
    return desk.is_open


def can_undo(desk: "Desk") -> bool:
    return desk.undo_text is not None


def can_redo(desk: "Desk") -> bool:
    return desk.redo_text is not None


def is_selected(desk: "Desk") -> bool:
    return desk.is_open and bool(desk.selected)


def is_lost(desk: "Desk") -> bool:
    return desk.ears.lost is not None


@dataclass(frozen=True, slots=True)
class Command(Generic[H]):
    """menu: which menu it stands in. shortcut: portable text; empty where there is none. enabled: when it can be
    given. at: in which context menus it stands by itself. under: the submenu it stands in; empty for none. words:
    more words people may type to find it. marked: whether it is the chosen one of several. id: by which other parts of
    the window ask for it; empty where none does. says: its text just now, where that changes; empty for the usual."""

    menu: str
    text: str
    shortcut: str
    run: Callable[[H], object]
    enabled: "Callable[[Desk], bool]" = is_open
    at: tuple[Place, ...] = ()
    under: str = ""
    words: str = ""
    marked: "Callable[[Desk], bool] | None" = None
    id: str = ""
    says: "Callable[[Desk], str] | None" = None
