"""Moves: the stage's proposals as cards, most important first; under them what was made; and ticking the stage off."""

import time
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QScrollArea, QVBoxLayout, QWidget

from all_even import stages
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.desk.documents import Unreadable
from all_even.app.desk.moves import is_taste, rivals_of
from all_even.app.style import fields, layouts
from all_even.app.timers import timer
from all_even.session.editing.faults import put_aside_already
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.app.side.cards import MoveCard
    from all_even.moves.accounts import Account
    from all_even.stages.stage import Stage

MARGIN = 12
LAST_STAGES = frozenset({"check", "print"})
"""Where it is said which moves are no longer as measured."""
MAKES_THE_MIX = frozenset({"gather", "gain", "balance"})
"""Stages that change the whole by intention: what is worse then is not said."""
MOST_MADE = 8
MOMENT_S = 0.012
"""How long cards are made without a pause for what else is waiting."""
SOON_MS = 40
"""What arrives within so long is shown together."""
Step = Callable[[], object]


class MovesTab(QScrollArea):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: object = None
        self._holding = False
        self._changing: set[str] = set()
        self._starts: frozenset[str] = frozenset()
        """Which of several starting points is shown, by kind."""
        self._unfolded: set[str] = set()
        """Stages whose matters of taste are shown."""
        self.pointed = ""
        """The move whose card a context menu was asked for on."""
        self._typed: dict[str, str] = {}
        """Reasons that were being typed on cards that are to be made anew."""
        self._steps: list[Step] = []
        self._more = timer(self, 0, self._build, once=True)
        self._soon = timer(self, SOON_MS, self.refresh, once=True)
        self.setWidgetResizable(True)
        self.setAccessibleName("Moves of this stage")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for signal in (desk.mix_measured, desk.song_changed):
            signal.connect(self.refresh)
        # Moves and measured lanes come one after another: their cards are made together.
        for arriving in (desk.moves_changed, desk.lane_measured):
            arriving.connect(self._refresh_soon)
        desk.opened.connect(self._on_opened)
        desk.stage_changed.connect(lambda _stage: self.refresh())
        desk.changed.connect(self._on_changed)

    def _refresh_soon(self) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def _on_opened(self) -> None:
        self._changing.clear()
        self._typed.clear()
        self._holding = False
        self.refresh()

    def _on_changed(self, old: Session, new: Session) -> None:
        """A drag changes the session many times a second; only made moves and declines make cards anew."""
        for card in self.cards() if self.desk.mix_stale else ():
            card.show_stale(True)
        if old.declined != new.declined or len(old.ledger) != len(new.ledger):
            self.refresh()

    def refresh(self) -> None:
        """Makes the cards anew where something on them changed; never while one is held."""
        from all_even.app.side.finding_cards import AnswerCard, FindingsCard, NoLongerCard, RemarksCard, WholeCard

        desk = self.desk
        if self._holding or not desk.is_open:
            return
        stage = stages.stage(desk.stage)
        declined = {item.move_id for item in desk.session.declined}
        moves = [move for move in desk.moves.shown_at(stage.key) if move.id not in declined]
        made = [account for account in desk.moves.accounts if _is_shown_at(stage, account.entry.move)]
        found = desk.figures.findings() if stage.faults else None
        playing = desk.figures.remarks() if stage.faults else ()
        remarks = desk.moves.remarks.get(stage.key, ())
        unreadable = desk.documents.unreadable if stage.faults else []
        done = stage.key in desk.moves.done
        key = (desk.document, stage.key, moves, made, found, playing, remarks, list(unreadable), done,
               desk.moves.preparing, desk.mix_stale and not made and not moves, frozenset(self._changing),
               stage.key in self._unfolded, self._starts, stage.key in desk.moves.looked,
               desk.moves.answers.get(stage.key), desk.moves.totals.get(stage.key),
               desk.moves.accounts if stage.key in LAST_STAGES else None,
               put_aside_already(desk.session) if stage.faults else None)  # fmt: skip
        old = self.cards()
        if key == self._shown:
            for card in old:
                card.show_stale(desk.mix_stale)
            return
        self._shown = key
        typed = {card.move_.id: text for card in old if (text := card.typed_reason()) is not None}
        wanted = {move.id for move in moves}
        self._typed = {name: text for name, text in (self._typed | typed).items() if name in wanted}
        body = QWidget()
        column = layouts.column(body, margins=(MARGIN, 8, MARGIN, 8), spacing=10)
        steps: list[Callable[[], object]] = []
        first = tuple(remark for remark in remarks if not remark.aside and not remark.presses)
        asked = tuple(remark for remark in remarks if not remark.aside and remark.presses)
        asides = tuple(remark for remark in remarks if remark.aside)
        if first:
            steps.append(lambda: column.addWidget(RemarksCard(desk, "Warnings", first)))
        if asked:
            steps.append(lambda: column.addWidget(RemarksCard(desk, "Questions", asked, "question")))
        if playing:
            told = "In the playing, before any mixing"
            steps.append(lambda: column.addWidget(RemarksCard(desk, told, playing)))
        if found is not None and (found.groups or found.excerpt or put_aside_already(desk.session)):
            faults = FindingsCard(desk, found)
            steps += [lambda: column.addWidget(faults), *faults.steps]
        steps += [partial(self._add_unreadable, column, entry) for entry in unreadable]
        tastes = [move for move in moves if is_taste(move)]
        folded = bool(tastes)
        usual = [move for move in moves if not is_taste(move)]
        answer, totals = desk.moves.answers.get(stage.key), desk.moves.totals.get(stage.key)
        moved = [account for account in desk.moves.accounts if account.moved] if stage.key in LAST_STAGES else []
        if moved:
            steps.append(lambda: column.addWidget(NoLongerCard(desk, moved)))
        warned = bool(first or asked) or (found is not None and bool(found.groups))
        if answer is not None and not answer.judged and (not usual or answer.press is not None):
            steps.append(lambda: column.addWidget(AnswerCard(desk, answer)))
        steps += self._move_steps(column, usual)
        if not usual and stage.key not in desk.moves.looked:
            text = "Not looked at yet: moves are being looked for …"
            if desk.mix_stale and not made:
                text = "Not looked at yet: the mix is being measured, moves follow."
            steps.append(lambda: column.addWidget(fields.wrapped(text, "quiet")))
        elif not usual and answer is not None and answer.judged:
            steps.append(lambda: column.addWidget(AnswerCard(desk, answer, stage.empty, warned=warned)))
        if folded:
            steps.append(lambda: column.addWidget(self._fold(stage.key, len(tastes)), 0, Qt.AlignmentFlag.AlignLeft))
            steps += self._move_steps(column, tastes) if stage.key in self._unfolded else []
        if asides:
            steps.append(lambda: column.addWidget(RemarksCard(desk, "Good to know", asides, "told")))
        if totals is not None:
            steps.append(lambda: column.addWidget(WholeCard(*totals, guarded=stage.key not in MAKES_THE_MIX)))
        tick = partial(self._tick, stage.key, stage.name, done)
        steps.append(lambda: column.addWidget(tick(), 0, Qt.AlignmentFlag.AlignLeft))
        steps += self._made_steps(column, made)
        steps.append(lambda: column.addStretch(1))
        fields.swap(self, body)
        self._steps = steps
        self._build()

    @property
    def building(self) -> bool:
        """Whether cards are still to come."""
        return bool(self._steps) or self._soon.isActive()

    def _build(self) -> None:
        """Makes cards for a moment; the next ones when what else is waiting was done. A session that was closed
        meanwhile needs none."""
        if not self.desk.is_open:
            self._steps.clear()
        end = time.monotonic() + MOMENT_S
        while self._steps:
            self._steps.pop(0)()
            if time.monotonic() > end:
                break
        body = self.widget()
        if body is not None:
            fields.tint_icons(body)
            fields.lay_out(body)
        if self._steps:
            self._more.start()

    def _fold(self, key: str, count: int) -> QWidget:
        """The line that stands for what is made only where it is asked for."""
        tip = "Repairs and tastes that no finding asks for, and what is not recommended: show them, or fold them away"
        button = fields.button(f"Optional: {count}", tip, partial(self.turn_fold, key), checkable=True)
        button.setChecked(key in self._unfolded)
        return button

    def turn_fold(self, key: str) -> None:
        self._unfolded ^= {key}
        self.refresh()

    def _add_unreadable(self, column: QVBoxLayout, entry: Unreadable) -> None:
        from all_even.app.side.finding_cards import UnreadableCard

        column.addWidget(UnreadableCard(self.desk, *entry))

    def _move_steps(self, column: QVBoxLayout, moves: list[Proposal]) -> list[Step]:
        """A card each; over the first of several of a kind, what makes them all, unless they are asked for by name. Of
        starting points that exclude each other there is one card, with a choice."""
        told: set[str] = set()
        steps: list[Step] = []
        for move in self._chosen_starts(moves):
            alike = [item for item in moves if item.kind == move.kind]
            if len(alike) > 1 and move.kind not in told and not is_taste(move):
                told.add(move.kind)
                steps.append(partial(self._add_together, column, alike))
            steps.append(partial(self._add_move, column, move))
        return steps

    def _add_together(self, column: QVBoxLayout, alike: list[Proposal]) -> None:
        from all_even.app.side.cards import TogetherRow

        column.addWidget(TogetherRow(self.desk, alike))

    def _add_move(self, column: QVBoxLayout, move: Proposal) -> None:
        from all_even.app.side.cards import MoveCard

        changing = move.id in self._changing
        card = MoveCard(self.desk, move, self._hold, self._let_go, changing, self.turn_changing)
        others = [item for item in self.desk.moves.shown_at(self.desk.stage) if item.kind in rivals_of(move)]
        if len(others) > 1:
            card.offer(others, self._choose_start)
        belonging.belongs(card, "card", partial(self._point, move.id))
        column.addWidget(card)
        card.show_stale(self.desk.mix_stale)
        typed = self._typed.pop(move.id, None)
        if typed is not None:
            card.take_up_reason(typed)

    def _chosen_starts(self, moves: list[Proposal]) -> list[Proposal]:
        """Of starting points that exclude each other the chosen one, else the first."""
        kept: list[Proposal] = []
        for move in moves:
            rivals = [item for item in moves if item.kind in rivals_of(move)]
            if len(rivals) < 2 or move.kind == next(
                (item.kind for item in rivals if item.kind in self._starts), rivals[0].kind
            ):
                kept.append(move)
        return kept

    def _choose_start(self, move: Proposal) -> None:
        """Shows another one of several starting points."""
        self._starts = (self._starts - rivals_of(move)) | {move.kind}
        self.refresh()

    def _point(self, move_id: str, _at: QPoint) -> None:
        self.pointed = move_id

    def _made_steps(self, column: QVBoxLayout, made: "list[Account]") -> list[Step]:
        """What was made, the latest first."""
        from all_even.app.side.cards import MadeCard

        if not made:
            return []
        return [
            lambda: column.addWidget(fields.label("Made", "small")),
            *(
                partial(lambda account: column.addWidget(MadeCard(self.desk, account)), account)
                for account in made[-MOST_MADE:][::-1]
            ),
        ]

    def cards(self) -> "list[MoveCard]":
        """The proposals that are shown."""
        from all_even.app.side.cards import MoveCard

        body = self.widget()
        return body.findChildren(MoveCard) if body is not None else []

    def current_card(self) -> "MoveCard | None":
        """The card that has the keyboard, else the one pointed at last, else the first."""
        cards = self.cards()
        focus = QApplication.focusWidget()
        inside = next((card for card in cards if focus is card or card.isAncestorOf(focus)), None) if focus else None
        pointed = next((card for card in cards if card.move_.id == self.pointed), None)
        return inside or pointed or (cards[0] if cards else None)

    def _tick(self, key: str, name: str, done: bool) -> QWidget:
        text = f"{name} is done" if done else f"Mark {name} done"
        tip = "The tick goes by itself when something this stage looks at changes (K)"
        button = fields.button(text, tip, lambda: self.desk.moves.tick_off(key, not done), checkable=True)
        button.setChecked(done)
        return button

    def _hold(self, move: Proposal) -> None:
        self._holding = True
        self.desk.ears.hold_move(move)

    def _let_go(self) -> None:
        self._holding = False
        self.desk.ears.release_move()
        self.refresh()

    def turn_changing(self, move: Proposal) -> None:
        """Shows or hides a card's parameters; those that are not known yet are found."""
        self._changing ^= {move.id}
        if move.id in self._changing:
            kind = stages.kinds()[move.kind]
            if not set(kind.parameters) <= set(move.parameters):
                self.desk.moves.find_parameters(move)
        self.refresh()


def _is_shown_at(stage: "Stage", move: Proposal | None) -> bool:
    """Whether a made move is listed at a stage: at its own, and wherever its card was shown."""
    if move is None:
        return False
    return move.stage == stage.key or any(kind.id == move.kind for kind in stage.moves().also)
