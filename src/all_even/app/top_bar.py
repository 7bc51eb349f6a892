"""The top of the window: the path of stages, the song and its saved state, playing, and the level."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from all_even.app import fields, theme
from all_even.app.desk import STAGES, Desk
from all_even.dsp.parameter import decibel_text, time_text

STAGE_NAMES = {"gather": "Gather", "balance": "Balance", "buses": "Buses", "print": "Print"}
STAGE_TIPS = {
    "gather": "Gather: what each file is and what is wrong with it (F1)",
    "balance": "Balance: levels and pan alone (F2)",
    "buses": "Buses: who flows where; groups, sends, keys and chains (F3)",
    "print": "Print: check the mix and write it to a file (F4)",
}


class _Then(QWidget):
    """The small arrow between two stages."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(14, 28)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("quiet"))
        middle = self.height() / 2
        painter.drawPolyline(QPolygonF([QPointF(4, middle - 4), QPointF(9, middle), QPointF(4, middle + 4)]))


class TopBar(QWidget):
    """Emits commands; shows what the desk holds."""

    play_pressed = pyqtSignal()
    stop_pressed = pyqtSignal()
    loop_pressed = pyqtSignal()
    follow_pressed = pyqtSignal(bool)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 6)
        row.setSpacing(4)

        self.stages: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for index, stage in enumerate(STAGES):
            if index:
                row.addWidget(_Then())
            button = fields.button(
                STAGE_NAMES[stage], STAGE_TIPS[stage], lambda s=stage: desk.set_stage(s), checkable=True
            )
            group.addButton(button)
            self.stages[stage] = button
            row.addWidget(button)
        row.addSpacing(16)

        names = QVBoxLayout()
        names.setSpacing(0)
        self.song = fields.label("", "title")
        self.song.setAccessibleName("Song")
        self.state = fields.label("", "small")
        self.state.setAccessibleName("Saved state")
        names.addWidget(self.song)
        names.addWidget(self.state)
        row.addLayout(names)
        row.addStretch(1)

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
        self.position = fields.label("0:00.0", "title")
        self.position.setAccessibleName("Position")
        self.position.setFont(theme.font(theme.TITLE, strong=True))
        self.position.setFixedWidth(70)
        self.position.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.position)
        self.length = fields.label("", "quiet")
        self.length.setAccessibleName("Length of the song")
        row.addWidget(self.length)
        row.addSpacing(8)
        self.level = OutputLevel()
        row.addWidget(self.level)

        desk.opened.connect(self.refresh)
        desk.changed.connect(lambda old, new: self.refresh())
        desk.saved_state_changed.connect(self.refresh)
        desk.stage_changed.connect(lambda _stage: self.refresh())
        desk.moves_changed.connect(self.refresh)
        desk.hearing_changed.connect(self.refresh)
        desk.lane_measured.connect(lambda _lane: self.refresh())

    def refresh(self) -> None:
        desk = self.desk
        if not desk.is_open:
            return
        session = desk.session
        self.song.setText(session.name)
        if desk.hearing.name != "now":
            matched = f", {decibel_text(desk.hearing.matched_db)} to match" if desk.hearing.matched_db else ""
            self.state.setText(f"hearing “{desk.hearing.name}”{matched}")
        elif desk.path is None:
            self.state.setText("not saved yet")
        else:
            self.state.setText(f"{desk.path.name}, {'changed' if desk.unsaved else 'saved'}")
        for stage, button in self.stages.items():
            count = len(desk.moves[stage]) + (_fault_count(desk) if stage == "gather" else 0)
            button.setText(f"{STAGE_NAMES[stage]}  {count}" if count else STAGE_NAMES[stage])
            button.setChecked(stage == desk.stage)
            button.setAccessibleName(f"{STAGE_NAMES[stage]}, {count} open findings")
        self.loop.setChecked(session.loop is not None and session.loop.active)
        self.loop.setEnabled(session.loop is not None)

    def show_position(self, position_s: float, length_s: float, playing: bool) -> None:
        self.position.setText(time_text(position_s))
        self.length.setText(f"of {time_text(length_s)}")
        name = "square" if playing else "play"
        if self.play.property("icon_name") != name:
            self.play.setProperty("icon_name", name)
            self.play.setAccessibleName("Stop" if playing else "Play")
            fields.tint_icons(self)


def _fault_count(desk: Desk) -> int:
    from all_even.measure.findings import findings

    return sum(finding.severity == "fault" for report in desk.reports.values() for finding in findings(report)) + len(
        desk.unreadable
    )


class OutputLevel(QWidget):
    """What goes to the output now: two bars on a scale of decibels, with the window and the ceiling marked."""

    LOW_DB = -48.0

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(176, 34)
        self.setAccessibleName("Output level")
        self.setToolTip(
            "Output level now, left and right, −48 to 0 dBFS. The marked stretch is −6 to −3 dBFS. "
            "Playing never passes −1 dBFS; prints are not limited."
        )
        self._left = self._right = -120.0
        self._held = False

    def show_levels(self, left_dbfs: float, right_dbfs: float, held: bool) -> None:
        left = max(left_dbfs, self._left - 1.4)
        right = max(right_dbfs, self._right - 1.4)
        if (left, right, held) != (self._left, self._right, self._held):
            self._left, self._right, self._held = max(left, -120.0), max(right, -120.0), held
            self.update()

    def _x(self, level_db: float) -> float:
        share = min(1.0, max(0.0, (level_db - self.LOW_DB) / -self.LOW_DB))
        return 2 + share * (self.width() - 4)

    def paintEvent(self, event: QPaintEvent) -> None:
        from all_even.app import paint

        painter = QPainter(self)
        window = QRectF(self._x(-6.0), 1, self._x(-3.0) - self._x(-6.0), 18)
        painter.fillRect(window, theme.colour("act_soft"))
        for index, level in enumerate((self._left, self._right)):
            track = QRectF(2, 3 + index * 8, self.width() - 4, 6)
            painter.fillRect(track, theme.colour("raised"))
            painter.fillRect(window.intersected(track), theme.colour("act_soft"))
            bar = QRectF(track.left(), track.top(), self._x(level) - track.left(), track.height())
            painter.fillRect(bar, theme.colour("look" if level > -3.0 else "act"))
        quiet = theme.colour("quiet")
        if self._held:
            paint.text(painter, QRectF(0, 19, self.width(), 15), "ceiling holds −1 dBFS", size=theme.SMALL,
                       colour=theme.colour("look"), align=paint.RIGHT)  # fmt: skip
            return
        for tick in (-48.0, -36.0, -24.0, -12.0, 0.0):
            x = self._x(tick)
            box = QRectF(x - 14, 19, 28, 15)
            box.moveLeft(min(self.width() - 28.0, max(0.0, box.left())))
            align = paint.LEFT if tick == -48.0 else paint.RIGHT if tick == 0.0 else paint.CENTRE
            paint.text(painter, box, f"{tick:.0f}".replace("-", "−"), size=theme.SMALL, colour=quiet, align=align)
