"""The head: the path and what is next, under it playing and the song. What the song is called, and whether it is saved,
stands in the corner of the menu bar."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.head.facts import stage_facts
from all_even.app.head.next_step import NextStep, next_step
from all_even.app.head.path import Path
from all_even.app.head.transport import Transport
from all_even.app.style import fields, layouts, theme
from all_even.app.timers import timer
from all_even.dsp.parameter import decibel_text
from all_even.session.editing.edits import NOW

NAME_WIDTH, STATE_WIDTH = 220, 260
TOGETHER_MS = 60
"""Changes that follow each other so closely are shown once."""


class Head(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        """corner: the song's name and whether it is saved, for the menu bar's line."""
        self.setObjectName("ground")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.next = NextStep("", "")
        column = layouts.column(self, margins=(0, 2, 0, 0), spacing=2)
        self.path = Path(desk)
        line = layouts.row(margins=(0, 0, 12, 0), spacing=8)
        line.addWidget(self.path)
        tip = "All stages in their order with their usual moves, as long as the mix gets no worse (Ctrl+M)"
        self.first_mix = fields.button("First mix", tip, lambda: desk.wanted.emit("first-mix"))
        line.addWidget(self.first_mix)
        self.go = QLabel()
        self.go.setTextFormat(Qt.TextFormat.PlainText)
        self.go.setProperty("role", "quiet")
        self.go.setAccessibleName("Next step")
        line.addWidget(self.go, 1)
        self.corner = QWidget()
        self.corner.setMinimumWidth(NAME_WIDTH + STATE_WIDTH)
        corner = layouts.row(self.corner, margins=(0, 0, 12, 0), spacing=8)
        corner.addStretch(1)
        self.song = fields.label("")
        self.song.setFont(theme.font(strong=True))
        self.song.setStyleSheet("font-weight: 600")
        self.song.setAccessibleName("Song")
        self.saved_state = fields.label("", "small")
        self.saved_state.setAccessibleName("Saved state")
        corner.addWidget(self.song)
        corner.addWidget(self.saved_state)
        column.addLayout(line)
        self.transport = Transport(desk)
        column.addWidget(self.transport)
        self._soon = timer(self, TOGETHER_MS, self.refresh, once=True)
        for signal in (desk.opened, desk.moves_changed, desk.mix_measured):
            signal.connect(self._soon.start)
        desk.lane_measured.connect(lambda _lane: self._soon.start())
        for signal in (desk.saved_state_changed, desk.hearing_changed):
            signal.connect(self._soon.start)
        desk.stage_changed.connect(lambda _stage: self.refresh())
        desk.work.ended.connect(lambda _name: self._soon.start())

    def refresh(self) -> None:
        desk = self.desk
        if not desk.is_open:
            return
        self._show_song()
        facts = stage_facts(desk)
        self.path.show_facts(facts)
        measuring = any(desk.work.busy(name) for name in ("measure", "sources", "figures")) or desk.figures.pending
        self.next = next_step(facts, measuring=measuring)
        text = f"Next: {self.next.text} (G)" if self.next.stage else self.next.text
        room = max(80, self.width() - self.path.sizeHint().width() - self.first_mix.sizeHint().width() - 36)
        self.go.setText(fields.elided(self.go, text, room))
        self.go.setToolTip(texts.tip(f"{text}. G goes there."))

    def _show_song(self) -> None:
        """The song, and whether it is saved; or what is heard instead of the present state."""
        desk = self.desk
        self.song.setText(fields.elided(self.song, desk.session.name, NAME_WIDTH))
        self.song.setToolTip(texts.tip(desk.session.name))
        hearing = desk.hearing
        if hearing.name != NOW:
            matched = f", {decibel_text(hearing.matched_db)} to match" if hearing.matched_db else ""
            state = f"hearing “{hearing.name}”{matched}"
        elif desk.path is None:
            state = "not saved yet"
        else:
            state = f"{desk.path.name}, {'changed' if desk.unsaved else 'saved'}"
        self.saved_state.setText(fields.elided(self.saved_state, state, STATE_WIDTH))
        self.saved_state.setToolTip(texts.tip(state))
