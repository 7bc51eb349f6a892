"""Where the selected strips go: level, destination, sends; and what makes groups, folders and parallel buses of
them."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.lanes.body import changeable, set_together
from all_even.app.lanes.entries import entry
from all_even.app.lanes.gestures import put_into
from all_even.app.stages.buses.sends import SendList
from all_even.app.style import fields, layouts
from all_even.dsp.parameter import LEVEL
from all_even.session.editing import edits, routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, FolderGroup, Strip

WIDTH = 232
NO_FOLDER, FOLDER_WIDTH = "", 88
PAN_LAWS = {"-3 dB": "−3 dB, constant power", "-4.5 dB": "−4.5 dB", "-6 dB": "−6 dB, constant sum"}


class RoutingForm(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedWidth(WIDTH)
        column = layouts.column(self, margins=layouts.NONE, spacing=4)
        self.title = fields.label("", "title")
        self.title.setAccessibleName("Selected track or bus")
        column.addWidget(self.title)
        column.addLayout(self._settings())
        self.sends = SendList(desk, WIDTH)
        column.addWidget(self.sends, 1)
        column.addLayout(self._buttons())

    def _settings(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.names: dict[str, QLabel] = {}
        self.level = fields.NumberField(LEVEL, "Level")
        self.level.value_changed.connect(self._set_level)
        self.goes_to = _box("Output", "Where the sound goes: a bus, the mix, or nowhere (a silent trigger)")
        self.goes_to.activated.connect(lambda _i: self.route(self.goes_to.currentData()))
        self.send_to = _box("Send to", "Send a copy to a bus, after fader and pan")
        self.send_to.activated.connect(lambda _i: self._send(self.send_to.currentData()))
        self.in_folder = _box(
            "Folder", "The folder that holds it: one fader, mute and solo for all in it, without a bus"
        )
        self.in_folder.activated.connect(lambda _i: self._put(self.in_folder.currentData()))
        self.pan_law = _box("Pan law", "Gain of a mono track in the centre, for the whole session")
        for law, text in PAN_LAWS.items():
            self.pan_law.addItem(text, law)
        self.pan_law.activated.connect(self._set_pan_law)
        for index, (name, field) in enumerate(
            (
                ("Level", self.level),
                ("Output", self.goes_to),
                ("Send to", self.send_to),
                ("Pan law", self.pan_law),
            )
        ):
            self.names[name] = fields.label(name, "quiet")
            grid.addWidget(self.names[name], index, 0)
            if isinstance(field, QComboBox):
                grid.addWidget(field, index, 1)
            else:
                grid.addWidget(field, index, 1, Qt.AlignmentFlag.AlignLeft)
        grid.addWidget(self.in_folder, 0, 1, Qt.AlignmentFlag.AlignRight)
        self.in_folder.setFixedWidth(FOLDER_WIDTH)
        grid.setColumnStretch(1, 1)
        return grid

    def _buttons(self) -> QHBoxLayout:
        buttons = layouts.row(spacing=4)
        self.group = fields.button("Group", "Put the selected tracks through a summing group (Ctrl+B)", self.make_group)
        self.folder = fields.button(
            "Folder", "Hold the selected tracks by one fader, without a bus (Ctrl+Shift+F)", self.make_folder
        )
        self.parallel = fields.button(
            "Parallel", "Send the selected tracks to a new parallel bus (Ctrl+Shift+B)", self.make_parallel
        )
        self.convert = fields.button("", "Turn a summing group into a folder group, or back", self._convert)
        for button in (self.group, self.folder, self.parallel, self.convert):
            buttons.addWidget(button)
        buttons.addStretch(1)
        return buttons

    # What is shown.

    def show_current(self, session: Session, current: str) -> None:
        desk = self.desk
        shown = entry(session, current)
        strip = shown if isinstance(shown, Strip) else None
        text = shown.name if len(desk.selected) == 1 else f"{shown.name} and {len(desk.selected) - 1} more"
        self.title.setText(self.title.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, WIDTH - 4))
        self.title.setToolTip(texts.tip(text))
        self.level.set_value(shown.level_db)
        self.names["Level"].setText("Trim" if current == MIX else "Level")
        self.pan_law.setCurrentIndex(self.pan_law.findData(session.pan_law))
        for widget in (self.pan_law, self.names["Pan law"]):
            widget.setVisible(current == MIX)
        self._fill_routes(session, strip)
        self.sends.show_strip(session, strip)
        folder = isinstance(shown, FolderGroup)
        is_bus = folder or isinstance(shown, Bus)
        self.convert.setVisible(is_bus)
        self.convert.setText("To bus" if folder else "To folder")
        self.convert.setAccessibleName(self.convert.text())
        for button in (self.group, self.folder, self.parallel):
            button.setVisible(not is_bus)
            button.setEnabled(strip is not None)
        self._fill_folders(session, current)

    def _fill_routes(self, session: Session, strip: Strip | None) -> None:
        own = strip.id if strip is not None else ""
        buses = [(bus.name, bus.id) for bus in session.buses if bus.id != own]
        for box, wanted in (
            (self.goes_to, [("the mix", MIX), *buses, ("nowhere", NOWHERE)]),
            (self.send_to, [("choose …", ""), *buses]),
        ):
            if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != wanted:
                box.clear()
                for name, target in wanted:
                    box.addItem(name, target)
            box.setEnabled(len(wanted) > 1)
            box.setVisible(strip is not None)
        for name in ("Output", "Send to"):
            self.names[name].setVisible(strip is not None)
        self.goes_to.setCurrentIndex(max(0, self.goes_to.findData(strip.destination if strip else MIX)))
        self.send_to.setCurrentIndex(0)

    def _fill_folders(self, session: Session, current: str) -> None:
        wanted = [
            ("no folder", NO_FOLDER),
            *((item.name, item.id) for item in session.folder_groups if item.id != current),
        ]
        if [(self.in_folder.itemText(i), self.in_folder.itemData(i)) for i in range(self.in_folder.count())] != wanted:
            self.in_folder.clear()
            for name, folder in wanted:
                self.in_folder.addItem(name, folder)
        held = session.member(current).group if current != MIX else None
        self.in_folder.setCurrentIndex(max(0, self.in_folder.findData(held or NO_FOLDER)))
        self.in_folder.setVisible(current != MIX and bool(session.folder_groups))

    # Edits.

    def _put(self, folder: str) -> None:
        put_into(self.desk, folder or None)
        self._again()

    def _strips(self) -> list[str]:
        known = {strip.id for strip in self.desk.session.strips}
        return [item for item in changeable(self.desk) if item in known]

    def _set_level(self, value: float) -> None:
        if self.desk.current == MIX:
            self.desk.edit(lambda s: edits.set_trim(s, value), merge="trim")
            return
        set_together(self.desk, level_db=value)

    def route(self, target: str) -> None:
        self.desk.try_edit(lambda s: routing_edits.route(s, self._strips(), target))
        self._again()

    def _send(self, target: str) -> None:
        if target:
            self.desk.try_edit(lambda s: routing_edits.set_send(s, self._strips(), target))
        self._again()

    def _again(self) -> None:
        """What was refused is not shown as chosen."""
        if self.desk.current is not None:
            self.show_current(self.desk.session, self.desk.current)

    def _set_pan_law(self, _index: int) -> None:
        law = self.pan_law.currentData()
        self.desk.edit(lambda session: edits.set_pan_law(session, law))

    def make_group(self) -> None:
        """Puts the selected strips through a new summing group."""
        self._make(lambda s, wanted: routing_edits.group_strips(s, wanted, self._new_name("Group")))

    def make_folder(self) -> None:
        """Puts the selected strips into a new folder group."""
        self._make(lambda s, wanted: routing_edits.folder_strips(s, wanted, self._new_name("Folder")))

    def leave_folder(self) -> None:
        """Takes the selected strips out of the folders that hold them."""
        wanted = [item.id for item in self.desk.session.strips if item.id in self._strips() and item.group is not None]
        if wanted:
            self.desk.try_edit(lambda s: routing_edits.leave_folder(s, wanted))
        else:
            self.desk.said.emit("Select a track in a folder first.")

    def make_parallel(self) -> None:
        """Sends the selected strips to a new parallel bus."""

        def edit(session: Session, wanted: list[str]) -> tuple[Session, str]:
            session, bus = routing_edits.add_bus(session, self._new_name("Parallel"), "parallel")
            return routing_edits.set_send(session, wanted, bus), bus

        self._make(edit)

    def _make(self, edit: Callable[[Session, list[str]], tuple[Session, str]]) -> None:
        wanted = self._strips()
        if not wanted or self.desk.stage != "buses":
            self.desk.said.emit("Select the tracks first, in the stage Buses.")
            return
        made = ""

        def whole(session: Session) -> Session:
            nonlocal made
            session, made = edit(session, wanted)
            return session

        if self.desk.try_edit(whole) and made:
            self.desk.select((made,))

    def _new_name(self, word: str) -> str:
        taken = {item.name for item in self.desk.session.members}
        return next(name for number in range(1, 1000) if (name := f"{word} {number}") not in taken)

    def _convert(self) -> None:
        current = self.desk.current
        if current is None:
            return
        if isinstance(entry(self.desk.session, current), FolderGroup):
            self.desk.try_edit(lambda s: routing_edits.to_summing(s, current))
        else:
            self.desk.try_edit(lambda s: routing_edits.to_folder(s, current))

    def remove_current(self) -> None:
        """Takes the selected buses and folder groups away; what they carried goes on where they led."""
        lanes = {lane.id for lane in self.desk.session.lanes} | {MIX}
        wanted = [item for item in self.desk.selected if item not in lanes]
        if wanted:
            self.desk.try_edit(lambda s: routing_edits.remove_strips(s, wanted))


def _box(name: str, tip: str) -> QComboBox:
    box = fields.choice()
    box.setAccessibleName(name)
    box.setToolTip(texts.tip(tip))
    box.setMinimumHeight(26)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    return box
