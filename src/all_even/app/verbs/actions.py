"""What commands do: the verbs of the window, on the parts it is made of."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QFileDialog, QWidget

from all_even.app.desk import Desk
from all_even.app.verbs.dialogs import Dialogs, Typed
from all_even.app.verbs.files import FileVerbs
from all_even.app.verbs.song_time import SongTime
from all_even.app.verbs.strips import StripVerbs
from all_even.session.editing import edits
from all_even.session.model.on_time_line import Loop

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.verbs.page import PageVerbs


class Frame(Protocol):
    """What actions need of the window itself."""

    def close(self) -> bool: ...
    def close_session(self) -> None: ...
    def switch_theme(self) -> None: ...
    def show_finder(self) -> None: ...
    def show_page(self, name: str, at: str = "") -> None: ...
    def stop(self) -> None: ...
    def begin_tour(self) -> None: ...


class Actions:
    """page: what needs the working page; None before a session was opened. dialogs: the widget they belong to."""

    def __init__(self, desk: Desk, frame: Frame, dialogs: QWidget) -> None:
        self.desk, self.frame = desk, frame
        self.page: PageVerbs | None = None
        self.dialogs = Dialogs(dialogs, self._type_over_song)
        self.files = FileVerbs(desk, self.dialogs)
        self.strips = StripVerbs(desk)
        self.time = SongTime(desk, self.dialogs)

    def on_page(self, verb: "Callable[[PageVerbs], object]") -> None:
        """Does something on the working page, where there is one."""
        if self.page is not None:
            verb(self.page)

    def _type_over_song(self, what: str, known: str, typed: Typed) -> None:
        self.on_page(lambda page: page.type_over_song(what, known, typed))

    # What commands of stages need (`commands.command.Hands`); a session is open.

    def bench(self, stage: str) -> "Bench":
        assert self.page is not None
        return self.page.bench(stage)

    def go_to_bench(self, stage: str) -> "Bench":
        assert self.page is not None
        return self.page.go_to_bench(stage)

    def choose(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: str = "") -> list[Path]:
        return self.dialogs.choose(mode, title, pattern, save)

    def add_session_references(self) -> None:
        self.files.add_session_references()

    # Playing, and the order of the work.

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

    def tick_off(self) -> None:
        """Marks the present stage as done, or takes the mark away."""
        if self.desk.is_open:
            self.desk.moves.tick_off(self.desk.stage, self.desk.stage not in self.desk.moves.done)
