"""Findings: what is wrong with the recordings, one group a kind, a line a lane; and files that are no lane."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from all_even import stages, texts
from all_even.app.commands import belonging
from all_even.app.desk import Desk
from all_even.app.side.cards import Card, Sort
from all_even.app.style import fields, layouts, theme
from all_even.app.style.hold_button import HoldButton
from all_even.measure.faults.findings import Finding
from all_even.measure.faults.grouped import Group, Grouped
from all_even.moves import texts as move_texts
from all_even.session.editing import edits, faults

if TYPE_CHECKING:
    from all_even.figures.whole.whole import Whole
    from all_even.moves.accounts import Account
    from all_even.moves.answer import Answer
    from all_even.session.model.remark import Press, Remark

MOST_LINES = 8
LETTERS_IN_ROW = 28
"""So many fit on the buttons of one row."""


BEFORE_S = 1.0
"""Hearing a place begins this much before it."""


class FindingsCard(Card):
    """All faults, worst kind first; a press on a line shows the lane and plays the place."""

    def __init__(self, desk: Desk, found: Grouped) -> None:
        super().__init__("warning" if found.count else "told")
        self.desk = desk
        if found.count:
            self.add_title(f"{found.count} fault{'' if found.count == 1 else 's'} in the recording", "look")
        self.steps = [*(partial(self._add_group, group) for group in found.groups), partial(self._add_rest, found)]
        """What is still to be put in, kind by kind: there may be many lines."""

    def _add_rest(self, found: Grouped) -> None:
        aside = len(faults.put_aside_already(self.desk.session))
        if aside:
            row = layouts.row(spacing=4)
            row.addWidget(fields.wrapped(f"{aside} noted and put aside", "small"), 1)
            row.addWidget(fields.button("Show again", "Speak of these faults again", self._take_up))
            self.column.addLayout(row)
        if found.excerpt:
            self.column.addWidget(fields.wrapped(found.excerpt, "quiet"))

    def _add_group(self, group: Group) -> None:
        many = f" ({len(group.lanes)})" if len(group.lanes) > 1 else ""
        head = layouts.row(spacing=4)
        head.addWidget(fields.wrapped(group.text[:1].upper() + group.text[1:] + many, "quiet"), 1)
        tip = "No move mends this: note it and speak of it no more. It stays marked in its row; undo takes it back"
        head.addWidget(fields.button("Put aside", tip, partial(self._put_aside, group), role="plain"))
        self.column.addLayout(head)
        for lane_id, finding in group.lanes[:MOST_LINES]:
            row = layouts.row(spacing=4)
            row.addWidget(self._line(lane_id, finding), 1)
            name = self.desk.session.lane(lane_id).name
            alone = HoldButton(
                "Alone", f"Hold to hear the place in {name} alone", partial(self._alone, lane_id, finding),
                self.desk.ears.release_move, "ear",
            )  # fmt: skip
            row.addWidget(alone)
            self.column.addLayout(row)
        if len(group.lanes) > MOST_LINES:
            names = ", ".join(self.desk.session.lane(i).name for i, _ in group.lanes[MOST_LINES:])
            rest = fields.wrapped(f"and {len(group.lanes) - MOST_LINES} more, marked in their tracks", "small")
            rest.setToolTip(texts.tip(names))
            self.column.addWidget(rest)

    def _put_aside(self, group: Group) -> None:
        names = ", ".join(self.desk.session.lane(lane_id).name for lane_id, _ in group.lanes)
        known = [faults.fault_id(group.kind, lane_id) for lane_id, _ in group.lanes]
        self.desk.edit(lambda s: faults.put_aside(s, known), text=f"Noted: {group.text} ({names})")

    def _take_up(self) -> None:
        self.desk.edit(faults.take_up, text="Faults that were put aside are shown again")

    def _line(self, lane_id: str, finding: Finding) -> QWidget:
        name = self.desk.session.lane(lane_id).name
        line = fields.button(texts.clipped(name, 22), f"{name}: {finding.text}\nShow the track and hear the place",
                             partial(self._show, lane_id, finding), role="plain")  # fmt: skip
        belonging.belongs(line, "lanes", lambda _at: self.desk.select((lane_id,)))
        line.setStyleSheet("text-align: left")
        line.setAccessibleName(f"{name}: {finding.text}")
        return line

    def _alone(self, lane_id: str, finding: Finding) -> None:
        """The lane soloed, from just before the place, as long as it is held."""
        desk = self.desk
        session = desk.session
        soloed = [item.id for item in session.members if item.solo and item.id != lane_id]
        alone = edits.change_strips(edits.change_strips(session, soloed, solo=False), (lane_id,), solo=True, mute=False)
        desk.ears.hold_state(f"{session.lane(lane_id).name} alone", alone)
        start = session.lane(lane_id).start_s + (finding.time_s or 0.0) - BEFORE_S
        desk.ears.player.locate(max(0.0, start))

    def _show(self, lane_id: str, finding: Finding) -> None:
        """Selects the lane, and plays from just before the place where there is one."""
        desk = self.desk
        desk.select((lane_id,))
        desk.said.emit(f"{desk.session.lane(lane_id).name}: {finding.text}")
        if finding.time_s is not None:
            desk.ears.play_from(max(0.0, desk.session.lane(lane_id).start_s + finding.time_s - BEFORE_S))


class RemarksCard(Card):
    """What is to be said before anything is moved; a press on a line shows the lanes it is about."""

    def __init__(self, desk: Desk, title: str, found: "tuple[Remark, ...]", sort: Sort = "warning") -> None:
        super().__init__(sort)
        self.desk = desk
        self.add_title(title, "quiet" if sort == "told" else "look")
        for remark in found[:MOST_LINES]:
            self._add(remark)
        if len(found) > MOST_LINES:
            self.column.addWidget(fields.wrapped(f"and {len(found) - MOST_LINES} more", "small"))

    def _add(self, remark: "Remark") -> None:
        desk = self.desk
        present = tuple(lane for lane in remark.lanes if desk.session.is_lane(lane))
        if present:
            name = ", ".join(desk.session.lane(lane).name for lane in present)
            line = fields.button(
                texts.clipped(name, 26), f"{name}: {remark.text}", partial(desk.select, present), role="plain"
            )
            line.setStyleSheet("text-align: left")
            line.setAccessibleName(f"{name}: {remark.text}")
            self.column.addWidget(line)
        self.column.addWidget(fields.wrapped(remark.text, "small" if present else "quiet"))
        row, room = layouts.row(spacing=4), 0
        for press in remark.presses:
            button = fields.button(texts.clipped(press.text, 24), remark.text, partial(self._press, press))
            button.setAccessibleName(press.text)
            if len(press.text) > room and row.count():
                self._end(row)
                row = layouts.row(spacing=4)
            room = (room if row.count() else LETTERS_IN_ROW) - len(press.text) - 4
            row.addWidget(button)
        if row.count():
            self._end(row)

    def _end(self, row: QHBoxLayout) -> None:
        """A row of buttons is full."""
        row.addStretch(1)
        self.column.addLayout(row)

    def _press(self, press: "Press") -> None:
        """Gives the command of a button, to the lanes it is for."""
        if press.lanes:
            self.desk.select(tuple(lane for lane in press.lanes if self.desk.session.is_lane(lane)))
        self.desk.wanted.emit(press.command)


class AnswerCard(Card):
    """What a stage answers: that nothing is needed, with its figure, or that it can't judge, and what helps. by_hand:
    what can be done there all the same. warned: whether something is wrong there that no move mends."""

    def __init__(self, desk: Desk, answer: "Answer", by_hand: str = "", *, warned: bool = False) -> None:
        super().__init__("told" if answer.judged else "question")
        title = (
            ("No move helps here" if warned or answer.unmended else "Nothing needed")
            if answer.judged
            else "Can’t judge"
        )
        self.add_title(title, "quiet" if answer.judged else "look")
        text = answer.text[:1].upper() + answer.text[1:]
        self.column.addWidget(fields.wrapped(f"{text}.", "quiet"))
        if by_hand:
            self.column.addWidget(fields.wrapped(by_hand, "small"))
        if answer.press is not None:
            press = partial(desk.wanted.emit, answer.press.command)
            button = fields.button(answer.press.text, answer.words, press, role="main")
            self.column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)


class WholeCard(Card):
    """The whole mix before the moves of a stage, and now: figures that no single move is fitted on. guarded: what got
    worse by more than it may is said; not of a stage that makes the mix in the first place."""

    def __init__(self, before: "Whole", now: "Whole", *, guarded: bool) -> None:
        from all_even.figures.whole import guards, words

        super().__init__()
        changed = before != now
        self.column.addWidget(fields.label("The mix, before and now" if changed else "The mix", "small"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        known = [line for line in words.LINES if (line.text(before), line.text(now)) != ("–", "–")]
        for index, line in enumerate(known):
            row = fields.label(line.name, "quiet")
            row.setToolTip(texts.tip(f"{line.tip}. Usual: {line.usual}."))
            grid.addWidget(row, index, 0)
            was, is_ = line.text(before), line.text(now)
            told = f"{was.partition(' ')[0]} → {is_}" if was != is_ else is_
            figure = fields.label(told)
            figure.setAccessibleName(f"{line.name} {told}")
            grid.addWidget(figure, index, 1, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(0, 1)
        self.column.addLayout(grid)
        disagree = words.disagreement(before, now)
        lost = [loss.text for loss in guards.losses(before, now)] if guarded else []
        worse = f"Since this stage was entered: {'; '.join(lost)}. Undo, or do less of it." if lost else ""
        for sentence in filter(None, (worse, disagree)):
            self.column.addWidget(fields.wrapped(sentence, "look"))


class NoLongerCard(Card):
    """Moves whose figure is another since: each with what it is now, to be made again or left."""

    def __init__(self, desk: Desk, moved: "list[Account]") -> None:
        super().__init__("warning")
        many = len(moved) > 1
        title = f"{len(moved)} moves are no longer as measured" if many else "1 move is no longer as measured"
        self.add_title(title, "look")
        for account in moved[:MOST_LINES]:
            move = account.entry.move
            if move is not None:
                metric = stages.metric(move.metric)
                self.column.addWidget(fields.wrapped(move.title, "quiet"))
                self.column.addWidget(fields.wrapped(move_texts.since(account, metric), "small"))
        if len(moved) > MOST_LINES:
            self.column.addWidget(fields.wrapped(f"and {len(moved) - MOST_LINES} more, in the ledger", "small"))


class UnreadableCard(Card):
    """A file that is not in the session, and why; a pair of its channels can be taken where that helps."""

    def __init__(self, desk: Desk, path: Path, sentence: str, channels: int | None) -> None:
        super().__init__("warning")
        self.column.addWidget(fields.wrapped(sentence, "look"))
        if channels:
            row = layouts.row()
            self.choice = fields.choice()
            self.choice.setAccessibleName("Channels to take")
            self.choice.setToolTip("Which channels of the file to take")
            self.choice.setMinimumHeight(theme.TARGET)
            for first in range(1, channels, 2):
                self.choice.addItem(f"{first} and {first + 1}", (first, first + 1))
            for one in range(1, channels + 1):
                self.choice.addItem(f"{one} alone", (one,))
            row.addWidget(self.choice)
            take = fields.button(
                "Take",
                "Add these channels as a track",
                lambda: desk.documents.add_pair(path, self.choice.currentData()),
            )
            row.addWidget(take)
            row.addStretch(1)
            self.column.addLayout(row)
