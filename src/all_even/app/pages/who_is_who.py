"""Who is who: each track that nobody knows plays its clearest two seconds, and two keys say what it is.

The first key is the family, the second the role; Enter takes what it sounds like. Every answer is kept as it is given
and can be undone by itself; whoever leaves has lost nothing.
"""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QScrollArea, QSizePolicy, QWidget

from all_even import texts
from all_even.app.bench.drawings import TimeDrawing
from all_even.app.desk import Desk
from all_even.app.pages.page import Page
from all_even.app.stages.gather.body import envelope
from all_even.app.style import fields, icons, layouts, paint, theme
from all_even.dsp.parameter import time_text
from all_even.figures.book.look import Look
from all_even.figures.sources import who_is_who
from all_even.measure.recording.files import FileReport
from all_even.session.model.strips import Lane
from all_even.session.tracks import naming
from all_even.session.tracks.asking import WORDS
from all_even.session.tracks.roles import FAMILIES, ROLES, family_of

KEYS = "1234567890ABCDEFG"
HEARD_FAMILIES = tuple(family for family in FAMILIES if family != "buses")
FIRST = ("kick", "snare top", "hi-hat", "overhead", "tom", "bass", "electric guitar", "acoustic guitar", "synthesiser",
         "piano", "pad", "organ", "lead voice", "backing voice", "trumpet", "saxophone", "trombone", "violin",
         "instrument", "printed effect")  # fmt: skip
"""Roles that come first in their family, the most frequent in songs (common practice)."""
LOUDNESS_LUFS, HIGHEST_DBFS, MOST_GAIN_DB = -22.0, -6.0, 18.0
"""How loud a track is heard here, and how far its peaks may come."""
ROW, QUEUE_WIDTH = 30, 300
BIG = 46


def roles_in(family: str) -> tuple[str, ...]:
    """The roles of a family that a track may be, the most frequent first."""
    names = [role.name for role in ROLES if role.family == family and role.name != "unknown"]
    return tuple(sorted(names, key=lambda name: FIRST.index(name) if name in FIRST else len(FIRST)))[: len(KEYS)]


class KeyButton(QPushButton):
    """A choice with its key in front: `3 Bass`. family: whose mark it carries; empty for none."""

    def __init__(self) -> None:
        super().__init__()
        self.key, self.words, self.family = "", "", ""
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(BIG)

    def show_choice(self, key: str, words: str, family: str, tip: str) -> None:
        self.key, self.words, self.family = key, words, family
        self.setAccessibleName(words)
        self.setToolTip(texts.tip(f"{tip} (the key {key})"))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(180, BIG)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
            under = self.underMouse() or self.isDown()
            painter.setPen(QPen(theme.colour("act" if under or self.isChecked() else "line"), 1.2))
            painter.setBrush(theme.colour("raised"))
            painter.drawRoundedRect(box, 5, 5)
            cap_width = max(24.0, paint.width_of(self.key, theme.SMALL, strong=True) + 12)
            cap = QRectF(10, (self.height() - 22) / 2, cap_width, 22)
            painter.setPen(QPen(theme.colour("quiet"), 1))
            painter.setBrush(theme.colour("panel"))
            painter.drawRoundedRect(cap, 3, 3)
            paint.text(painter, cap, self.key, size=theme.SMALL, strong=True, align=paint.CENTRE)
            x = cap.right() + 10
            if self.family:
                icons.draw_mark(painter, self.family, QRectF(x, self.height() / 2 - 6, 12, 12))
                x += 20
            paint.text(painter, QRectF(x, 0, self.width() - x - 6, self.height()), self.words)


class Queue(QWidget):
    """All that are asked about, a row each: a tick and the role where one was said; a press goes there."""

    pressed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[Lane, bool]] = []
        self.current = 0
        self.setAccessibleName("Tracks to be named")
        self.setToolTip(texts.tip("A press goes to a track"))

    def show_rows(self, rows: list[tuple[Lane, bool]], current: int) -> None:
        self.rows, self.current = rows, current
        self.setFixedHeight(ROW * max(1, len(rows)))
        self.setAccessibleDescription(f"{sum(said for _, said in rows)} of {len(rows)} are said")
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = int(event.position().y() // ROW) if event is not None else -1
        if 0 <= row < len(self.rows):
            self.pressed.emit(row)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for index, (lane, said) in enumerate(self.rows):
                row = QRectF(0, index * ROW, self.width(), ROW)
                here = index == self.current
                if here:
                    painter.fillRect(row, theme.colour("act"))
                ink, quiet = (theme.colour("on_act"),) * 2 if here else (theme.colour("text"), theme.colour("quiet"))
                middle = row.center().y()
                if said:
                    painter.setPen(QPen(quiet, 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                    tick = [QPointF(9, middle), QPointF(12.5, middle + 3.5), QPointF(19, middle - 4)]
                    painter.drawPolyline(QPolygonF(tick))
                else:
                    painter.setPen(QPen(quiet, 1.3))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(QPointF(14, middle), 4, 4)
                role_width = 112.0 if said else 0.0
                file = naming.stem_of(lane)
                paint.text(painter, QRectF(28, row.top(), row.width() - 36 - role_width, ROW), file, colour=ink)
                if said:
                    at = QRectF(row.right() - role_width - 6, row.top(), role_width, ROW)
                    paint.text(painter, at, lane.role, size=theme.SMALL, colour=quiet, align=paint.RIGHT)


class WholeFile(TimeDrawing):
    """The whole file, and the two seconds of it that are heard."""

    title = "The file; what is heard is marked"

    def __init__(self) -> None:
        super().__init__("The file", "Its loudest two seconds are heard, round and round")
        self._report: FileReport | None = None
        self._role = "unknown"
        self.heard = (0.0, 0.0)

    def show_file(self, report: FileReport | None, role: str) -> None:
        if self.is_new(report, role):
            self._report, self._role = report, role
            self.heard = who_is_who.clearest_s(report) if report is not None else (0.0, 0.0)
            self.length_s = max(0.01, self.heard[1])
            if report is not None and report.measures is not None:
                self.length_s = max(0.01, report.measures.duration_s)
            self.renew()

    def paint_over(self, painter: QPainter, plot: QRectF) -> None:
        """Nothing moves here: what is heard is marked."""

    def paint_inside(self, painter: QPainter, plot: QRectF) -> None:
        self.time_axis(painter, plot)
        if self._report is None or self._report.measures is None:
            return
        start, end = (self.x_of(plot, at) for at in self.heard)
        marked = QRectF(start, plot.top(), max(2.0, end - start), plot.height())
        painter.fillRect(marked, theme.colour("act", 0.22))
        envelope(painter, plot, self._report.measures.hops, self._role, True)
        for x in (marked.left(), marked.right()):
            paint.line(painter, x, plot.top(), x, plot.bottom(), theme.colour("act"), 1.5)


class WhoIsWhoPage(Page):
    title = "Who is who"

    def __init__(self, desk: Desk, back: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk = desk
        self.lanes: list[str] = []
        """Who is asked about, in order; stays while the page is open."""
        self.at = 0
        self.family = ""
        """Which family was chosen; empty while families are asked."""
        self._was_playing = False
        self.progress = fields.label("", "quiet")
        self.head.addWidget(self.progress)
        whole = layouts.row(spacing=20)
        self.queue = Queue()
        self.queue.pressed.connect(self.go_to)
        self.list = QScrollArea()
        self.list.setWidgetResizable(True)
        self.list.setFixedWidth(QUEUE_WIDTH)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder = QWidget()
        inside = layouts.column(holder, margins=layouts.NONE)
        inside.addWidget(self.queue)
        inside.addStretch(1)
        self.list.setWidget(holder)
        whole.addWidget(self.list)
        whole.addWidget(self._asking(), 1)
        self.column.addLayout(whole, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        desk.changed.connect(lambda _old, _new: self._show() if self.isVisible() else None)
        desk.lane_measured.connect(lambda _lane: self._take_in() if self.isVisible() else None)

    def _asking(self) -> QWidget:
        made = QFrame()
        made.setObjectName("card")
        column = layouts.column(made, margins=(24, 18, 24, 20), spacing=10)
        self.name = fields.label("", "title")
        self.told = fields.wrapped("", "quiet")
        self.drawing = WholeFile()
        self.drawing.setFixedHeight(150)
        row = layouts.row(spacing=8)
        self.likely = [KeyButton() for _ in range(2)]
        for index, button in enumerate(self.likely):
            button.clicked.connect(lambda _on=False, which=index: self.take_likely(which))
            row.addWidget(button)
        self.skip = KeyButton()
        self.skip.show_choice("→", "Skip", "", "Leave it open and go to the next")
        self.skip.clicked.connect(lambda _on=False: self.go_to(self.at + 1))
        row.addWidget(self.skip)
        self.likely_row = QWidget()
        self.likely_row.setLayout(row)
        row.setContentsMargins(0, 0, 0, 0)
        self.question = fields.label("", "quiet")
        grid = QGridLayout()
        grid.setSpacing(8)
        self.choices = [KeyButton() for _ in KEYS]
        for index, button in enumerate(self.choices):
            button.clicked.connect(lambda _on=False, which=index: self.choose(which))
            grid.addWidget(button, index // 3, index % 3)
        self.keys = fields.wrapped("", "small")
        for part in (self.name, self.told, self.drawing, self.likely_row, self.question):
            column.addWidget(part)
        column.addLayout(grid)
        column.addStretch(1)
        column.addWidget(self.keys)
        return made

    # What is asked.

    def refresh(self, at: str = "") -> None:
        """Asks about all that are unsure now; those that were asked before and said stay in sight."""
        self._was_playing = self.desk.ears.playing
        self.lanes, self.at, self.family = [], 0, ""
        self._take_in()
        self.setFocus()

    def _look(self) -> Look | None:
        return self.desk.figures.look() if self.desk.is_open else None

    def _take_in(self) -> None:
        """Those that are found unsure as files are measured come last."""
        look = self._look()
        if look is None:
            self._show()
            return
        was = self.current
        unsure = [lane.id for lane in who_is_who.unsure_lanes(look) if lane.id in look.reports]
        self.lanes = [*self.lanes, *(lane_id for lane_id in unsure if lane_id not in self.lanes)]
        self._show()
        if was is None and self.current is not None:
            self._hear()

    @property
    def current(self) -> Lane | None:
        """Who is asked about; None where all were."""
        session = self.desk.session if self.desk.is_open else None
        if session is None or not 0 <= self.at < len(self.lanes) or not session.is_lane(self.lanes[self.at]):
            return None
        return session.lane(self.lanes[self.at])

    def go_to(self, index: int) -> None:
        """Asks about another one."""
        self.at, self.family = max(0, min(index, len(self.lanes))), ""
        self._show()
        self._hear()
        self.list.ensureVisible(0, ROW * self.at + ROW // 2, 0, 3 * ROW)

    def choose(self, index: int) -> None:
        """Takes the family, or the role, at a place."""
        if self.current is None:
            return
        if not self.family:
            if index < len(HEARD_FAMILIES):
                self.family = HEARD_FAMILIES[index]
                self._show()
        elif index < len(found := roles_in(self.family)):
            self.say(found[index])

    def take_likely(self, which: int) -> None:
        look, lane = self._look(), self.current
        found = who_is_who.likely_roles(look, lane) if look is not None and lane is not None else ()
        if which < len(found):
            self.say(found[which])

    def say(self, role: str) -> None:
        """The current track is this; on to the next that is open."""
        lane = self.current
        if lane is None:
            return
        self.desk.edit(lambda s: naming.with_role(s, lane.id, role), text=f"{naming.stem_of(lane)} is {role}")
        after = (*range(self.at + 1, len(self.lanes)), *range(self.at))
        known = {item.id: item for item in self.desk.session.lanes}
        left = [index for index in after if self.lanes[index] in known and not known[self.lanes[index]].role_said]
        self.go_to(left[0] if left else len(self.lanes))

    def back_one(self) -> None:
        """From the roles to the families, from there to the track before."""
        if self.family:
            self.family = ""
            self._show()
        else:
            self.go_to(self.at - 1)

    # What is shown and heard.

    def _show(self) -> None:
        session = self.desk.session if self.desk.is_open else None
        present = [lane for lane in self.lanes if session is not None and session.is_lane(lane)]
        rows = [(session.lane(lane), session.lane(lane).role_said) for lane in present] if session else []
        self.queue.show_rows(rows, self.at)
        said = sum(done for _, done in rows)
        self.progress.setText(f"{said} of {len(rows)} said" if rows else "")
        self.list.setVisible(bool(rows))
        lane, look = self.current, self._look()
        asks = lane is not None and look is not None
        for part in (self.drawing, self.likely_row, self.question, self.keys):
            part.setVisible(asks)
        if lane is None or look is None:
            self._show_end(bool(rows), len(rows) - said)
            return
        report = look.reports.get(lane.id)
        self.name.setText(lane.file)
        self.told.setText(self._what_is_known(lane, report))
        self.drawing.show_file(report, lane.role)
        likely = who_is_who.likely_roles(look, lane)
        for index, button in enumerate(self.likely):
            button.setVisible(index < len(likely))
            if index < len(likely):
                role = likely[index]
                key = ("Enter", "Shift+Enter")[index]
                button.show_choice(key, role.capitalize(), family_of(role), f"It sounds like a {role}: take that")
        found = roles_in(self.family) if self.family else HEARD_FAMILIES
        self.question.setText(f"Which of {self.family}?" if self.family else "Which family?")
        for index, button in enumerate(self.choices):
            button.setVisible(index < len(found))
            if index < len(found):
                family = self.family or found[index]
                tip = f"It is this: {found[index]}" if self.family else f"It is one of {found[index]}"
                button.show_choice(KEYS[index], found[index].capitalize(), family, tip)
        self.keys.setText(
            "Backspace: back. Arrow keys: another track. Space: hear it again, or not. Esc: leave; what was said is "
            "kept, the rest can wait."
        )

    def _what_is_known(self, lane: Lane, report: FileReport | None) -> str:
        known = [time_text(report.measures.duration_s)] if report is not None and report.measures is not None else []
        character = report.character if report is not None else None
        if character is not None and character.sounding is not None:
            likely = 100.0 * min(0.95, character.sounding.likely)
            known.append(f"probably {WORDS[character.sounding.kind]} ({likely:.0f} %)")
        if lane.role != "unknown":
            known.append(f"{'said to be' if lane.role_said else 'taken for'}: {lane.role}")
        return " · ".join(known)

    def _show_end(self, asked: bool, left: int) -> None:
        for button in self.choices:
            button.hide()
        session = self.desk.session if self.desk.is_open else None
        if session is None or not asked:
            self.name.setText("Nobody is unknown")
            self.told.setText("Every track has a role, by its name or because you said it. To change one: R, at "
                              "Gather.")  # fmt: skip
            return
        self.name.setText("All are said" if not left else f"{left} {'is' if left == 1 else 'are'} still open")
        roles = {lane.role for lane in session.lanes}
        missing = [word for word, there in (
            ("a kick", any(role.startswith("kick") for role in roles)),
            ("a bass", any(family_of(role) == "bass" for role in roles)),
            ("a lead voice", bool(roles & {"lead voice", "voice"})),
        ) if not there]  # fmt: skip
        without = f" There is no {' and no '.join(word.split(' ', 1)[1] for word in missing)} among them: what needs " \
                  "one will say so." if missing else ""  # fmt: skip
        self.told.setText(f"What follows knows them now.{without} Back goes to the work.")

    def _hear(self) -> None:
        """Plays what is asked about, as loud as all others here."""
        lane, look = self.current, self._look()
        report = look.reports.get(lane.id) if look is not None and lane is not None else None
        if lane is None or report is None or report.measures is None or report.measures.integrated_lufs is None:
            self.desk.ears.end_alone(stop=not self._was_playing)
            return
        start_s, end_s = who_is_who.clearest_s(report)
        measures = report.measures
        loudness = measures.integrated_lufs if measures.integrated_lufs is not None else LOUDNESS_LUFS
        room_db = HIGHEST_DBFS - (measures.sample_peak_dbfs if measures.sample_peak_dbfs is not None else 0.0)
        gain_db = min(LOUDNESS_LUFS - loudness, room_db, MOST_GAIN_DB)
        self.desk.ears.play_alone(lane.id, lane.start_s + start_s, lane.start_s + end_s, gain_db)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.desk.ears.end_alone(stop=not self._was_playing)

    # Keys.

    def act_of(self, event: QKeyEvent) -> Callable[[], object] | None:
        """What a key does here; None for keys that belong to the window."""
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return None
        key, name = event.key(), event.text().upper()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        others: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Return: partial(self.take_likely, int(shift)),
            Qt.Key.Key_Enter: partial(self.take_likely, int(shift)),
            Qt.Key.Key_Backspace: self.back_one,
            Qt.Key.Key_Right: partial(self.go_to, self.at + 1), Qt.Key.Key_Down: partial(self.go_to, self.at + 1),
            Qt.Key.Key_Left: partial(self.go_to, self.at - 1), Qt.Key.Key_Up: partial(self.go_to, self.at - 1),
            Qt.Key.Key_Space: self._turn_sound,
        }  # fmt: skip
        if key in others:
            return others[key]
        if len(name) == 1 and name.isalnum():
            return partial(self.choose, KEYS.index(name)) if name in KEYS else lambda: None
        return None

    def _turn_sound(self) -> None:
        if self.desk.ears.playing:
            self.desk.ears.player.stop()
        else:
            self._hear()

    def event(self, event: QEvent | None) -> bool:
        """Keys of this page are its own while it has the keyboard: elsewhere they mute and play."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self.act_of(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        act = self.act_of(event) if event is not None else None
        if act is not None:
            act()
        else:
            super().keyPressEvent(event)
