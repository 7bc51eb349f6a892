"""Print's bench: how the mix is written to a file, what to check before, and the recall sheet."""

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout

from all_even import outputs, texts
from all_even.app import fields, theme
from all_even.app.bench.bench import Bench
from all_even.app.bench.mix_figures import MixFigures
from all_even.app.desk import Desk
from all_even.app.work import Report
from all_even.dsp.parameter import decibel_text
from all_even.errors import UserError, short_name
from all_even.session.store import recordings

BITS = (("24 bit", "24"), ("16 bit", "16"), ("32 bit float", "32f"))
COMBO_FRAME = 36
RATES = (("session rate", None), ("44.1 kHz", 44_100), ("48 kHz", 48_000), ("96 kHz", 96_000))


class PrintBench(Bench):
    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(24)
        row.addLayout(self._mix_form(), 1)
        row.addLayout(self._recall_form(), 0)
        self.mix = MixFigures(desk)
        self.mix.setFixedWidth(340)
        row.addWidget(self.mix, 0)
        self._targets_for: Path | None = None
        self._checked: object = None
        """The mix that was looked at."""
        self.target.textChanged.connect(lambda _text: self._check())

    def refresh(self) -> None:
        self.mix.refresh()
        self._new_targets()
        if self.desk.mix is not self._checked:
            self._check()

    def _mix_form(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(fields.label("Print the mix", "title"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        self.target = self._path_field("File of the mix", "Where the mix goes; the ending decides: .wav or .flac")
        self.bits = self._combo("Depth", "Bits per sample; 16 bit is dithered", BITS)
        self.bits.currentIndexChanged.connect(lambda _i: self.dither.setEnabled(self.bits.currentData() == "16"))
        self.rate = self._combo("Rate", "Sample rate of the file; resampled with soxr where it differs", RATES)
        self.section = self._combo(
            "Section", "The whole song or the looped section", (("whole song", False), ("loop", True))
        )
        self.dither = QCheckBox("TPDF dither")
        self.dither.setChecked(True)
        self.dither.setEnabled(False)
        self.dither.setAccessibleName("TPDF dither")
        self.dither.setToolTip("Triangular dither of 2 steps peak to peak, for 16 bit")
        choose = fields.button("Choose …", "Choose a place for the mix", lambda: self._choose(self.target))
        grid.addWidget(fields.label("File", "quiet"), 0, 0)
        grid.addWidget(self.target, 0, 1, 1, 3)
        grid.addWidget(choose, 0, 4)
        for index, (text, field) in enumerate((("Depth", self.bits), ("Rate", self.rate), ("Section", self.section))):
            line, side = divmod(index, 2)
            grid.addWidget(fields.label(text, "quiet"), 1 + line, side * 2)
            grid.addWidget(field, 1 + line, side * 2 + 1)
        grid.addWidget(self.dither, 2, 3, 1, 2)
        self.stems = QCheckBox("Stems too")
        self.stems.setAccessibleName("Print stems too")
        self.stems.setToolTip("Also a file per group and lane, in a folder beside the mix, from the same pass")
        grid.setColumnStretch(3, 1)
        column.addLayout(grid)
        buttons = QHBoxLayout()
        self.print_button = fields.button(
            "Print the mix", "Write the mix to the file (Ctrl+P)", self.print_mix, icon="printer", role="main"
        )
        self.cancel_button = fields.button(
            "Cancel", "Stop printing; nothing is left of the file (Esc)", lambda: self.desk.work.cancel("print")
        )
        self.cancel_button.setEnabled(False)
        self.result = fields.wrapped("", "small")
        self.result.setAccessibleName("Result of printing")
        buttons.addWidget(self.print_button)
        buttons.addWidget(self.cancel_button)
        buttons.addWidget(self.stems)
        buttons.addWidget(self.result, 1)
        column.addLayout(buttons)
        column.addStretch(1)
        self.desk.work.ended.connect(lambda name: self.cancel_button.setEnabled(False) if name == "print" else None)
        return column

    def _recall_form(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(fields.label("Recall sheet", "title"))
        self.sheet = self._path_field("File of the recall sheet", "Where the sheet goes: .html, .csv or .json")
        self.sheet.setFixedWidth(212)
        column.addWidget(self.sheet)
        row = QHBoxLayout()
        row.addWidget(
            fields.button(
                "Write the sheet", "All settings, measures and the ledger, in plain units (Ctrl+R)", self.write_sheet
            )
        )
        row.addWidget(fields.button("Choose …", "Choose a place for the sheet", lambda: self._choose(self.sheet)))
        column.addLayout(row)
        self.sheet_result = fields.wrapped("", "small")
        self.sheet_result.setAccessibleName("Result of writing the sheet")
        column.addWidget(self.sheet_result)
        column.addStretch(1)
        return column

    def _path_field(self, name: str, tip: str) -> QLineEdit:
        field = QLineEdit()
        field.setAccessibleName(name)
        field.setToolTip(texts.tip(tip))
        field.setMinimumHeight(theme.TARGET)
        return field

    def _combo(self, name: str, tip: str, entries: tuple[tuple[str, object], ...]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(texts.tip(tip))
        box.setMinimumHeight(theme.TARGET)
        for text, data in entries:
            box.addItem(text, data)
        widest = max(fields.text_width(text) for text, _ in entries)
        box.setMinimumWidth(widest + COMBO_FRAME)
        return box

    def _new_targets(self) -> None:
        """Proposes places beside the session, or in the home folder for one that has none."""
        if not self.desk.is_open:
            return
        place = self.desk.path.parent if self.desk.path else Path.home()
        key = place / self.desk.session.name
        if key != self._targets_for:
            self._targets_for = key
            self.target.setText(str(place / f"{self.desk.session.name}.wav"))
            self.sheet.setText(str(place / f"{self.desk.session.name} recall.html"))
            for field in (self.target, self.sheet):
                field.setCursorPosition(len(field.text()))
            self.result.setText("")
            self.sheet_result.setText("")

    def _choose(self, field: QLineEdit) -> None:
        dialog = QFileDialog(self, "Choose a file", field.text())
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.selectFile(field.text())
        if dialog.exec():
            field.setText(dialog.selectedFiles()[0])

    def _check(self) -> None:
        """What to know before printing: overs, and a file that would be replaced."""
        self._checked = self.desk.mix
        mix, path = self.desk.mix, Path(self.target.text()).expanduser()
        warnings = []
        if mix is not None and mix.sample_peak_dbfs is not None and mix.sample_peak_dbfs > 0.0:
            warnings.append(f"The mix peaks at {decibel_text(mix.sample_peak_dbfs, 'dBFS')}: 16 and 24 bit would clip.")
        if self.desk.is_open and path.is_file():
            try:
                outputs.allowed(path, outputs.SOUND, recordings(self.desk.session))
                warnings.append(f"{short_name(path.name)} is there already: printing replaces it.")
            except UserError as error:
                warnings.append(str(error))
        self.result.setText(" ".join(warnings))

    def print_mix(self) -> None:
        """Starts printing; the status line shows how far it is."""
        from all_even.deliver.print_mix import PrintSettings

        plan = self.desk.plan() if self.desk.is_open else None
        sources = self.desk.sources
        if plan is None or sources is None:
            self.desk.said.emit("Nothing to print yet: the files are still being opened.")
            return
        loop = self.desk.session.loop
        wants_loop = self.section.currentData() and loop is not None
        settings = PrintSettings(
            bits=self.bits.currentData(),
            rate=self.rate.currentData(),
            dither=self.dither.isChecked(),
            start_s=loop.start_s if wants_loop and loop else 0.0,
            end_s=loop.end_s if wants_loop and loop else None,
        )
        path, session = Path(self.target.text()).expanduser(), self.desk.session

        stems = self.stems.isChecked()

        def job(report: Report) -> object:
            from all_even.deliver.print_mix import print_mix
            from all_even.deliver.stems import print_stems

            if stems:
                return print_stems(
                    session, sources, path.with_name(f"{path.stem} stems"), settings, mix_path=path,
                    protected=recordings(session), cancelled=report.cancelled,
                    progress=lambda share: report.progress(share, f"Printing {path.name} and stems"),
                )[-1]  # fmt: skip
            return print_mix(
                plan, path, settings, protected=recordings(session), cancelled=report.cancelled,
                progress=lambda share: report.progress(share, f"Printing {path.name}"),
            )  # fmt: skip

        def done(written: object) -> None:
            overs = written.overs  # type: ignore[attr-defined]
            what = "no sample over full scale" if not overs else f"{overs} samples over full scale"
            self.result.setText(f"{path.name} written: {what}.")
            self.desk.said.emit(f"{path.name} written to {path.parent}.")

        self.result.setText("")
        self.cancel_button.setEnabled(True)
        self.desk.work.start("print", job, done, owner=self.desk.document)

    def write_sheet(self) -> None:
        desk = self.desk
        if not desk.is_open:
            return
        session, reports, flow = desk.session, dict(desk.reports), None if desk.mix_stale else desk.flow
        path = Path(self.sheet.text()).expanduser()

        def job(_report: Report) -> None:
            from all_even.deliver.recall import Sheet, write_recall

            if not path.parent.is_dir():
                raise UserError(f"{path.name} can't be written: there is no folder {path.parent}.")
            write_recall(Sheet(session, reports, flow.mix if flow else None, flow), path)

        def done(_none: None) -> None:
            self.sheet_result.setText(f"{path.name} written.")

        desk.work.start("sheet", job, done, owner=desk.document)
