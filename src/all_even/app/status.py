"""The status line: what was said last, else the facts of the session; what is being done, and stopping it."""

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel, QProgressBar, QWidget

from all_even.app.style import fields, layouts
from all_even.app.timers import timer

if TYPE_CHECKING:
    from all_even.app.desk import Desk
    from all_even.app.starting.warming import Warming

SHOWN_MS, SECOND_MS, LATE_S = 12_000, 500, 1.0
"""How long a sentence stays; how often seconds are counted on; from how many seconds on work by itself is told."""
HEIGHT = 30
QUIET = ("autosave", "plan", "arrivals", "tick", "propose", "keep", "names")
"""Work that goes on by itself and is short."""
TOLD = ("open", "measure", "sources", "print", "print track", "compare", "sheet", "prepare", "hits")
"""What is told at once; all else from a second on."""
STOPPABLE = ("open", "print", "print track", "prepare", "compare", "measure", "sources", "figures")


@dataclass(slots=True)
class _Going:
    """A job under way: since when (monotonic), how far, and what it says."""

    since_s: float
    share: float = -1.0
    text: str = ""


class StatusLine(QWidget):
    def __init__(self, desk: "Desk") -> None:
        super().__init__()
        self.desk = desk
        self._sentence = ""
        self.setFixedHeight(HEIGHT)
        row = layouts.row(self, margins=(12, 0, 8, 2), spacing=8)
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setAccessibleName("Status")
        self.progress_text = fields.label("", "small")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(180)
        self.progress.setAccessibleName("Progress")
        self.cancel_button = fields.button("Cancel", "Stop what is being done (Esc)", self.cancel, role="plain")
        row.addWidget(self.text, 1)
        for part in (self.progress_text, self.progress, self.cancel_button):
            row.addWidget(part)
        self.warming: Warming | None = None
        self._going: dict[str, _Going] = {}
        self._seconds = timer(self, SECOND_MS, self._tell)
        self._show_progress(False)
        self._timer = timer(self, SHOWN_MS, self.idle, once=True)
        desk.said.connect(self.say)
        desk.work.started.connect(self._on_started)
        desk.work.progressed.connect(self._on_progress)
        desk.work.ended.connect(self._on_ended)

    @property
    def speaking(self) -> bool:
        """Whether a sentence is still shown."""
        return self._timer.isActive()

    def say(self, sentence: str) -> None:
        """Shows a sentence for a while; what does not fit is there on hover, whole."""
        self._show(sentence)
        self._timer.start()

    def idle(self) -> None:
        """With nothing to say: the facts of the session."""
        desk = self.desk
        if not desk.is_open:
            self._show("")
            return
        session, player = desk.session, desk.ears.known_player
        device = player.device.name if player is not None and player.device is not None else "not opened yet"
        law = session.pan_law.replace("-", "−")
        self._show(
            f"{len(session.lanes)} tracks at {session.sample_rate / 1000:g} kHz; pan law {law}; output: {device}"
        )

    def _show(self, sentence: str) -> None:
        self._sentence = sentence
        self._fit()

    def _fit(self) -> None:
        """Cut between words, where there is room for no more."""
        room = max(120, self.text.width() - 4)
        metrics = self.text.fontMetrics()
        shown = self._sentence
        if metrics.horizontalAdvance(shown) > room:
            words = shown.split(" ")
            while len(words) > 1 and metrics.horizontalAdvance(" ".join(words) + " …") > room:
                words.pop()
            shown = " ".join(words) + " …" if len(words) > 1 else fields.elided(self.text, shown, room)
        self.text.setText(shown)
        self.text.setToolTip(self._sentence if shown != self._sentence else "")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _on_started(self, name: str) -> None:
        if name not in QUIET:
            self._going[name] = _Going(time.monotonic())
            self._seconds.start()

    def _on_progress(self, name: str, share: float, text: str) -> None:
        job = self._going.get(name)
        if job is not None:
            job.share, job.text = share, text
            self._tell()

    def _on_ended(self, name: str) -> None:
        if not self.desk.work.busy(name):
            self._going.pop(name, None)
        self._tell()

    def _tell(self) -> None:
        """What takes longest to wait for: how far it is, and since when."""
        now = time.monotonic()
        told = [
            (name, job) for name, job in self._going.items()
            if job.text and (name in TOLD or now - job.since_s >= LATE_S)
        ]  # fmt: skip
        if not self._going:
            self._seconds.stop()
        if not told:
            if self.warming is None:
                self._show_progress(False)
            return
        name, job = min(told, key=lambda item: (item[0] not in TOLD, item[1].since_s))
        self._show_progress(True)
        self.cancel_button.setVisible(name in STOPPABLE)
        self.progress.setRange(0, 0 if job.share < 0 else 1000)
        self.progress.setValue(int(1000 * max(0.0, job.share)))
        spent = int(now - job.since_s)
        text = f"{job.text}; {spent} s" if spent else job.text
        metrics = self.progress_text.fontMetrics()
        self.progress_text.setText(metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, 420))

    def _is_told(self) -> bool:
        return any(self.desk.work.busy(name) for name in TOLD)

    def follow(self, warming: "Warming") -> None:
        """Shows how far the compiler is, where nothing else is told."""
        self.warming = warming
        warming.progressed.connect(self._on_warming)
        warming.ended.connect(self._on_warm)

    def _on_warming(self, share: float) -> None:
        if self._is_told():
            return
        self.progress_text.setText("Compiling for this processor, only once")
        self.progress.setRange(0, 1000)
        self.progress.setValue(int(1000 * share))
        self.progress_text.show()
        self.progress.show()

    def _on_warm(self) -> None:
        self.warming = None
        self._on_ended("")

    def _show_progress(self, on: bool) -> None:
        for part in (self.progress, self.progress_text, self.cancel_button):
            part.setVisible(on)

    def cancel(self) -> None:
        """Stops the most recent kind of work that can be stopped."""
        work = self.desk.work
        for name in STOPPABLE:
            if work.busy(name):
                work.cancel(name)
                if name == "prepare":
                    self.desk.moves.stop_preparing()
                self.say("Stopped.")
                if name == "figures":
                    self.say("Stopped. Moves are looked for again after the next change or at the next stage.")
                if name == "measure":
                    self.desk.figures.open_sources()  # what was not measured can still be played
                return
