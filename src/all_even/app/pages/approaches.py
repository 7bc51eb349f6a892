"""The approaches page: other ways of working, chosen one by one, each to be heard on the open song before.

A row is an approach: its switch or choice, its name and a sentence. *Try* looks for what it would do to this song; each
of its moves can then be held to be heard, as loud as without it, or all of them one after the other. What is chosen
puts its moves among the optional ones of its stage.
"""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QPushButton, QWidget

from all_even import stages, texts
from all_even.app.desk import Desk
from all_even.app.pages.page import Page, card
from all_even.app.style import fields, layouts, theme
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import Choice
from all_even.dsp.processor import settings
from all_even.session.editing import edits
from all_even.session.model.approaches import Approaches

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.moves.approaches.offers import Offer
    from all_even.session.model.session import Session

CHOICE_WIDTH, TITLE_LETTERS = 150, 64
INDENT, HELP_GAP = 26, 8
"""Of a sentence: under the name beside its box, and to the next approach."""
EACH_MS = 4000
"""So long each is heard, one after the other."""
LEFT = ("balance", "low-end", "share")


class ApproachesPage(Page):
    title = "Approaches"

    def __init__(self, desk: Desk, back: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk = desk
        self.rows: dict[str, Row] = {}
        self.whose = fields.wrapped("", "quiet")
        self.column.addWidget(self.whose)
        head = layouts.row(spacing=8)
        self.for_all = fields.button(
            "Keep these for all new sessions", "New sessions begin with these approaches", self._keep_for_all
        )
        self.none = fields.button("Choose none", "Back to how All Even works by itself", self._choose_none)
        for pressed in (self.for_all, self.none):
            head.addWidget(pressed)
        head.addStretch(1)
        self.column.addLayout(head)
        left, right = self.two_columns()
        for stage in stages.STAGES:
            names = [name for name, key in Approaches.STAGES.items() if key == stage.key]
            if not names:
                continue
            made, grid = card(stage.name)
            grid.setColumnStretch(0, 1)
            grid.setVerticalSpacing(0)
            for at, name in enumerate(names):
                self.rows[name] = Row(self, name, grid, 1 + 3 * at)
            (left if stage.key in LEFT else right).addWidget(made)
        for side in (left, right):
            side.addStretch(1)
        self.column.addStretch(1)
        self._turn = QTimer(self)
        self._turn.setInterval(EACH_MS)
        self._turn.timeout.connect(self._next)
        self._in_turn: list[tuple[str, Session]] = []
        desk.changed.connect(lambda old, new: self._session_changed(old, new))
        desk.preferences_changed.connect(self._renew)

    def refresh(self, at: str = "") -> None:
        self._renew()
        row = self.rows.get(at)
        if row is not None:
            row.control.setFocus(Qt.FocusReason.OtherFocusReason)
            self.area.ensureWidgetVisible(row.control)

    @property
    def approaches(self) -> Approaches:
        """Those of the open session; where none is open, of all new ones."""
        return self.desk.session.approaches if self.desk.is_open else self.desk.preferences.approaches

    def choose(self, name: str, value: bool | str) -> None:
        if self.desk.is_open:
            self.desk.edit(lambda s: edits.set_approaches(s, **{name: value}))
        else:
            self._prefer(replace(self.approaches, **{name: value}))
        self._renew()

    def _prefer(self, approaches: Approaches) -> None:
        self.desk.prefer(replace(self.desk.preferences, approaches=approaches))

    def _keep_for_all(self) -> None:
        self._prefer(self.approaches)
        self.desk.said.emit("New sessions begin with these approaches.")

    def _choose_none(self) -> None:
        if self.desk.is_open:
            self.desk.edit(lambda s: replace(s, approaches=Approaches()))
        else:
            self._prefer(Approaches())
        self._renew()

    def _renew(self) -> None:
        count = len(self.approaches.chosen)
        whose = f"of {self.desk.session.name}" if self.desk.is_open else "of all new sessions"
        chosen = f"{count} {'approach' if count == 1 else 'approaches'} {whose} chosen." if count else "None chosen."
        self.whose.setText(
            f"{chosen} Each opens optional moves at its stage and changes nothing else; try it on the song first."
        )
        self.for_all.setVisible(self.desk.is_open)
        self.for_all.setEnabled(self.approaches != self.desk.preferences.approaches)
        self.none.setEnabled(bool(count))
        for row in self.rows.values():
            row.show_value()

    def _session_changed(self, old: "Session", new: "Session") -> None:
        if old.approaches != new.approaches:
            self._renew()
        if replace(old, approaches=new.approaches, ledger=new.ledger) != new:
            self.stop_turn()
            for row in self.rows.values():
                row.clear()

    # Trying.

    def try_out(self, name: str) -> None:
        """Looks for what an approach would do to the open song."""
        row = self.rows[name]

        def find(look: "Look") -> "list[Offer]":
            from all_even.moves.approaches.offers import offers

            return offers(look, name, stages.kinds())

        if self.desk.figures.find(f"approach {name}", find, row.show_offers, saying=f"Trying: {row.name}"):
            row.show_text("Being tried on this song …")

    def hear(self, title: str, session: "Session") -> None:
        self.desk.ears.hold_matched(title, session)

    def hear_in_turn(self, offers: "list[Offer]") -> None:
        """Each for four seconds, as loud as without; a second press ends it."""
        if self._in_turn:
            self.stop_turn()
            return
        self._in_turn = [(offer.move.title, offer.made) for offer in offers]
        self._next()
        self._turn.start()

    def _next(self) -> None:
        if not self._in_turn:
            self.stop_turn()
            return
        title, session = self._in_turn.pop(0)
        self.hear(title, session)
        self.desk.said.emit(f"Hearing: {title}")

    def stop_turn(self) -> None:
        """Back to the session as it is."""
        if self._turn.isActive():
            self._turn.stop()
            self.desk.ears.hear_now()
        self._in_turn = []

    def hideEvent(self, event: object) -> None:
        self.stop_turn()
        super().hideEvent(event)  # type: ignore[arg-type]


class Row:
    """One approach: its control, name and sentence; below it what it would do."""

    def __init__(self, page: ApproachesPage, name: str, grid: QGridLayout, at: int) -> None:
        self.page, self.key = page, name
        self.setting = settings(Approaches)[name]
        self.name = self.setting.name
        self.control: QCheckBox | QComboBox = self._control()
        self.control.setToolTip(texts.tip(Approaches.HELP[name]))
        tip = f"Look for what “{self.name}” would do to this song"
        self.tries = fields.button("Try", tip, lambda: page.try_out(name))
        head = layouts.row(spacing=8)
        if isinstance(self.control, QCheckBox):
            head.addWidget(self.control, 1)
        else:
            head.addWidget(fields.label(self.name), 1)
            head.addWidget(self.control)
        head.addWidget(self.tries)
        grid.addLayout(head, at, 0, 1, 2)
        said = fields.wrapped(Approaches.HELP[name], "small")
        said.setContentsMargins(INDENT if isinstance(self.control, QCheckBox) else 0, 0, 0, HELP_GAP)
        grid.addWidget(said, at + 1, 0, 1, 2)
        self.found = QWidget()
        self.column = layouts.column(self.found, margins=(0, 2, 0, 6), spacing=2)
        self.found.hide()
        grid.addWidget(self.found, at + 2, 0, 1, 2)
        self.hears: list[HoldButton] = []
        self.in_turn: QPushButton | None = None

    def _control(self) -> QCheckBox | QComboBox:
        page, name = self.page, self.key
        if isinstance(self.setting, Choice):
            box = fields.choice()
            box.setAccessibleName(self.name)
            box.setFixedWidth(CHOICE_WIDTH)
            box.setMinimumHeight(theme.TARGET)
            for option in self.setting.options:
                box.addItem(str(option), option)
            box.activated.connect(lambda index: page.choose(name, box.itemData(index)))
            return box
        check = fields.check(self.name)
        check.setAccessibleName(self.name)
        check.setMinimumHeight(theme.TARGET)
        check.clicked.connect(lambda on: page.choose(name, on))
        return check

    def show_value(self) -> None:
        value = getattr(self.page.approaches, self.key)
        if isinstance(self.control, QCheckBox):
            self.control.setChecked(value)
        else:
            self.control.setCurrentIndex(self.control.findData(value))
        self.tries.setEnabled(self.page.desk.is_open)

    def clear(self) -> None:
        """What was found is of another state of the song."""
        self.hears, self.in_turn = [], None
        while (item := self.column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.found.hide()

    def show_text(self, text: str) -> QLabel:
        self.clear()
        label = fields.wrapped(text, "quiet")
        self.column.addWidget(label)
        self.found.show()
        return label

    def show_offers(self, found: "list[Offer]") -> None:
        """Each move with its promise, to be held and heard."""
        if not found:
            self.show_text(_nothing(self.key))
            return
        self.clear()
        for offer in found:
            line = QWidget()
            row = layouts.row(line, margins=layouts.NONE, spacing=8)
            hear = HoldButton(
                "Hear", "Hold to hear with this move, as loud as without; release to hear without",
                partial(self.page.hear, offer.move.title, offer.made), self.page.desk.ears.hear_now, "ear",
            )  # fmt: skip
            self.hears.append(hear)
            row.addWidget(hear, 0, Qt.AlignmentFlag.AlignTop)
            words = layouts.column(margins=layouts.NONE, spacing=0)
            title = fields.wrapped(texts.clipped(offer.move.title, TITLE_LETTERS))
            title.setToolTip(texts.tip(offer.move.reason))
            words.addWidget(title)
            words.addWidget(fields.wrapped(_promise(offer), "small"))
            row.addLayout(words, 1)
            self.column.addWidget(line)
        foot = QWidget()
        ends = layouts.row(foot, margins=layouts.NONE, spacing=8)
        if len(found) > 1:
            self.in_turn = fields.button(
                "In turn", "Hear each for four seconds, one after the other, equally loud; press again to stop",
                lambda: self.page.hear_in_turn(found),
            )  # fmt: skip
            ends.addWidget(self.in_turn)
        ends.addStretch(1)
        self.column.addWidget(foot)
        fields.tint_icons(self.found)
        self.found.show()


def _promise(offer: "Offer") -> str:
    from all_even.moves.texts import promise

    costs = offer.move.evidence.get("costs")
    figure = promise(offer.move, stages.metric(offer.move.metric))
    return f"{figure}. Costs: {costs}." if costs else figure


def _nothing(name: str) -> str:
    if name == "balance_by":
        return "Sounds the same: only where the level is set differs."
    return "Nothing to offer on this song as it is."
