"""The sends of a strip: where to, how loud, before or after the fader; and taking them away."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.lanes.body import changeable
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import LEVEL
from all_even.session.editing import routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Send, Strip

LEVEL_WIDTH, BUTTONS_WIDTH = 78, 88


class SendLine(QWidget):
    """One send: its target, its level, whether it leaves before the fader, and a way to remove it."""

    def __init__(self, owner: "SendList") -> None:
        super().__init__()
        self._to = ""
        row = layouts.row(self, margins=layouts.NONE, spacing=4)
        self.name = fields.label("", "small")
        self.level = fields.NumberField(LEVEL, "Send level")
        self.level.setFixedWidth(LEVEL_WIDTH)
        self.level.value_changed.connect(lambda value: owner.set_level(self._to, value))
        self.pre = fields.button(
            "pre", "Take the copy before the fader", lambda: owner.turn_pre(self._to), checkable=True
        )
        self.gone = fields.icon_button("trash-2", "Remove the send", "Remove the send", lambda: owner.remove(self._to))
        row.addWidget(self.name, 1)
        for widget in (self.level, self.pre, self.gone):
            row.addWidget(widget)

    def show_send(self, send: Send, name: str, room: int) -> None:
        """name: of its target, shortened to `room` pixels."""
        self._to = send.to
        self.name.setText(self.name.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, room))
        self.name.setToolTip(texts.tip(name))
        self.level.setAccessibleName(f"Send to {name}")
        self.level.set_value(send.level_db)
        self.pre.setChecked(send.pre_fader)
        self.gone.setAccessibleName(f"Remove the send to {name}")
        self.gone.setToolTip(texts.tip(f"Remove the send to {name}"))


class SendList(QScrollArea):
    """One line a send; lines are made as they are needed, and stay."""

    def __init__(self, desk: Desk, width: int) -> None:
        super().__init__()
        self.desk = desk
        self._width = width
        self._lines: list[SendLine] = []
        self._shown = 0
        form = QWidget()
        form.setObjectName("panel")
        self._column = layouts.column(form, margins=(0, 0, 4, 0), spacing=3)
        self._column.addStretch(1)
        self.setWidget(form)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setAccessibleName("Sends")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    @property
    def levels(self) -> list[fields.NumberField]:
        """Of the sends that are shown."""
        return [line.level for line in self._lines[: self._shown]]

    def show_strip(self, session: Session, strip: Strip | None) -> None:
        sends = strip.sends if strip is not None else ()
        while len(self._lines) < len(sends):
            line = SendLine(self)
            fields.tint_icons(line)
            self._column.insertWidget(len(self._lines), line)
            self._lines.append(line)
        self._shown = len(sends)
        for line, send in zip(self._lines, sends, strict=False):
            line.show_send(send, session.strip_name(send.to), self._width - LEVEL_WIDTH - BUTTONS_WIDTH)
        for index, line in enumerate(self._lines):
            line.setVisible(index < len(sends))

    def _strips(self) -> list[str]:
        known = {strip.id for strip in self.desk.session.strips}
        return [item for item in changeable(self.desk) if item in known]

    def set_level(self, target: str, value: float) -> None:
        wanted = self._strips()
        self.desk.edit(lambda s: routing_edits.set_send(s, wanted, target, level_db=value), merge=f"send {target}")

    def turn_pre(self, target: str) -> None:
        strip = self.desk.session.strip(self._strips()[-1])
        pre = not next(send.pre_fader for send in strip.sends if send.to == target)
        self.desk.edit(lambda s: routing_edits.set_send(s, self._strips(), target, pre_fader=pre))

    def remove(self, target: str) -> None:
        self.desk.edit(lambda s: routing_edits.remove_send(s, self._strips(), target))
