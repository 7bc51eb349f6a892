"""What is written down: the recall sheet with everything, and one page to carry to a console."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from all_even.app.bench.without import Without
from all_even.app.desk import Desk
from all_even.app.stages.print_.path_field import PathField, Proposed
from all_even.app.style import fields, layouts
from all_even.app.work import Report
from all_even.errors import UserError
from all_even.inputs import is_folder

if TYPE_CHECKING:
    from all_even.deliver.recall import Sheet


class SheetsView(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = layouts.row(self, margins=layouts.NONE, spacing=24)
        self.sheet = PathField("File of the recall sheet", "Where the sheet goes: .html, .pdf, .csv or .json")
        self.sheet_result = fields.wrapped("", "small")
        self.sheet_result.setAccessibleName("Result of writing the sheet")
        self.console = PathField("File of the console page", "Where the page goes: .html or .pdf")
        self.console_result = fields.wrapped("", "small")
        self.console_result.setAccessibleName("Result of writing the console page")
        row.addLayout(
            _column(
                "Recall sheet",
                "Every setting in the order of the signal. Level paths, tone, a page for each bus, moves with promise "
                "and result, notes. As .csv or .json with every number.",
                self.sheet,
                fields.button("Write the sheet", "All of it, by the ending of the name (Ctrl+R)", self.write_sheet),
                self.sheet_result,
            ),
            1,
        )
        row.addLayout(
            _column(
                "For a console",
                "One page, a row for each channel. Gain, passes, low, mid and high as the best fit, compressor, pan, "
                "fader, sends. What a plain board can't do is named.",
                self.console,
                fields.button("Write the page", "Three-knob settings on one page (Ctrl+Alt+K)", self.write_console),
                self.console_result,
            ),
            1,
        )
        self.tell: Callable[[str], None] = self.sheet_result.setText
        """Where the result of what was asked for last stands."""
        self._proposed = Proposed(desk, self._propose)

    def _propose(self, place: Path, name: str) -> None:
        self.sheet.setText(str(place / f"{name} recall.html"))
        self.console.setText(str(place / f"{name} console.pdf"))
        self.sheet_result.setText("")
        self.console_result.setText("")

    def refresh(self) -> None:
        self._proposed.refresh()

    def write_sheet(self) -> None:
        """The recall sheet, in the format of its name."""

        def written(sheet: "Sheet", path: Path) -> None:
            from all_even.deliver.recall_sheet import write_recall

            write_recall(sheet, path, even_without=self.desk.shared(Without).even_without)

        self._write(self.sheet.path, written, self.sheet_result.setText)

    def write_console(self) -> None:
        """The page for a console."""

        def written(sheet: "Sheet", path: Path) -> None:
            from all_even.deliver.console_page import write_console

            write_console(sheet, path, even_without=self.desk.shared(Without).even_without)

        self._write(self.console.path, written, self.console_result.setText)

    def _write(self, path: Path, written: "Callable[[Sheet, Path], None]", tell: Callable[[str], None]) -> None:
        desk = self.desk
        if not desk.is_open:
            return
        session, reports, flow = desk.session, dict(desk.reports), None if desk.mix_stale else desk.flow
        self.tell = tell
        without = desk.shared(Without)
        without.refresh()
        lacks = without.lacks

        def job(_report: Report) -> None:
            from all_even.deliver.recall import Sheet

            if not is_folder(path.parent):
                raise UserError(f"{path.name} can't be written: there is no folder {path.parent}.")
            written(Sheet(session, reports, flow.mix if flow else None, flow, lacks), path)

        desk.work.start("sheet", job, lambda _none: tell(f"{path.name} written."), owner=desk.document)


def _column(name: str, text: str, place: PathField, button: QWidget, result: QWidget) -> QVBoxLayout:
    column = layouts.column(spacing=6)
    column.addWidget(fields.label(name, "title"))
    column.addWidget(fields.wrapped(text, "quiet"))
    column.addWidget(place)
    column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
    column.addWidget(result)
    column.addStretch(1)
    return column
