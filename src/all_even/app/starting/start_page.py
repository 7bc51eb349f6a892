"""The first thing one sees: open a folder, a session or the demo, or something recent."""

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from all_even import stages, texts
from all_even.app.machine.recent import recent_sessions
from all_even.app.style import fields, layouts, paint, theme
from all_even.session.file import recovery


class StartPage(QWidget):
    """Needs no measuring and no sound: it is on screen before those are loaded."""

    folder_wanted = pyqtSignal()
    session_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    path_wanted = pyqtSignal(object)
    recovery_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        outer = layouts.row(self, margins=layouts.NONE, spacing=0)
        outer.addWidget(Emblem(), 5)
        side = QWidget()
        side.setObjectName("panel")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        outer.addWidget(side, 6)
        column = layouts.column(side, margins=(56, 48, 56, 32), spacing=10)
        column.addStretch(2)
        title = fields.label("All Even", "figure")
        column.addWidget(title)
        column.addWidget(
            fields.wrapped(
                "A mixing bench for one person and one folder of recorded tracks. "
                "It measures, proposes, lets you hear, and writes down.", "quiet",
            )
        )  # fmt: skip
        column.addSpacing(18)
        self.folder = self._choice(
            column, "Open a folder of tracks", "Any names, any common sound format. The files are only read.",
            "Open a folder of sound files (Ctrl+O)", "folder-open", self.folder_wanted, "main",
        )  # fmt: skip
        self.session = self._choice(
            column, "Open a session", "A file that ends in .alleven.", "Open a session file (Ctrl+Shift+O)", "history",
            self.session_wanted, "",
        )  # fmt: skip
        self.demo = self._choice(
            column, "Open the demo", "A ferry's crew plays “Slack Water”: 29 files with planted faults.",
            "Open the demo session (Ctrl+D)", "play", self.demo_wanted, "",
        )  # fmt: skip
        column.addSpacing(20)
        path = layouts.column(spacing=5)
        for stage in stages.STAGES:
            row = layouts.row()
            name = fields.label(stage.name)
            name.setFont(theme.font(strong=True))
            name.setStyleSheet("font-weight: 600")
            name.setFixedWidth(84)
            row.addWidget(name, 0, Qt.AlignmentFlag.AlignTop)
            tip = fields.wrapped(stage.tip[:1].upper() + stage.tip[1:], "quiet")
            tip.setToolTip(texts.tip(stage.does))
            row.addWidget(tip, 1)
            path.addLayout(row)
        column.addLayout(path)
        column.addSpacing(16)
        self.recent_box = layouts.column(spacing=2)
        column.addLayout(self.recent_box)
        column.addStretch(3)
        self.hint = fields.wrapped("Or drop a folder or a session file anywhere on this window.", "quiet")
        column.addWidget(self.hint)
        self.refresh()

    def refresh(self) -> None:
        """Lists recent sessions and copies that were rescued."""
        while self.recent_box.count():
            item = self.recent_box.takeAt(0)
            gone = item.widget() if item is not None else None
            if gone is not None:
                gone.deleteLater()
        rescued, recent = recovery.orphans(None), recent_sessions()
        if rescued:
            self.recent_box.addWidget(fields.label("Not saved last time", "small"))
            for path in rescued[:3]:
                kept_at = datetime.fromtimestamp(path.stat().st_mtime)
                self._recent(
                    f"Recover the session of {kept_at:%Y-%m-%d %H:%M}",
                    "never saved to a file",
                    path,
                    self.recovery_wanted,
                )
        if recent:
            self.recent_box.addWidget(fields.label("Recent", "small"))
            for path in recent[:5]:
                self._recent(path.stem, str(path.parent), path, self.path_wanted)
        fields.tint_icons(self)

    def _choice(
        self, column: QVBoxLayout, text: str, explanation: str, tip: str, icon: str, signal: object, role: str
    ) -> object:
        row = layouts.row(spacing=16)
        button = fields.button(text, tip, signal.emit, icon=icon, role=role)  # type: ignore[attr-defined]
        button.setProperty("extent", "large")
        button.setFixedWidth(232)
        row.addWidget(button)
        row.addWidget(fields.wrapped(explanation, "quiet"), 1)
        column.addLayout(row)
        return button

    def _recent(self, name: str, where: str, path: Path, signal: object) -> None:
        holder = QWidget()
        row = layouts.row(holder, margins=layouts.NONE)
        button = fields.button(name, f"Open {path}", lambda: signal.emit(path), role="plain")  # type: ignore[attr-defined]
        row.addWidget(button)
        place = QLabel()
        place.setTextFormat(Qt.TextFormat.PlainText)
        place.setProperty("role", "small")
        place.setText(place.fontMetrics().elidedText(where, Qt.TextElideMode.ElideMiddle, 300))
        place.setToolTip(texts.tip(where))
        row.addWidget(place, 1)
        self.recent_box.addWidget(holder)


class Emblem(QWidget):
    """The three swells of the icon, at rest on one upright."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), theme.colour("act_soft"))
            width, height = float(self.width()), float(self.height())
            count = 9
            for index in range(count):
                y = height * (index + 0.5) / count
                size = height / count * (0.22 + 0.16 * ((index * 5) % 4) / 3)
                path = QPainterPath()
                path.moveTo(-20, y)
                step = width / (1.6 + (index * 3) % 4 * 0.45)
                offset = -step * ((index * 7) % 5) / 5
                x = offset
                upper, lower = [], []
                while x < width + step:
                    upper.append((x, x + step / 2, x + step))
                    lower.append((x, x + step / 2, x + step))
                    x += step
                path.moveTo(offset, y)
                for _, middle, end in upper:
                    path.quadTo(middle, y - 2 * size, end, y)
                for begin, middle, _ in reversed(lower):
                    path.quadTo(middle, y + 2 * size, begin, y)
                painter.fillPath(path, theme.colour("act", 0.55 if index % 2 else 0.28))
            painter.fillRect(QRectF(width * 0.5 - 3, height * 0.08, 6, height * 0.84), theme.colour("look"))
