"""Cards: a proposal to hear, apply, change or decline; a made move with what became of it."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Literal

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QEnterEvent, QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from all_even import stages
from all_even import texts as shown
from all_even.app.desk import Desk
from all_even.app.desk.moves import is_taste
from all_even.app.style import fields, layouts, paint, theme
from all_even.app.style.hold_button import HoldButton
from all_even.moves import texts
from all_even.moves.accounts import Account, Outcome
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.moves.kind import Kind

MARK = 14


Sort = Literal["told", "warning", "question", "recommended", "optional"]
"""What a card is, told by the bar along its edge: solid or dotted, in the colour of what to look at or what to do."""


class Card(QFrame):
    def __init__(self, sort: Sort = "told") -> None:
        super().__init__()
        self.setObjectName("card")
        self.setProperty("sort", sort)
        self.column = layouts.column(self, margins=(10, 8, 10, 8), spacing=4)

    def add_title(self, text: str, role: str = "") -> QLabel:
        title = fields.wrapped(text, role)
        title.setFont(theme.font(theme.BODY, strong=True))
        title.setStyleSheet("font-weight: 600")
        self.column.addWidget(title)
        return title


class MoveCard(Card):
    """One proposal: what, why, what is expected. Enter held on the card lets it be heard.

    held, let_go: the tab keeps its cards while one is held. changing: whether its parameters are shown.
    """

    def __init__(
        self,
        desk: Desk,
        move: Proposal,
        held: Callable[[Proposal], None],
        let_go: Callable[[], None],
        changing: bool,
        change: Callable[[Proposal], None],
    ) -> None:
        super().__init__("optional" if is_taste(move) else "recommended")
        self.desk, self.move_ = desk, move
        metric = stages.metric(move.metric)
        kind = stages.kinds().get(move.kind)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Move: {move.title}")
        heard = kind is None or kind.heard
        tip = f"{move.title}." + (" Hold Enter to hear it; release to hear without." if heard else "")
        self.setToolTip(shown.tip(tip))
        self.add_title(move.title)
        self.column.addWidget(fields.wrapped(move.reason, "quiet"))
        if kind is None or not kind.bookkeeping:
            self.column.addWidget(fields.wrapped(texts.promise(move, metric), "small"))
        if desk.moves.preparing == move.id:
            self.column.addWidget(fields.wrapped("Being measured on the sound …", "small"))
        self.renewing = fields.wrapped("The mix changed: being looked at again …", "small")
        self.renewing.hide()
        self.column.addWidget(self.renewing)
        row = layouts.row(spacing=4)
        self.hear = HoldButton(
            "Hear", "Hold to hear with this move, as loud as without; release to hear without", partial(held, move),
            let_go, "ear",
        )  # fmt: skip
        main = "" if kind is not None and kind.against else "main"
        self.apply = fields.button("Apply", f"{move.title}; undo takes it back", self._apply, role=main)
        row.addWidget(self.hear)
        if not heard:
            self.hear.hide()
        row.addWidget(self.apply)
        self.change: QPushButton | None = None
        if kind is not None and (kind.parameters or kind.parts is not None):
            self.change = fields.button(
                "Change", "Show what it would set, and set it otherwise", partial(change, move), checkable=True
            )
            self.change.setChecked(changing)
        row.addStretch(1)
        self.column.addLayout(row)
        if changing and kind is not None:
            self._add_parameters(move)
            self._add_parts(move, kind)
        self.decline = fields.button("Decline", "Say no to this move, with a reason", self.ask_reason)
        more = row if self.change is None else QHBoxLayout()
        if self.change is not None:
            more.setSpacing(4)
            more.addWidget(self.change)
            more.addWidget(self.decline)
            more.addStretch(1)
            self.column.addLayout(more)
        else:
            row.insertWidget(2, self.decline)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("Why not? Enter declines it")
        self.reason.setAccessibleName("Reason for declining")
        self.reason.setToolTip("A reason for the ledger; Enter declines the move")
        self.reason.setMinimumHeight(theme.TARGET)
        self.reason.hide()
        self.reason.returnPressed.connect(lambda: desk.moves.decline(move, self.reason.text()))
        self.column.addWidget(self.reason)

    def offer(self, moves: list[Proposal], choose: Callable[[Proposal], None]) -> None:
        """Lets another one of several starting points be shown in its place."""
        self.choice = fields.choice()
        self.choice.setAccessibleName("Which starting point")
        self.choice.setToolTip("One of these is made; each can be heard before")
        self.choice.setMinimumHeight(theme.TARGET)
        for move in moves:
            self.choice.addItem(shown.clipped(move.title.partition(":")[0], 34))
        self.choice.setCurrentIndex([move.kind for move in moves].index(self.move_.kind))
        self.choice.activated.connect(lambda index: choose(moves[index]))
        self.column.insertWidget(0, self.choice)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.desk.moves.look_at(self.move_)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.desk.moves.look_at(None)
        super().leaveEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.desk.moves.look_at(self.move_)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.desk.moves.look_at(None)
        super().focusOutEvent(event)

    def show_stale(self, stale: bool) -> None:
        """stale: whether the mix changed since this was proposed; making it waits until it was looked at again."""
        self.renewing.setVisible(stale and bool({"mix", "strips", "levels"} & set(self.move_.rests_on)))

    def typed_reason(self) -> str | None:
        """What is being typed against it; None where nobody was asked."""
        return None if self.reason.isHidden() else self.reason.text()

    def take_up_reason(self, text: str) -> None:
        """Goes on with a reason that was being typed on the card before."""
        self.ask_reason()
        self.reason.setText(text)

    def _add_parameters(self, move: Proposal) -> None:
        kind = stages.kinds()[move.kind]
        self._add_place(move, kind)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        for index, (name, parameter) in enumerate(kind.parameters.items()):
            value = move.parameters.get(name)
            grid.addWidget(fields.label(parameter.name, "quiet"), index, 0)
            if isinstance(value, int | float):
                field = fields.NumberField(parameter, parameter.name)
                field.set_value(float(value))
                field.value_changed.connect(
                    lambda new, key=name: self.desk.moves.change(self.move_, {key: new})
                )  # fmt: skip
                grid.addWidget(field, index, 1)
            else:
                grid.addWidget(fields.label("being found …", "small"), index, 1)
        grid.setColumnStretch(2, 1)
        self.column.addLayout(grid)

    def _add_place(self, move: Proposal, kind: "Kind") -> None:
        """A drawing with a handle, where a move has a place and an amount, and says what it is worth place by place."""
        nets, place_hz, amount_db = (move.parameters.get(name) for name in ("nets_db", "place_hz", "amount_db"))
        if isinstance(nets, dict) and isinstance(place_hz, int | float) and isinstance(amount_db, int | float):
            from all_even.app.side.place_drawing import PlaceDrawing

            self.place = PlaceDrawing(kind.parameters["place_hz"], kind.parameters["amount_db"])
            self.place.show_move(float(place_hz), float(amount_db), nets)
            self.place.chosen.connect(
                lambda hz, db: self.desk.moves.change(self.move_, {"place_hz": hz, "amount_db": db})
            )
            self.column.addWidget(self.place)

    def _add_parts(self, move: Proposal, kind: "Kind") -> None:
        """What it does, one by one; a tick taken away leaves that out."""
        from all_even.moves.kind import left_out

        if kind.parts is None:
            return
        out = set(left_out(move))
        for part_id, words in kind.parts(self.desk.session, move):
            box = fields.check(shown.clipped(words, 44).replace("&", "&&"))
            box.setChecked(part_id not in out)
            box.setToolTip(shown.tip(f"{words}. Without the tick it is left out of this move."))
            box.setAccessibleName(words)
            box.setMinimumHeight(theme.TARGET)
            box.toggled.connect(partial(self._leave_out, move, part_id))
            self.column.addWidget(box)

    def _leave_out(self, move: Proposal, part_id: str, kept: bool) -> None:
        from all_even.moves.kind import left_out

        out = set(left_out(move))
        self.desk.moves.leave_out(move, tuple(sorted(out - {part_id} if kept else out | {part_id})))

    def act(self, act: str) -> None:
        """Does what one of its buttons does: make, set, refuse."""
        pressed = {"make": self.apply, "set": self.change, "refuse": self.decline}[act]
        if pressed is None:
            self.desk.said.emit("This move has nothing to set.")
        else:
            pressed.click()

    def _apply(self) -> None:
        self.apply.setEnabled(False)
        self.desk.moves.apply(self.move_)

    def ask_reason(self) -> None:
        self.reason.show()
        self.reason.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if not event.isAutoRepeat() and not self.hear.isHidden():
                self.hear.setDown(True)
                self.hear.hold()
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if not event.isAutoRepeat():
                self.hear.setDown(False)
                self.hear.release()
            return
        super().keyReleaseEvent(event)


class TogetherRow(QWidget):
    """Makes several moves of one kind at once."""

    def __init__(self, desk: Desk, moves: list[Proposal]) -> None:
        super().__init__()
        row = layouts.row(self, margins=layouts.NONE)
        row.addWidget(fields.label(texts.together([move.title for move in moves]), "small"), 1)
        titles = "; ".join(move.title for move in moves[:6])
        self.apply = fields.button(
            f"Apply all {len(moves)}", f"One after the other, each with its own undo: {titles}",
            lambda: desk.moves.apply(*moves),
        )  # fmt: skip
        row.addWidget(self.apply)


class MadeCard(Card):
    """A move that was made, with its result beside the expectation; and what became of it since."""

    def __init__(self, desk: Desk, account: Account) -> None:
        super().__init__()
        move = account.entry.move
        assert move is not None
        metric = stages.metric(move.metric)
        head = layouts.row(spacing=6)
        head.addWidget(OutcomeMark(account.outcome), 0, Qt.AlignmentFlag.AlignTop)
        head.addWidget(fields.wrapped(move.title), 1)
        self.column.addLayout(head)
        kind = stages.kinds().get(move.kind)
        if kind is not None and kind.bookkeeping:
            return
        words = texts.OUTCOMES[account.outcome]
        role = "look" if account.outcome == "missed" else "small"
        self.column.addWidget(fields.wrapped(words[:1].upper() + words[1:], role))
        self.column.addWidget(fields.wrapped(texts.result(move, metric, account.entry.result), "small"))
        since = texts.since(account, metric)
        if since:
            self.column.addWidget(fields.wrapped(since, "small"))
            again = fields.button(
                "Renew",
                "Propose this move for the session as it is now, and make it",
                lambda: desk.moves.renew(account),
            )
            self.column.addWidget(again, 0, Qt.AlignmentFlag.AlignLeft)


class OutcomeMark(QWidget):
    """What became of a move, by form as well as colour: tick, triangle, ring, dot, arrow back."""

    def __init__(self, outcome: Outcome) -> None:
        super().__init__()
        self._outcome = outcome
        self.setFixedSize(QSize(MARK, MARK + 2))
        self.setAccessibleName(texts.OUTCOMES[outcome])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            box = QRectF(1, 2, MARK - 2, MARK - 2)
            look, act, quiet = theme.colour("look"), theme.colour("act"), theme.colour("quiet")
            if self._outcome in ("kept", "worked out"):
                tint = act if self._outcome == "kept" else quiet
                painter.setPen(QPen(tint, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawPolyline(QPolygonF([QPointF(2, 9), QPointF(6, 13), QPointF(12, 4)]))
            elif self._outcome == "missed":
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(look)
                painter.drawPolygon(QPolygonF([QPointF(7, 2), QPointF(13, 13), QPointF(1, 13)]))
            elif self._outcome == "undone":
                painter.setPen(QPen(quiet, 1.6))
                painter.drawLine(QPointF(3, 8), QPointF(12, 8))
                painter.drawPolyline(QPolygonF([QPointF(7, 4), QPointF(3, 8), QPointF(7, 12)]))
            elif self._outcome == "waiting":
                painter.setPen(QPen(quiet, 1.6, Qt.PenStyle.DotLine))
                painter.drawEllipse(box)
            else:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(quiet)
                painter.drawEllipse(QPointF(7, 8), 3.0, 3.0)
