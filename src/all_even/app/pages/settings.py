"""The settings page: targets and weights of the session or of all new ones, schools, look, and the output."""

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFrame, QWidget

from all_even.app.commands.all import BUFFERS
from all_even.app.desk import Desk
from all_even.app.pages.page import Page, card
from all_even.app.pages.topics import SECTIONS, Topic, topics
from all_even.app.style import fields, layouts, theme
from all_even.dsp.parameter import Choice, Parameter
from all_even.session.editing import edits
from all_even.session.model.settings import WorkSettings

NAME_WIDTH, CONTROL_WIDTH, OUTPUT_WIDTH = 220, 150, 300
OF_WORK = ("Targets", "Priority")


class SettingsPage(Page):
    title = "Settings"

    def __init__(self, desk: Desk, back: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk = desk
        self.controls: dict[str, QWidget] = {}
        self._show: list[Callable[[], None]] = []
        self._add_owner()
        left, right = self.two_columns()
        found = topics()
        for section in SECTIONS:
            side = left if section in OF_WORK else right
            side.addWidget(self._section(section, [topic for topic in found if topic.section == section]))
        right.addWidget(self._output())
        for side in (left, right):
            side.addStretch(1)
        self.column.addStretch(1)
        desk.changed.connect(lambda old, new: self._renew() if old.settings != new.settings else None)
        desk.preferences_changed.connect(self._renew)

    def refresh(self, at: str = "") -> None:
        self.desk.ears.outputs.look(self._renew)
        self._renew()
        control = self.controls.get(at)
        if control is not None:
            control.setFocus(Qt.FocusReason.OtherFocusReason)
            self.area.ensureWidgetVisible(control)

    # Whose settings they are.

    def _add_owner(self) -> None:
        self.whose = fields.wrapped("", "quiet")
        self.column.addWidget(self.whose)
        row = layouts.row(spacing=8)
        self.for_all = fields.button(
            "Keep these for all new sessions", "New sessions begin with these targets and weights", self._keep_for_all
        )
        self.usual = fields.button(
            "Take the usual ones", "Puts targets and weights back to what All Even begins with", self._take_usual
        )
        row.addWidget(self.for_all)
        row.addWidget(self.usual)
        row.addStretch(1)
        self.column.addLayout(row)

    @property
    def work(self) -> WorkSettings:
        """Those of the open session; where none is open, of all new ones."""
        return self.desk.session.settings if self.desk.is_open else self.desk.preferences.work

    def _keep_for_all(self) -> None:
        self.desk.prefer(replace(self.desk.preferences, work=self.work))
        self.desk.said.emit("New sessions begin with these targets and weights.")

    def _take_usual(self) -> None:
        self._set_work(WorkSettings())

    def _set_work(self, work: WorkSettings) -> None:
        if self.desk.is_open:
            self.desk.edit(lambda s: replace(s, settings=work))
        else:
            self.desk.prefer(replace(self.desk.preferences, work=work))
        self._renew()

    def _set(self, topic: Topic, value: Any) -> None:
        if topic.owner == "machine":
            self.desk.prefer(replace(self.desk.preferences, **{topic.key: value}))
        elif self.desk.is_open:
            self.desk.edit(lambda s: edits.set_work(s, **{topic.key: value}))
        else:
            self._set_work(replace(self.work, **{topic.key: value}))

    def _value(self, topic: Topic) -> Any:
        return getattr(self.desk.preferences if topic.owner == "machine" else self.work, topic.key)

    # Building.

    def _section(self, name: str, found: list[Topic]) -> QFrame:
        made, grid = card(name)
        grid.setColumnStretch(0, 1)
        for row, topic in enumerate(found, 1):
            label = fields.label(topic.name)
            label.setMinimumWidth(NAME_WIDTH)
            control = self._control(topic)
            control.setToolTip(topic.help)
            self.controls[topic.key] = control
            grid.addWidget(label, 2 * row, 0)
            grid.addWidget(control, 2 * row, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(fields.wrapped(topic.help, "small"), 2 * row + 1, 0, 1, 2)
        return made

    def _control(self, topic: Topic) -> QWidget:
        if isinstance(topic.setting, Parameter):
            field = fields.NumberField(topic.setting, topic.name)
            field.value_changed.connect(partial(self._set, topic))
            self._show.append(lambda: field.set_value(self._value(topic)))
            return field
        if isinstance(topic.setting, Choice):
            box = _box(topic.name)
            for option in topic.setting.options:
                box.addItem(str(option).replace("-", "−"), option)
            box.activated.connect(lambda index: self._set(topic, box.itemData(index)))
            self._show.append(lambda: box.setCurrentIndex(box.findData(self._value(topic))))
            return box
        check = fields.check()
        check.setAccessibleName(topic.name)
        check.clicked.connect(lambda on: self._set(topic, on))
        self._show.append(lambda: check.setChecked(self._value(topic)))
        return check

    def _output(self) -> QFrame:
        """Output and buffer, as in the Play menu."""
        made, grid = card("Output")
        grid.setColumnStretch(0, 1)
        outputs, ears = self.desk.ears.outputs, self.desk.ears
        self.output, self.buffer = _box("Output"), _box("Buffer")
        for box in (self.output, self.buffer):
            box.setFixedWidth(OUTPUT_WIDTH)
        self.output.setToolTip("Where playing goes; it starts quietly there")
        self.buffer.setToolTip("How much sound waits in the output: more is later, and safer on a busy machine")
        self.output.activated.connect(lambda index: ears.choose_output(self.output.itemData(index)))
        self.buffer.activated.connect(lambda index: ears.choose_buffer(self.buffer.itemData(index)))
        for frames, text in BUFFERS.items():
            self.buffer.addItem(text, frames)
        for row, (name, control) in enumerate((("Plays to", self.output), ("Buffer", self.buffer)), 1):
            grid.addWidget(fields.label(name), row, 0)
            grid.addWidget(control, row, 1, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(fields.wrapped("Kept for this machine; also in the Play menu.", "small"), 3, 0, 1, 2)

        def show() -> None:
            self.output.clear()
            for output in outputs.known:
                self.output.addItem(output.name, output.key)
            self.output.setCurrentIndex(self.output.findData(outputs.key))
            self.buffer.setCurrentIndex(self.buffer.findData(outputs.buffer_frames))

        self._show.append(show)
        return made

    def _renew(self) -> None:
        whose = self.desk.session.name if self.desk.is_open else "all new sessions"
        self.whose.setText(f"Targets and priority are those of {whose}; all else is of this machine.")
        self.for_all.setVisible(self.desk.is_open)
        self.for_all.setEnabled(self.work != self.desk.preferences.work)
        self.usual.setEnabled(self.work != WorkSettings())
        for show in self._show:
            show()


def _box(name: str) -> QComboBox:
    box = fields.choice()
    box.setAccessibleName(name)
    box.setFixedWidth(CONTROL_WIDTH)
    box.setMinimumHeight(theme.TARGET)
    return box
