"""The sends of a strip: where to, how loud, before or after the fader; and taking them away."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.lanes.body import changeable
from all_even.app.style import fields
from all_even.dsp.parameter import LEVEL
from all_even.session.editing import routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Strip

LEVEL_WIDTH, BUTTONS_WIDTH = 78, 88


class SendList(QScrollArea):
    """One line a send; made anew only where there are other sends."""

    def __init__(self, desk: Desk, width: int) -> None:
        super().__init__()
        self.desk = desk
        self._width = width
        self._made_for: object = None
        self.levels: list[fields.NumberField] = []
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setAccessibleName("Sends")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_strip(self, session: Session, strip: Strip | None) -> None:
        sends = strip.sends if strip is not None else ()
        wanted = (
            strip.id if strip else "",
            tuple((send.to, session.strip_name(send.to), send.pre_fader) for send in sends),
        )
        if wanted != self._made_for:
            self._made_for = wanted
            self._make(session, strip)
        for level, send in zip(self.levels, sends, strict=True):
            level.set_value(send.level_db)

    def _make(self, session: Session, strip: Strip | None) -> None:
        form = QWidget()
        form.setObjectName("panel")
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 0, 4, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        self.levels = []
        sends = strip.sends if strip is not None else ()
        for index, send in enumerate(sends):
            name = session.strip_name(send.to)
            label = fields.label(name, "small")
            label.setToolTip(texts.tip(name))
            room = self._width - LEVEL_WIDTH - BUTTONS_WIDTH
            label.setText(label.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, room))
            level = fields.NumberField(LEVEL, f"Send to {name}")
            level.setFixedWidth(LEVEL_WIDTH)
            level.value_changed.connect(partial(self._set, send.to))
            before = fields.button(
                "pre", "Take the copy before the fader", partial(self._turn_pre, send.to), checkable=True
            )
            before.setChecked(send.pre_fader)
            gone = fields.icon_button(
                "trash-2", f"Remove the send to {name}", f"Remove the send to {name}", partial(self._remove, send.to)
            )
            for column, widget in enumerate((label, level, before, gone)):
                grid.addWidget(widget, index, column)
            self.levels.append(level)
        grid.setRowStretch(len(sends), 1)
        grid.setColumnStretch(0, 1)
        fields.tint_icons(form)
        fields.swap(self, form)

    def _strips(self) -> list[str]:
        known = {strip.id for strip in self.desk.session.strips}
        return [item for item in changeable(self.desk) if item in known]

    def _set(self, target: str, value: float) -> None:
        wanted = self._strips()
        self.desk.edit(lambda s: routing_edits.set_send(s, wanted, target, level_db=value), merge=f"send {target}")

    def _turn_pre(self, target: str) -> None:
        strip = self.desk.session.strip(self._strips()[-1])
        pre = not next(send.pre_fader for send in strip.sends if send.to == target)
        self.desk.edit(lambda s: routing_edits.set_send(s, self._strips(), target, pre_fader=pre))

    def _remove(self, target: str) -> None:
        self.desk.edit(lambda s: routing_edits.remove_send(s, self._strips(), target))
