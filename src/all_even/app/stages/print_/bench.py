"""Print's bench: the mix as a file, the listening copy, the delivery folder, and what is written down."""

from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from all_even import outputs, texts
from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.mix_figures import MixFigures
from all_even.app.bench.viewed import ViewedBench
from all_even.app.bench.without import Without, WithoutBox
from all_even.app.desk import Desk
from all_even.app.stages.print_.copy_view import CopyView
from all_even.app.stages.print_.delivery_view import DeliveryView
from all_even.app.stages.print_.path_field import PathField, Proposed
from all_even.app.stages.print_.sheets_view import SheetsView
from all_even.app.style import fields, layouts, theme
from all_even.app.work import Report
from all_even.dsp.parameter import decibel_text
from all_even.errors import UserError, short_name
from all_even.inputs import is_file
from all_even.session.file.store import recordings

BITS = (("24 bit", "24"), ("16 bit", "16"), ("32 bit float", "32f"))
COMBO_FRAME = 36
MORE_HEIGHT = 40
VIEWS = (
    ("Mix", "The mix as a file"),
    ("Listening copy", "As loud as it can be for other rooms, with what each limit says"),
    ("Delivery", "Mix, stems, versions and their figures in one folder"),
    ("Sheets", "The recall sheet, and one page for a console"),
)
RATES = (("session rate", None), ("44.1 kHz", 44_100), ("48 kHz", 48_000), ("96 kHz", 96_000))


class PrintBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        column = layouts.column(self, margins=layouts.BENCH, spacing=8)
        mix = QWidget()
        row = layouts.row(mix, margins=layouts.NONE, spacing=24)
        row.addLayout(self._mix_form(), 1)
        self.mix = MixFigures(desk)
        self.mix.setFixedWidth(340)
        row.addWidget(self.mix, 0)
        self.copy: CopyView = CopyView(desk)
        self.delivery: DeliveryView = DeliveryView(desk)
        self.sheets: SheetsView = SheetsView(desk)
        bar = self.make_views(VIEWS, (mix, self.copy, self.delivery, self.sheets))
        bar.addStretch(1)
        self.without = WithoutBox(desk)
        bar.addWidget(self.without)
        column.addLayout(bar)
        column.addWidget(self.stack, 1)
        self._proposed = Proposed(desk, self._propose)
        self._checked: object = None
        """The mix that was looked at."""
        self.target.line.textChanged.connect(lambda _text: self._check())
        desk.work.failed.connect(self._tell)
        self.show_view(0)

    def _tell(self, name: str, sentence: str) -> None:
        """Why something was not written, where its result would stand; the status line forgets it."""
        results = (self.result, self.copy.result, self.delivery.result)
        if name == "print" and self.stack.currentIndex() < len(results):
            results[self.stack.currentIndex()].setText(sentence)
        elif name == "sheet":
            self.sheets.tell(sentence)

    def refresh_view(self) -> None:
        """All views are kept up to date together."""

    def select(self) -> None:
        """Another selection changes what is written of it, not what can be read."""
        for part in (self._proposed, self.copy, self.delivery, self.sheets):
            part.refresh()

    def refresh(self) -> None:
        self.mix.refresh()
        self.select()
        self.without.refresh()
        if self.desk.mix is not self._checked:
            self._check()

    def _mix_form(self) -> QVBoxLayout:
        column = layouts.column(spacing=6)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        self.target = PathField("File of the mix", "Where the mix goes; the ending decides: .wav or .flac")
        self.bits = self._combo("Depth", "Bits per sample; 16 bit is dithered", BITS)
        self.bits.currentIndexChanged.connect(lambda _i: self.dither.setEnabled(self.bits.currentData() == "16"))
        self.rate = self._combo("Rate", "Sample rate of the file; resampled with soxr where it differs", RATES)
        self.section = self._combo(
            "Section", "The whole song or the looped section", (("whole song", False), ("loop", True))
        )
        self.dither = fields.check("TPDF dither")
        self.dither.setChecked(True)
        self.dither.setEnabled(False)
        self.dither.setAccessibleName("TPDF dither")
        self.dither.setToolTip("Triangular dither of 2 steps peak to peak, for 16 bit")
        grid.addWidget(fields.label("File", "quiet"), 0, 0)
        grid.addWidget(self.target, 0, 1, 1, 4)
        for index, (text, field) in enumerate((("Depth", self.bits), ("Rate", self.rate), ("Section", self.section))):
            line, side = divmod(index, 2)
            grid.addWidget(fields.label(text, "quiet"), 1 + line, side * 2)
            grid.addWidget(field, 1 + line, side * 2 + 1)
        grid.addWidget(self.dither, 2, 3, 1, 2)
        self.stems = fields.check("Stems too")
        self.stems.setAccessibleName("Print stems too")
        self.stems.setToolTip("Also a file per group and track, in a folder beside the mix, from the same pass")
        grid.setColumnStretch(3, 1)
        column.addLayout(grid)
        buttons = layouts.row()
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

    def _combo(self, name: str, tip: str, entries: tuple[tuple[str, object], ...]) -> QComboBox:
        box = fields.choice()
        box.setAccessibleName(name)
        box.setToolTip(texts.tip(tip))
        box.setMinimumHeight(theme.TARGET)
        for text, data in entries:
            box.addItem(text, data)
        widest = max(fields.text_width(text) for text, _ in entries)
        box.setMinimumWidth(widest + COMBO_FRAME)
        return box

    def _propose(self, place: Path, name: str) -> None:
        self.target.setText(str(place / f"{name}.wav"))
        self.result.setText("")

    def _check(self) -> None:
        """What to know before printing: overs, and a file that would be replaced."""
        self._checked = self.desk.mix
        mix, path = self.desk.mix, Path(self.target.text()).expanduser()
        warnings = []
        if mix is not None and mix.sample_peak_dbfs is not None and mix.sample_peak_dbfs > 0.0:
            warnings.append(f"The mix peaks at {decibel_text(mix.sample_peak_dbfs, 'dBFS')}: 16 and 24 bit would clip.")
        if self.desk.is_open and is_file(path):
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
            even_without=self.desk.shared(Without).even_without,
        )
        path, session = Path(self.target.text()).expanduser(), self.desk.session

        stems, lacks = self.stems.isChecked(), self.desk.shared(Without).lacks

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
            without = (
                f" Without {lacks[0]}" + (f" And {len(lacks) - 1} more." if len(lacks) > 1 else "") if lacks else ""
            )
            self.result.setText(f"{path.name} written: {what}.{without}")
            self.desk.said.emit(f"{path.name} written to {path.parent}.")

        self.result.setText("")
        self.cancel_button.setEnabled(True)
        self.desk.work.start("print", job, done, owner=self.desk.document)
