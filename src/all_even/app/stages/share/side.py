"""Beside the pictures: which two, how much each matters, and what they hide of each other."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QComboBox, QGridLayout, QWidget

from all_even import texts
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import number
from all_even.session.tracks.importance import WORDS, proposed

if TYPE_CHECKING:
    from all_even.app.stages.share.shown import Measured
    from all_even.session.model.strips import Lane

ROWS = (
    ("hidden", "Masked", "How much of it the others mask, all panned to the middle"),
    ("plain", "without EQ", "The same without any equaliser in the session"),
    ("ear", "better ear", "In the ear where less of it is masked, panned as it is"),
    ("speakers", "on speakers", "The same on speakers, where each ear hears both sides"),
    ("by", "by the other", "So much less of it would be masked without the other"),
    ("zone", "mostly in", "The zone in which the other masks most of it"),
    ("together", "Overlap", "Of the time it plays there, how long the other does too"),
)

HEAD_HEIGHT, LINE_HEIGHT = 108, 19


class ShareSide(QWidget):
    """rival_chosen: with a place; counts_chosen: 0 for the first, 1 for the rival, and a weight."""

    def __init__(self, rival_chosen: Callable[[int], None], counts_chosen: Callable[[int, str], None]) -> None:
        super().__init__()
        self._rivals: list[int] = []
        self._rival_chosen, self._counts_chosen = rival_chosen, counts_chosen
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        self.name = fields.label("", "strong")
        row = layouts.row(spacing=6)
        row.addWidget(fields.label("against", "quiet"))
        self.rival = _combo("Rival", "Whom the selected track is shown against; costliest first")
        self.rival.activated.connect(lambda index: self._rival_chosen(self._rivals[index]))
        row.addWidget(self.rival, 1)
        column.addWidget(self.name)
        column.addLayout(row)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        self.heads = fields.label("", "small"), fields.label("", "small")
        for place, head in enumerate(self.heads, 1):
            grid.addWidget(head, 0, place, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(fields.label("Priority", "quiet"), 1, 0)
        self.counts = tuple(_combo(f"Priority of the {word}", "How much it matters; * is what its role proposes")
                            for word in ("selected track", "rival"))  # fmt: skip
        for side, box in enumerate(self.counts):
            for weight, words in WORDS.items():
                box.addItem(words, weight)
            box.activated.connect(lambda _index, s=side, b=box: self._counts_chosen(s, b.currentData()))
            grid.addWidget(box, 1, side + 1, Qt.AlignmentFlag.AlignRight)
        self.values: dict[str, tuple[fields.Figure, fields.Figure]] = {}
        self._lines: dict[str, tuple[QWidget, ...]] = {}
        for line, (key, name, tip) in enumerate(ROWS, 2):
            label = fields.label(name, "quiet")
            label.setToolTip(tip)
            grid.addWidget(label, line, 0)
            pair = fields.Figure(f"{name}, selected track", tip), fields.Figure(f"{name}, rival", tip)
            for side, figure in enumerate(pair, 1):
                grid.addWidget(figure, line, side, Qt.AlignmentFlag.AlignRight)
            self.values[key] = pair
            self._lines[key] = (label, *pair)
        grid.setColumnStretch(0, 1)
        column.addLayout(grid)
        column.addStretch(1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a low window the first figures need the height."""
        super().resizeEvent(event)
        room = self.height() - HEAD_HEIGHT
        for index, (key, _, _) in enumerate(ROWS):
            for widget in self._lines[key]:
                widget.setVisible((index + 1) * LINE_HEIGHT <= room)

    def show_pair(
        self, lanes: "tuple[Lane | None, Lane | None]", places: tuple[int | None, int | None],
        rivals: list[tuple[int, str]],
    ) -> None:  # fmt: skip
        """rivals: (place, name), the dearest first."""
        first = lanes[0]
        self.name.setText(fields.elided(self.name, first.name if first is not None else "No source selected", 236))
        self._rivals = [place for place, _ in rivals]
        names = [name for _, name in rivals]
        if [self.rival.itemText(i) for i in range(self.rival.count())] != names:
            self.rival.clear()
            self.rival.addItems(names)
        if places[1] in self._rivals:
            self.rival.setCurrentIndex(self._rivals.index(places[1]))
        self.rival.setEnabled(bool(rivals))
        for side, lane in enumerate(lanes):
            box = self.counts[side]
            box.setEnabled(lane is not None)
            head = self.heads[side]
            head.setText(fields.elided(head, lane.name if lane is not None else "–", 70))
            if lane is not None:
                weights = list(WORDS)
                for index, weight in enumerate(weights):
                    star = " *" if weight == proposed(lane.role) else ""
                    box.setItemText(index, WORDS[weight] + star)
                box.setCurrentIndex(weights.index(lane.importance or proposed(lane.role)))

    def show_figures(self, known: "Measured | None", shares: "np.ndarray | None", places: tuple[int | None, int | None],
                     predicted: bool) -> None:  # fmt: skip
        from all_even.measure.level import zones
        from all_even.moves.share.pair_view import cost

        for side in range(2):
            own, other = places[side], places[1 - side]
            told = dict.fromkeys((key for key, _, _ in ROWS), "–")
            if known is not None and own is not None and shares is not None:
                told["hidden"] = _percent(float(shares[own]))
                told["plain"] = _percent(float(known.plain[own]))
                if known.apart is not None:
                    told["ear"] = _percent(float(known.apart.ear[own]))
                    told["speakers"] = _percent(float(known.apart.loudspeakers[own]))
                pair = cost(known.pairs, own, other) if other is not None else None
                told["by"] = _percent(pair.cost if pair is not None else 0.0) if other is not None else "–"
                if pair is not None:
                    told["zone"] = zones.NAMES[int(np.argmax(pair.by_zone))].replace(" ", "\u00a0")
                    told["together"] = _percent(pair.together)
            for key, figures in self.values.items():
                figures[side].show_value(told[key], stale=predicted and key == "hidden")


def _percent(value: float) -> str:
    return "–" if np.isnan(value) else f"{number(100.0 * value, 0)} %"


def _combo(name: str, tip: str) -> QComboBox:
    box = fields.choice()
    box.setAccessibleName(name)
    box.setToolTip(texts.tip(tip))
    box.setMinimumHeight(26)
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(6)
    return box
