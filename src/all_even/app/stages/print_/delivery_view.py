"""The delivery folder: mix, stems that add up, versions, listening copy, and what each file measures."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from all_even.app.bench.without import Without
from all_even.app.desk import Desk
from all_even.app.stages.print_.path_field import PathField, Proposed
from all_even.app.style import fields, layouts
from all_even.app.work import Report
from all_even.dsp.parameter import number
from all_even.errors import short_name
from all_even.session.file.store import recordings

COLUMNS = ("File", "What it is", "LUFS", "dBTP")


class DeliveryView(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = layouts.row(self, margins=layouts.NONE, spacing=16)
        column = layouts.column(margins=layouts.NONE, spacing=6)
        self.place = PathField("Folder of the delivery", "Where all of it goes; made if it is not there", folder=True)
        column.addWidget(self.place)
        self.write_button = fields.button(
            "Write the delivery",
            "Mix, stems, instrumental, voice 1 dB up and down, listening copy, a text with all figures (Ctrl+Alt+D)",
            self.write, icon="printer", role="main",
        )  # fmt: skip
        column.addWidget(self.write_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.result = fields.wrapped(
            "The mix, and stems that add up to it: the null is measured on the files. An instrumental, the voice 1 dB "
            "up and down, a listening copy. A text with tempo, key and the loudness of every file.", "small",
        )  # fmt: skip
        self.result.setAccessibleName("Result of the delivery")
        column.addWidget(self.result)
        column.addStretch(1)
        holder = QWidget()
        holder.setLayout(column)
        holder.setFixedWidth(372)
        row.addWidget(holder)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName("Files of the delivery")
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        across, down = self.table.horizontalHeader(), self.table.verticalHeader()
        if across is not None and down is not None:
            across.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            across.setHighlightSections(False)
            for index in range(1, len(COLUMNS)):
                across.setSectionResizeMode(index, QHeaderView.ResizeMode.ResizeToContents)
            down.hide()
        row.addWidget(self.table, 1)
        self._proposed = Proposed(desk, self._propose)

    def _propose(self, place: Path, name: str) -> None:
        self.place.setText(str(place / f"{name} delivery"))
        self.table.setRowCount(0)

    def refresh(self) -> None:
        self._proposed.refresh()

    def write(self) -> None:
        """Writes all of it, off this thread."""
        desk = self.desk
        look = desk.figures.look() if desk.is_open else None
        if look is None or desk.sources is None:
            desk.said.emit("Nothing to deliver yet: the files are still being opened.")
            return
        folder, session, even_without = self.place.path, desk.session, desk.shared(Without).even_without

        def job(report: Report) -> object:
            from all_even.deliver.delivery import deliver
            from all_even.deliver.print_mix import PrintSettings

            return deliver(
                look, folder, PrintSettings(even_without=even_without), protected=recordings(session),
                progress=report.progress, cancelled=report.cancelled,
            )  # fmt: skip

        def done(found: object) -> None:
            self._show(found)

        self.result.setText("")
        desk.work.start("print", job, done, owner=desk.document)

    def _show(self, found: object) -> None:
        files, folder = found.files, found.folder  # type: ignore[attr-defined]
        self.table.setRowCount(len(files))
        for row, item in enumerate(files):
            figures = ("–" if value is None else number(value) for value in (item.integrated_lufs, item.true_peak_dbtp))
            for column, text in enumerate((item.path.relative_to(folder).as_posix(), item.what, *figures)):
                cell = QTableWidgetItem(text)
                cell.setToolTip(text)
                if column > 1:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, cell)
        null = number(found.null_db, 0)  # type: ignore[attr-defined]
        told = f"{len(files)} files written. The stems add up to the sound before the mix bus: null {null} dB."
        without, strange = found.without, found.strange  # type: ignore[attr-defined]
        if without:
            told += f" Without {len(without)} of its sources, as the text says: {without[0]}"
        if strange:
            told += f" {short_name(strange[0].name)} lies there as well" + (
                f" and {len(strange) - 1} more," if len(strange) > 1 else ","
            ) + " and is not of this delivery."  # fmt: skip
        self.result.setText(told)
        self.desk.said.emit(f"The delivery is in {folder}.")
