"""Setting up a blind comparison: what is compared, how, and in how many trials; and what earlier ones said."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from all_even.app.desk import Desk
from all_even.app.side.wrapped_list import WrappedList
from all_even.app.stages.check.blind_run import BlindRun, options
from all_even.app.station.choices import choice_box
from all_even.app.style import fields, layouts
from all_even.figures.elsewhere import blind
from all_even.figures.elsewhere.blind import TRIALS, Way
from all_even.session.model.session import Blind

WAYS: tuple[tuple[str, Way], ...] = (("vote for the best", "vote"), ("which is X", "which is X"))
CHECKED = Qt.CheckState.Checked


class BlindView(QWidget):
    """begun: what shows the page."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.blind = desk, desk.shared(BlindRun)
        row = layouts.row(self, margins=layouts.NONE, spacing=16)
        left = layouts.column(spacing=4)
        left.addWidget(fields.label("Compared: tick two or more", "small"))
        self.list = QListWidget()
        self.list.setAccessibleName("What is compared")
        self.list.setToolTip("Tick what is compared: the mix now, versions, references, open moves")
        self.list.itemChanged.connect(lambda _item: self._tell())
        left.addWidget(self.list, 1)
        row.addLayout(left, 3)
        middle = layouts.column(spacing=6)
        middle.addWidget(fields.label("How", "small"))
        self.way = choice_box("A vote for the best, or which of two X is", list(WAYS))
        self.way.setFixedWidth(168)
        self.trials = choice_box("Number of trials, fixed before the first", [("16 trials", 16)])
        self.trials.setFixedWidth(168)
        self.way.activated.connect(lambda _index: self.way_changed())
        self.trials.activated.connect(lambda _index: self._tell())
        self.said = fields.wrapped("", "quiet")
        self.begin_button = fields.button(
            "Begin", "Blind: letters only, equally loud; nothing else is shown until all trials are done (Ctrl+Alt+A)",
            self.begin, icon="ear", role="main",
        )  # fmt: skip
        for widget in (self.way, self.trials, self.said, self.begin_button):
            middle.addWidget(widget)
        middle.addStretch(1)
        row.addLayout(middle, 2)
        right = layouts.column(spacing=4)
        right.addWidget(fields.label("Finished ones", "small"))
        self.done = WrappedList("Finished comparisons", "What blind comparisons of this song said, newest first")
        right.addWidget(self.done, 1)
        row.addLayout(right, 3)
        self._offered: tuple[str, ...] = ()
        self._told: tuple[Blind, ...] | None = None
        self.way_changed()

    def refresh(self) -> None:
        """Offers what there is now; ticks stay."""
        found = options(self.desk)
        names = tuple(option.name for option in found)
        if names != self._offered:
            ticked = {self.list.item(i).text() for i in self._ticked()}  # type: ignore[union-attr]
            self._offered = names
            self.list.blockSignals(True)
            self.list.clear()
            for name in names:
                item = QListWidgetItem(name)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(CHECKED if name in ticked or name == names[0] else Qt.CheckState.Unchecked)
                item.setToolTip(name)
                self.list.addItem(item)
            self.list.blockSignals(False)
        blinds = self.desk.session.blinds
        if blinds is not self._told:
            self._told = blinds
            self.done.clear()
            if not blinds:
                self.done.add_text("None yet. Only finished ones are kept, with their chance.")
            for finished in reversed(blinds):
                self.done.add_text(f"{finished.when[:16].replace('T', ' ')}  {finished.verdict}")
        self._tell()

    def _ticked(self) -> list[int]:
        return [i for i in range(self.list.count()) if (item := self.list.item(i)) and item.checkState() == CHECKED]

    def way_changed(self) -> None:
        way: Way = self.way.currentData()
        self.trials.clear()
        for count in TRIALS[way]:
            self.trials.addItem(f"{count} trials", count)
        self.trials.setCurrentIndex(self.trials.count() - 1)
        self._tell()

    def _tell(self) -> None:
        """What a result will take."""
        way: Way = self.way.currentData()
        count, trials = len(self._ticked()), int(self.trials.currentData() or 1)
        fits = count == 2 if way == "which is X" else 2 <= count <= blind.MOST_OPTIONS
        if fits:
            need = blind.needed(way, trials, count)
            self.said.setText(
                f"{need} of {trials} make a result: fewer could be chance." if need else "Too few trials."
            )
        else:
            self.said.setText("Tick exactly two." if way == "which is X" else "Tick two to eight.")
        self.begin_button.setEnabled(fits)

    def begin(self) -> None:
        """Begins with what is ticked, on a page of its own."""
        offered = options(self.desk)
        chosen = [offered[i] for i in self._ticked() if i < len(offered)]
        self.blind.begin(chosen, self.way.currentData(), int(self.trials.currentData()))
        if self.blind.run is not None:
            self.desk.wanted.emit("blind")
