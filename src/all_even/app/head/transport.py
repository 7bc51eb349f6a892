"""Playing: start and stop, loop, follow; the song; the position and the level that goes out."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.head.output_level import OutputLevel
from all_even.app.head.song_strip import SongStrip
from all_even.app.style import fields, layouts, theme
from all_even.dsp.parameter import time_text


class Transport(QWidget):
    """Emits commands; shows what the desk holds."""

    play_pressed = pyqtSignal()
    stop_pressed = pyqtSignal()
    loop_pressed = pyqtSignal()
    follow_pressed = pyqtSignal(bool)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = layouts.row(self, margins=(12, 0, 12, 0), spacing=4)
        self.play = fields.icon_button("play", "Play", "Play or stop (Space)", self.play_pressed.emit)
        self.to_start = fields.icon_button(
            "arrow-left-to-line", "Stop and go to the start", "Stop and go to the start (Home)", self.stop_pressed.emit
        )
        self.loop = fields.icon_button(
            "repeat", "Loop", "Repeat the marked section (L); drag along the song strip to mark one",
            self.loop_pressed.emit, checkable=True,
        )  # fmt: skip
        self.follow = fields.icon_button(
            "locate-fixed", "Follow", "Keep the close views of the bench around the playing position (F)",
            lambda: self.follow_pressed.emit(self.follow.isChecked()), checkable=True,
        )  # fmt: skip
        for button in (self.play, self.to_start, self.loop, self.follow):
            row.addWidget(button)
        self.strip = SongStrip(desk)
        row.addWidget(self.strip, 1)
        times = layouts.column(spacing=0)
        self.position = fields.label("0:00.0", "title")
        self.position.setAccessibleName("Position")
        self.position.setFont(theme.font(theme.TITLE, strong=True))
        self.length = fields.label("", "small")
        self.length.setAccessibleName("Length of the song")
        for label in (self.position, self.length):
            label.setFixedWidth(70)
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            times.addWidget(label)
        row.addLayout(times)
        row.addSpacing(8)
        self.lost = fields.button("", "", desk.ears.reopen, role="main")
        self.lost.hide()
        row.addWidget(self.lost)
        self.level = OutputLevel()
        row.addWidget(self.level)
        desk.opened.connect(self.refresh)
        desk.changed.connect(
            lambda old, new: self.refresh() if (old.loop, old.settings) != (new.loop, new.settings) else None
        )

    def refresh(self) -> None:
        if self.desk.is_open:
            loop = self.desk.session.loop
            self.loop.setChecked(loop is not None and loop.active)
            self.loop.setEnabled(loop is not None)
            self.level.show_window(self.desk.session.settings.peak_window_dbfs)

    def show_output(self) -> None:
        """Offers the way back to an output that was lost, once it is there again."""
        name, back = self.desk.ears.lost, self.desk.ears.lost_is_back
        shown = "" if name is None else "Back to the output" if back else "Output lost"
        if self.lost.text() != shown:
            self.lost.setText(shown)
            self.lost.setAccessibleName(shown)
            tip = (
                f"{name} is back: play there again, from silence up"
                if back
                else f"{name} is gone; this plays to nobody"
            )
            self.lost.setToolTip(texts.tip(tip))
            self.lost.setEnabled(back)
            self.lost.setVisible(bool(shown))

    def show_position(self, position_s: float, length_s: float, playing: bool) -> None:
        self.strip.set_length(length_s)
        self.strip.set_position(position_s)
        self.position.setText(time_text(position_s))
        self.length.setText(f"of {time_text(length_s)}")
        name = "square" if playing else "play"
        if self.play.property("icon_name") != name:
            self.play.setProperty("icon_name", name)
            self.play.setAccessibleName("Stop" if playing else "Play")
            fields.tint_icons(self)
