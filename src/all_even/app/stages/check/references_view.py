"""The mix beside finished ones: zones and widths at equal loudness, and each of them to be heard in its place."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QListWidget, QVBoxLayout, QWidget

from all_even.app.bench.whole_drawing import WidthDrawing, ZonesDrawing
from all_even.app.desk import Desk
from all_even.app.stages.check.shown import Shown
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import number, signed
from all_even.session.editing import edits

if TYPE_CHECKING:
    from all_even.engine.plan import Plan
    from all_even.figures.elsewhere.references import Beside, MixHeard
    from all_even.measure.level.passage import Passage

LIST_WIDTH = 232
FIGURES = (
    ("peak", "PLR", "True peak of the loudest 20 s over their loudness"),
    ("low", "Low share", "All under 125 Hz against the loudness"),
    ("lead", "Kick over bass", "Under 250 Hz: kick hits over what sustains between; the mix, then the selected"),
    ("slope", "Slope", "Of the spectrum from 100 Hz to 4 kHz, dB per octave; finished mixes lie near −5 (a backdrop)"),
)  # fmt: skip


class ReferencesView(QWidget):
    def __init__(self, desk: Desk, shown: Shown) -> None:
        super().__init__()
        self.desk, self.shown = desk, shown
        self._beside: Beside | None = None
        row = layouts.row(self, margins=layouts.NONE, spacing=12)
        row.addLayout(self._list_column())
        self.zones = ZonesDrawing()
        self.widths = WidthDrawing()
        row.addWidget(self.zones, 3)
        row.addWidget(self.widths, 2)

    def _list_column(self) -> QVBoxLayout:
        column = layouts.column(spacing=4)
        self.list = QListWidget()
        self.list.setAccessibleName("References")
        self.list.setToolTip(
            "Finished mixes to compare with: drop files here; double click says rough mix or reference"
        )
        self.list.setFixedWidth(LIST_WIDTH)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemActivated.connect(lambda _item: self.switch_use())
        self.list.currentRowChanged.connect(lambda _row: self._mark())
        column.addWidget(self.list, 1)
        self.empty = fields.wrapped(
            "Drop finished mixes here, or the rough mix: they are heard in place of yours.", "quiet"
        )
        self.empty.setFixedWidth(LIST_WIDTH)
        column.addWidget(self.empty, 1)
        self.hear = HoldButton(
            "In its place", "Hold to hear the selected one instead of the mix, as loud (V switches)",
            self.hold_reference, self.desk.ears.release_move, "ear",
        )  # fmt: skip
        self.low = fields.button(
            "Low end", "Whatever is heard here, nothing over 125 Hz (Shift+V: the mix)", lambda: None, checkable=True
        )
        self.add = fields.button("Add …", "Finished mixes, or the rough mix, of this session; never copied", self._add)
        self.remove = fields.button(
            "Remove", "Take the selected one off the list; its file stays", self.remove_selected
        )
        grid = QGridLayout()
        grid.setSpacing(4)
        for index, widget in enumerate((self.hear, self.low, self.add, self.remove)):
            grid.addWidget(widget, index // 2, index % 2)
        column.addLayout(grid)
        self.figures = {name: fields.Figure(title, tip) for name, title, tip in FIGURES}
        column.addLayout(fields.figure_grid([(title, self.figures[name]) for name, title, _ in FIGURES]))
        return column

    def refresh(self) -> None:
        found = self.shown.beside
        stale = self.shown.is_stale()
        if found is not self._beside:
            self._beside = found
            kept = self.list.currentRow()
            self.list.clear()
            for item in found.others if found is not None else ():
                where = "" if item.listed.use == "reference" else " (rough mix)"
                self.list.addItem(f"{item.listed.name}{where}" + (f": {item.problem}" if item.problem else ""))
                row = self.list.item(self.list.count() - 1)
                if row is not None:
                    row.setToolTip(item.problem or str(item.listed.path))
            self.empty.setVisible(not self.list.count())
            self.list.setVisible(bool(self.list.count()))
            if self.list.count():
                self.list.setCurrentRow(min(max(0, kept), self.list.count() - 1))
        self._mark()
        mix = found.mix if found is not None else None
        self.figures["peak"].show_value("–" if mix is None else f"{number(mix.peak_to_loudness_db)} dB", stale=stale)
        low = mix.low_share_db if mix is not None else None
        outside = found is not None and found.low_share is not None and low is not None
        off = found.low_share.beside_db(low) if outside and found and found.low_share and low is not None else 0.0
        self.figures["low"].show_value("–" if low is None else f"{signed(low)} dB", look=bool(off), stale=stale)
        slope = None
        if mix is not None:
            from all_even.measure.level.passage import slope_db_per_octave

            slope = slope_db_per_octave(mix.bands_db)
        self.figures["slope"].show_value("–" if slope is None else f"{number(slope)} dB/oct", stale=stale)

    def selected(self) -> "MixHeard | None":
        """The one that is selected in the list."""
        row = self.list.currentRow()
        return self._beside.others[row] if self._beside is not None and 0 <= row < len(self._beside.others) else None

    def _mark(self) -> None:
        """Draws the zones with the selected one told apart."""
        chosen = self.selected()
        name = chosen.listed.name if chosen is not None else ""
        self.zones.show_beside(self._beside, name)
        self.widths.show_beside(self._beside, name)
        mix = self._beside.mix if self._beside is not None else None
        told = [_lead(mix), *([f"there {_lead(chosen.passage)}"] if chosen is not None and chosen.passage else [])]
        self.figures["lead"].show_value("; ".join(told), stale=self.shown.is_stale())
        own = chosen is not None and chosen.listed.index is not None
        self.remove.setEnabled(own)
        self.hear.setEnabled(chosen is not None and chosen.passage is not None)

    def _add(self) -> None:
        self.desk.wanted.emit("references.add-here")

    def remove_selected(self) -> None:
        chosen = self.selected()
        index = chosen.listed.index if chosen is not None else None
        if index is not None:
            self.desk.edit(lambda s: edits.remove_reference(s, index))
            self.shown.ask_anew()

    def switch_use(self) -> None:
        """The selected one is the rough mix, or somebody else's song."""
        chosen = self.selected()
        if chosen is None or chosen.listed.index is None:
            self.desk.said.emit("Only references of this session can be called its rough mix.")
            return
        index = chosen.listed.index
        use = self.desk.session.references[index].use
        self.desk.edit(lambda s: edits.use_reference(s, index, "reference" if use == "rough mix" else "rough mix"))
        self.shown.ask_anew()

    # Hearing.

    def hold_reference(self) -> None:
        """The selected reference in place of the mix, as loud."""
        chosen, low = self.selected(), self.low.isChecked()
        if chosen is None:
            self.desk.said.emit("Add a reference first: a finished mix, or the rough mix of this song.")
            return

        def made(look) -> "tuple[Plan, float]":  # type: ignore[no-untyped-def]
            from all_even.figures.elsewhere import hearing

            return hearing.reference(look, chosen.listed, low_end=low)

        self.desk.ears.hold(chosen.listed.name, made)

    def hold_low_end(self) -> None:
        """The low end of the mix alone."""

        def made(look) -> "tuple[Plan, float]":  # type: ignore[no-untyped-def]
            from all_even.figures.elsewhere import hearing

            return hearing.low_end_alone(look)

        self.desk.ears.hold("low end", made)


def _lead(passage: "Passage | None") -> str:
    """Who leads its low end, and by how much."""
    from all_even.measure.sharing.low_lead import who

    lead_db = passage.low_lead_db if passage is not None else None
    return "–" if lead_db is None else f"{who(lead_db)} {signed(lead_db, 0)} dB"
