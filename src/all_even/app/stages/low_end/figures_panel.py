"""Who owns the bottom, and the figures of the whole low end, before the first move and now."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QGridLayout, QWidget

from all_even.app.style import fields, layouts
from all_even.dsp.parameter import number
from all_even.dsp.processor import numbers
from all_even.session.model.settings import BY_FIGURES, WorkSettings

if TYPE_CHECKING:
    from all_even.figures.low_end.low_end import LowEnd
    from all_even.session.model.ledger import Evidence

Scale = tuple[str, str, float, int, str, str]
ROWS: tuple[Scale, ...] = (
    ("focus", "Kick audible", 100.0, 0, "%", "How much of the kick's low sound is heard over the bass; under 70 % it "
     "loses its definition"),
    ("bass_limit_db", "Bass headroom", 1.0, 1, "dB", "So much louder the bass could be before it masks the kick (70 % "
     "audible); under 0 it is too loud for it"),
    ("pile_up_db", "Kick and bass peak", 1.0, 1, "dB", "How far the sum stands over the kick alone while it sounds"),
    ("gap_db", "Dip after the hit", 1.0, 1, "dB", "How far the sum falls under the louder of both behind a hit"),
    ("start_lost_db", "Bass start lost", 1.0, 1, "dB", "What the duck takes from the first 40 ms of notes that begin "
     "with a hit"),
    ("bass_masked", "Bass masked", 100.0, 0, "%", "How much of the basses the kick masks"),
    ("sum_peak_dbfs", "Peak of the sum", 1.0, 1, "dB", "Highest sample of kick and bass together, before the mix bus"),
    ("loudness_at_equal_peak_lu", "PLR", -1.0, 1, "dB", "Peak of kick and bass less their loudness: lower leaves more "
     "room for a loud master"),
)  # fmt: skip
WEIGHTS = (
    ("kick_over_bass_db", "Duck depth", "How far a duck lets the kick stand over the bass: more is deeper"),
    ("duck_smooth", "Duck smoothness", "Over 0 a duck comes back softer and later, under 0 tighter, up to a pump"),
)
WHOLE_HEIGHT = 230
OWNERS = (("kick", "Kick"), ("bass", "Bass"), (BY_FIGURES, "Measured"))


class FiguresPanel(QWidget):
    """owner_chosen: called with a value of the setting; weight_set: with a weight of the fit and its value."""

    def __init__(self, owner_chosen: Callable[[str], None], weight_set: Callable[[str, float], None]) -> None:
        super().__init__()
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        row = layouts.row(spacing=4)
        row.addWidget(fields.label("Leads", "quiet"))
        self.owners = QButtonGroup(self)
        for index, (value, name) in enumerate(OWNERS):
            button = fields.button(
                name, f"Who has priority under 80 Hz: {name.lower()}", partial(owner_chosen, value), checkable=True
            )
            self.owners.addButton(button, index)
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        for place, word in enumerate(("", "before", "now")):
            head = fields.label(word, "small")
            grid.addWidget(head, 0, place, Qt.AlignmentFlag.AlignRight)
        self._values: dict[str, tuple[fields.Figure, fields.Figure]] = {}
        for index, (key, name, _, _, _, tip) in enumerate(ROWS, 1):
            label = fields.label(name, "quiet")
            label.setToolTip(tip)
            grid.addWidget(label, index, 0)
            pair = fields.Figure(f"{name} before", tip), fields.Figure(f"{name} now", tip)
            for place, figure in enumerate(pair, 1):
                grid.addWidget(figure, index, place, Qt.AlignmentFlag.AlignRight)
            self._values[key] = pair
        grid.setColumnStretch(0, 1)
        column.addLayout(grid)
        self.turned = QWidget()
        weights = QGridLayout(self.turned)
        weights.setContentsMargins(0, 6, 0, 0)
        weights.setHorizontalSpacing(8)
        weights.setVerticalSpacing(4)
        self.weights: dict[str, fields.NumberField] = {}
        for index, (key, name, tip) in enumerate(WEIGHTS):
            label = fields.label(name, "quiet")
            label.setToolTip(tip)
            field: fields.NumberField = fields.NumberField(numbers(WorkSettings)[key], name)
            field.value_changed.connect(partial(weight_set, key))
            self.weights[key] = field
            weights.addWidget(label, index, 0)
            weights.addWidget(field, index, 1, Qt.AlignmentFlag.AlignRight)
        weights.setColumnStretch(0, 1)
        column.addWidget(self.turned)
        column.addStretch(1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a low window the figures need the height; the weights are in the settings too."""
        super().resizeEvent(event)
        self.turned.setVisible(self.height() > WHOLE_HEIGHT)

    def show_settings(self, work: WorkSettings) -> None:
        for key, field in self.weights.items():
            field.set_value(float(getattr(work, key)))
        self.show_owner(work.low_owner)

    def show_owner(self, value: str) -> None:
        for index, (name, _) in enumerate(OWNERS):
            button = self.owners.button(index)
            if button is not None:
                button.setChecked(name == value)

    def show_figures(self, now: "LowEnd | None", before: "Evidence | None", stale: bool) -> None:
        for key, _, scale, decimals, unit, _ in ROWS:
            values = (before.get(key) if before is not None else None, getattr(now, key) if now is not None else None)
            for figure, value in zip(self._values[key], values, strict=True):
                text = f"{number(scale * value, decimals)} {unit}" if isinstance(value, int | float) else "–"
                figure.show_value(text, stale=stale)
