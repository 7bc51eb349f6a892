"""The path: the stages in the order of the work, what is open at each, and which are done."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QSizePolicy, QWidget

from all_even import stages, texts
from all_even.app.desk import Desk
from all_even.app.head.next_step import StageFacts
from all_even.app.style import layouts, paint, theme

HEIGHT = 30
PADDING, GAP, MARK = 6.0, 5.0, 10.0


class StageButton(QPushButton):
    """Name, and the number of open things; in its place a tick where it is done, a dotted ring where it was."""

    def __init__(self, key: str, name: str, tip: str) -> None:
        super().__init__()
        self._name = name
        self._facts: StageFacts | None = None
        self.setCheckable(True)
        self.setAccessibleName(name)
        self.setToolTip(texts.tip(tip))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)

    def show_facts(self, facts: StageFacts) -> None:
        if facts != self._facts:
            self._facts = facts
            count = facts.faults + len(facts.moves)
            state = ", done" if facts.done else ", was done, changed since" if facts.moved_on else ""
            self.setAccessibleName(f"{self._name}, {count} open{state}")
            self.updateGeometry()
            self.update()

    @property
    def count_text(self) -> str:
        """What is still open; nothing beside a mark, so that eleven stages fit into a narrow window."""
        count = self._facts.faults + len(self._facts.moves) if self._facts is not None else 0
        return str(count) if count and not self._has_mark() else ""

    def _has_mark(self) -> bool:
        return self._facts is not None and (self._facts.done or self._facts.moved_on)

    def sizeHint(self) -> QSize:
        width = 2 * PADDING + paint.width_of(self._name, theme.BODY)
        if self.count_text:
            width += GAP + paint.width_of(self.count_text, theme.SMALL)
        if self._has_mark():
            width += GAP + MARK
        return QSize(int(width) + 3, HEIGHT)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
            here = self.isChecked()
            act = theme.colour("act")
            if here:
                painter.setPen(QPen(act, 1))
                painter.setBrush(act)
                painter.drawRoundedRect(box, 4, 4)
            elif self.underMouse() or self.isDown():
                painter.setPen(QPen(act, 1))
                painter.setBrush(theme.colour("raised"))
                painter.drawRoundedRect(box, 4, 4)
            if self.hasFocus():
                painter.setPen(QPen(theme.colour("on_act" if here else "act"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 3, 3)
            ink = theme.colour("on_act" if here else "text")
            quiet = theme.colour("on_act" if here else "quiet")
            name_width = paint.width_of(self._name, theme.BODY)
            x = box.left() + PADDING
            paint.text(painter, QRectF(x, 0, name_width + 4, self.height()), self._name, colour=ink, strong=here)
            x += name_width + GAP + (2 if here else 0)
            if self.count_text:
                width = paint.width_of(self.count_text, theme.SMALL)
                paint.text(
                    painter, QRectF(x, 0, width + 4, self.height()), self.count_text, size=theme.SMALL, colour=quiet
                )
                x += width + GAP
            if self._facts is not None and self._facts.done:
                painter.setPen(QPen(quiet, 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                y = self.height() / 2
                painter.drawPolyline(QPolygonF([QPointF(x, y), QPointF(x + 3.5, y + 3.5), QPointF(x + MARK, y - 4)]))
            elif self._facts is not None and self._facts.moved_on:
                painter.setPen(QPen(theme.colour("on_act" if here else "look"), 1.6, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QRectF(x, self.height() / 2 - MARK / 2, MARK, MARK))


class _Then(QWidget):
    """The small arrow between two stages."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(8, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(theme.colour("quiet"))
            middle = self.height() / 2
            painter.drawPolyline(QPolygonF([QPointF(3, middle - 3), QPointF(6, middle), QPointF(3, middle + 3)]))


class Path(QWidget):
    """One button a stage."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = layouts.row(self, margins=(8, 0, 8, 0), spacing=1)
        self.stages: dict[str, StageButton] = {}
        group = QButtonGroup(self)
        for index, stage in enumerate(stages.STAGES):
            if index:
                row.addWidget(_Then())
            button = StageButton(stage.key, stage.name, f"{stage.name}: {stage.tip} (F{index + 1})")
            button.clicked.connect(lambda _on=False, key=stage.key: desk.set_stage(key))
            group.addButton(button)
            self.stages[stage.key] = button
            row.addWidget(button)
        row.addStretch(1)

    def show_facts(self, facts: list[StageFacts]) -> None:
        for item in facts:
            if item.key in self.stages:
                self.stages[item.key].show_facts(item)
                self.stages[item.key].setChecked(item.key == self.desk.stage)
