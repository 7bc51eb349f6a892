"""First mix: what has to be said in one sheet; then the stages as they are gone through, each with what it did and what
it did to the whole.

A stage opens into its moves. Each can be heard against the mix right before it; those whose tick is taken away are left
out when it is gone through again. Whoever leaves has lost nothing: what is done is in the session, a step a stage.
"""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QComboBox, QFrame, QGridLayout, QRadioButton, QVBoxLayout, QWidget

from all_even import stages, texts
from all_even.app.desk import Desk
from all_even.app.desk.first_mix import DeskFirstMix
from all_even.app.pages.page import Page, card
from all_even.app.style import fields, layouts, theme
from all_even.app.style.hold_button import HoldButton
from all_even.session.editing.edits import NOW
from all_even.session.tracks.roles import ROLES

if TYPE_CHECKING:
    from all_even.figures.whole.whole import Whole
    from all_even.first_mix.questions import Answers, Questions
    from all_even.first_mix.stage_run import StageRun
    from all_even.session.model.ledger import Proposal
    from all_even.session.model.session import Session
    from all_even.session.model.settings import Owner

AS_IT_SOUNDS = "As it sounds"
MOST_ROLES = 12
"""So many tracks are asked about here; more of them at Who is who, where they are heard."""
RIGHT_WIDTH, NARROW_RIGHT_WIDTH = 380, 328
NARROW = 1180
"""In a window that is narrower, lines are shorter and what was at first is left out."""
SHORT = ("lead_db", "kick_low_db", "snare_body_db", "masked", "plr_db")
"""Figures of the whole beside a stage."""
NAMES = {"lead_db": "lead", "kick_low_db": "kick", "snare_body_db": "snare", "masked": "masked", "plr_db": "PLR"}


class FirstMixPage(Page):
    title = "First mix"

    def __init__(self, desk: Desk, back: Callable[[], object], who_is_who: Callable[[], object]) -> None:
        super().__init__(back)
        self.desk, self.mix = desk, desk.shared(DeskFirstMix)
        self._who_is_who = who_is_who
        self._open: set[str] = set()
        """Stages whose moves are shown, by key."""
        self.without: set[str] = set()
        """Ids of moves that are not wanted any more."""
        self.state = fields.label("", "quiet")
        self.head.addWidget(self.state)
        self.roles: dict[str, QComboBox] = {}
        self.lead: QComboBox | None = None
        self.low_end: QComboBox | None = None
        self.school: QButtonGroup | None = None
        self.anew: QCheckBox | None = None
        self.body = QWidget()
        self.column.addWidget(self.body, 1)
        self._shown: object = None
        self.mix.changed.connect(lambda: self._show() if self.isVisible() else None)
        # What could not be asked while the files were being opened and measured is asked then.
        desk.mix_measured.connect(self._ask_late)
        desk.hearing_changed.connect(lambda: self._say_state() if self.isVisible() else None)
        desk.work.progressed.connect(lambda _name, _share, _text: self._say_state() if self.isVisible() else None)

    def refresh(self, at: str = "") -> None:
        """Asks anew, unless a first mix is under way or was just made."""
        if self.desk.is_open and not self.mix.running and not self.mix.runs:
            self.mix.ask()
        self._show()

    def _ask_late(self) -> None:
        if self.isVisible() and self.mix.asked is None and not self.desk.work.busy("first mix questions"):
            self.refresh()

    # What is shown.

    @property
    def narrow(self) -> bool:
        return self.width() < NARROW

    @property
    def _right_width(self) -> int:
        return NARROW_RIGHT_WIDTH if self.narrow else RIGHT_WIDTH

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        mix = self.mix
        self._say_state()
        key = (
            self.desk.document, mix.asked, len(mix.starts), len(mix.runs), mix.running, mix.at, frozenset(self._open),
            frozenset(self.without), mix.first, mix.took_s, mix.can_take_back, self.narrow,
        )  # fmt: skip
        if key == self._shown:
            return
        self._shown = key
        body = QWidget()
        row = layouts.row(body, margins=layouts.NONE, spacing=16)
        left = layouts.column(spacing=10)
        row.addLayout(left, 1)
        if mix.running or mix.runs:
            right = layouts.column(spacing=10)
            row.addLayout(right)
            for run in mix.runs:
                left.addWidget(self._stage_card(run))
            self._add_waiting(left)
            right.addWidget(self._whole_card())
            right.addWidget(self._buttons())
            right.addStretch(1)
        elif mix.asked is not None:
            left.addWidget(self._sheet(mix.asked))
            left.addWidget(self._what_follows())
        else:
            left.addWidget(fields.wrapped("The files are being measured: what has to be asked follows.", "quiet"))
        left.addStretch(1)
        self.column.replaceWidget(self.body, body)
        self.body.hide()
        self.body.deleteLater()
        self.body = body
        fields.tint_icons(body)
        fields.lay_out(body)

    def _say_state(self) -> None:
        mix = self.mix
        if self.desk.is_open and self.desk.hearing.name != NOW:
            self.state.setText(f"Heard: {self.desk.hearing.name}")
        elif mix.running:
            name = stages.stage(mix.at).name if mix.at else "the mix as it is"
            self.state.setText(f"Working: {name}")
        elif mix.took_s is not None:
            made, left = sum(len(run.made) for run in mix.runs), sum(len(run.left) for run in mix.runs)
            self.state.setText(f"{made} moves made, {left} left out or less of them, {_minutes(mix.took_s)}")
        else:
            count = mix.asked.count if mix.asked is not None else 0
            self.state.setText(f"{texts.count(count, 'question')}, then it goes by itself" if count else "")

    # The sheet.

    def _sheet(self, asked: "Questions") -> QWidget:
        made, grid = card("Before it begins")
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(8)
        row = 1
        intro = (
            "All stages in their order with their usual moves, as long as the mix gets no worse. The recordings stay "
            "as they are; each stage is one step to undo. Say what only you know, or leave it."
        )
        grid.addWidget(fields.wrapped(intro, "quiet"), row, 0, 1, 3)
        self.anew = None
        if asked.finished:
            row += 1
            grid.addWidget(fields.wrapped(asked.finished, "look"), row, 0, 1, 3)
            row += 1
            self.anew = fields.check("Mix them anew all the same")
            self.anew.setMinimumHeight(theme.TARGET)
            grid.addWidget(self.anew, row, 0, 1, 3)
        self.roles = {}
        for item in asked.unsure[:MOST_ROLES]:
            row += 1
            choice = _choice(f"What is {item.name}")
            choice.addItem(AS_IT_SOUNDS, "")
            for role in (*item.likely, *(role.name for role in ROLES if role.name not in (*item.likely, "unknown"))):
                choice.addItem(role.capitalize(), role)
            self.roles[item.lane_id] = choice
            grid.addWidget(fields.label(texts.clipped(item.name, 40)), row, 0)
            grid.addWidget(choice, row, 1, Qt.AlignmentFlag.AlignLeft)
        if asked.unsure:
            row += 1
            more = len(asked.unsure) - MOST_ROLES
            told = f"{more} more have no sure role. " if more > 0 else ""
            tip = "Each track that nobody knows plays its clearest two seconds, and two keys say what it is (Ctrl+I)"
            grid.addWidget(fields.wrapped(f"{told}Hear them and say it with two keys:", "quiet"), row, 0)
            hear = fields.button("Who is who", tip, self._who_is_who)
            grid.addWidget(hear, row, 1, Qt.AlignmentFlag.AlignLeft)
        self.lead = None
        if asked.may_lead:
            row += 1
            self.lead = _choice("Who leads")
            self.lead.addItem("Nobody leads", "")
            for lane_id, name in asked.may_lead:
                self.lead.addItem(texts.clipped(name, 40), lane_id)
            self.lead.setCurrentIndex(max(0, self.lead.findData(asked.leads)))
            grid.addWidget(fields.label("Who leads? No track is a lead by its role"), row, 0)
            grid.addWidget(self.lead, row, 1, Qt.AlignmentFlag.AlignLeft)
        self.low_end = None
        if asked.low_end:
            row += 1
            self.low_end = _choice("Who leads the low end")
            for name, value in (("Leave it open", ""), ("Kick", "kick"), ("Bass", "bass")):
                self.low_end.addItem(name, value)
            grid.addWidget(fields.label("Who leads the low end?"), row, 0)
            grid.addWidget(self.low_end, row, 1, Qt.AlignmentFlag.AlignLeft)
        row += 1
        where = fields.label("Where does the balance start?")
        where.setMinimumHeight(theme.TARGET)
        grid.addWidget(where, row, 0, Qt.AlignmentFlag.AlignTop)
        grid.addLayout(self._schools(asked), row, 1, 1, 2)
        row += 1
        tip = "Goes through all stages; it can be stopped, and taken back, at any time"
        start = fields.button("Start the first mix", tip, self.begin, role="main")
        grid.addWidget(start, row, 1, Qt.AlignmentFlag.AlignLeft)
        return made

    def _what_follows(self) -> QWidget:
        """The stages in their order, each with what it does: for who does this for the first time."""
        from all_even.first_mix.following import PATH

        made, grid = card("What then happens, stage by stage")
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(10)
        for row, key in enumerate(PATH, start=1):
            stage = stages.stage(key)
            grid.addWidget(fields.label(stage.name), row, 0)
            grid.addWidget(fields.wrapped(stage.tip[:1].upper() + stage.tip[1:] + ".", "quiet"), row, 1)
        told = (
            "After each stage the whole is measured, by figures beside those of its moves. They are: what leads, kick "
            "and snare on their hits, the bass from note to note, what is masked, loudness at one peak, mono. A move "
            "that makes one of them too bad does less, or is left out, and says so."
        )
        grid.addWidget(fields.wrapped(told, "quiet"), len(PATH) + 1, 0, 1, 2)
        return made

    def _schools(self, asked: "Questions") -> QGridLayout:
        """Three choices, each with the whole as it would be."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.school = QButtonGroup(self)
        found = {move.kind.partition(".")[2]: move for move in self.mix.starts}
        names = {"voice-first": "Voice first", "rhythm-first": "Rhythm first", "all-even": "All even"}
        offered = [key for key in names if key in found or key == asked.school]
        for index, key in enumerate(offered):
            button = QRadioButton(names[key])
            button.setMinimumHeight(theme.TARGET)
            button.setChecked(key == asked.school)
            button.setProperty("school", key)
            self.school.addButton(button, index)
            grid.addWidget(button, index, 0, Qt.AlignmentFlag.AlignTop)
            told = fields.wrapped(_of_whole(found.get(key)), "quiet")
            told.setMinimumHeight(theme.TARGET)
            grid.addWidget(told, index, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def answers(self) -> "Answers":
        """What was said in the sheet."""
        from all_even.first_mix.questions import NOBODY, Answers

        asked = self.mix.asked
        roles = {lane_id: role for lane_id, box in self.roles.items() if (role := str(box.currentData()))}
        lead = str(self.lead.currentData() or NOBODY) if self.lead is not None else None
        low = str(self.low_end.currentData()) if self.low_end is not None else ""
        chosen = self.school.checkedButton() if self.school is not None else None
        school = str(chosen.property("school")) if chosen is not None else None
        if asked is not None and school == asked.school:
            school = None
        owner: Owner | None = "kick" if low == "kick" else "bass" if low == "bass" else None
        return Answers(roles, lead, owner, school, self.anew is not None and self.anew.isChecked())

    def begin(self) -> None:
        """Goes through the stages with what was said."""
        self.without.clear()
        self._open.clear()
        self.mix.begin(self.answers())

    # What was done.

    def _stage_card(self, run: "StageRun") -> QWidget:
        made = QFrame()
        made.setObjectName("card")
        column = layouts.column(made, margins=(14, 8, 14, 8), spacing=4)
        head = layouts.row(spacing=12)
        is_open = run.key in self._open
        tip = "Shows its moves, or folds them away"
        opener = fields.button(run.name, tip, partial(self._turn, run.key), checkable=True)
        opener.setChecked(is_open)
        opener.setFixedWidth(104)
        head.addWidget(opener)
        less = len(run.left)
        told = f"{len(run.made)} made" + (f", {less} left out or less" if less else "")
        head.addWidget(fields.label(told if run.made or less else "Nothing to do", "" if run.made else "quiet"))
        head.addStretch(1)
        head.addWidget(fields.label(_moved(run.before, run.now, 1 if self.narrow else 2), "quiet"))
        if run.made and run.states:
            tip = "Held, the mix is heard as it was before this stage, as loud as now"
            head.addWidget(self._hold("Before", tip, f"before {run.name}", run.states[0]))
        column.addLayout(head)
        if is_open:
            self._add_moves(column, run)
        return made

    def _add_moves(self, column: QVBoxLayout, run: "StageRun") -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(0, 1)
        row = 0
        for index, move in enumerate(run.made):
            tick = fields.check(texts.clipped(move.title, 40 if self.narrow else 60).replace("&", "&&"))
            tick.setMinimumHeight(theme.TARGET)
            tick.setChecked(move.id not in self.without)
            tick.setToolTip(texts.tip(f"{move.title}. {move.reason} Without its tick it is left out the next time."))
            tick.toggled.connect(partial(self._want, move.id))
            grid.addWidget(tick, row, 0)
            grid.addWidget(fields.label(_figure(move), "quiet"), row, 1, Qt.AlignmentFlag.AlignRight)
            if index + 1 < len(run.states):
                tip = "Held, the mix is heard as it was right before this move, as loud as now"
                hold = self._hold("Before", tip, f"before: {move.title}", run.states[index])
                grid.addWidget(hold, row, 2)
            row += 1
        for item in run.left:
            grid.addWidget(fields.wrapped(item.text, "quiet"), row, 0, 1, 3)
            row += 1
        for loss in run.lost:
            grid.addWidget(fields.wrapped(f"All the same: {loss.text}.", "look"), row, 0, 1, 3)
            row += 1
        column.addLayout(grid)

    def _hold(self, text: str, tip: str, shown: str, session: "Session") -> HoldButton:
        return HoldButton(
            text, tip, lambda: self.desk.ears.hold_matched(shown, session), self.desk.ears.release_move, "ear"
        )  # fmt: skip

    def _add_waiting(self, column: QVBoxLayout) -> None:
        """The stages that are still to come, while it goes on."""
        from all_even.first_mix.following import PATH

        if not self.mix.running:
            return
        done = {run.key for run in self.mix.runs}
        for key in PATH:
            if key not in done:
                here = key == self.mix.at
                name = stages.stage(key).name
                column.addWidget(fields.label(f"{name}: working …" if here else name, "" if here else "quiet"))

    def _whole_card(self) -> QWidget:
        from all_even.figures.whole import words

        mix = self.mix
        made, grid = card("The mix")
        made.setFixedWidth(self._right_width)
        balance = next((run.now for run in mix.runs if run.key == "balance"), None)
        now = mix.runs[-1].now if mix.runs else mix.first
        columns = [("at first", mix.first), ("balance", balance), ("now", now)][1 if self.narrow else 0 :]
        for place, (name, _) in enumerate(columns):
            grid.addWidget(fields.label(name, "small"), 1, place + 1, Qt.AlignmentFlag.AlignRight)
        for index, line in enumerate(words.LINES, start=2):
            title = fields.label(line.name, "quiet")
            title.setToolTip(texts.tip(f"{line.tip}. Usual: {line.usual}."))
            grid.addWidget(title, index, 0)
            for place, (when, found) in enumerate(columns):
                figure = fields.label("–" if found is None else line.text(found))
                figure.setAccessibleName(f"{line.name}, {when}: {figure.text()}")
                grid.addWidget(figure, index, place + 1, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(0, 1)
        told = words.disagreement(mix.first, now) if mix.first is not None and now is not None else ""
        if told:
            grid.addWidget(fields.wrapped(told, "look"), len(words.LINES) + 2, 0, 1, 4)
        return made

    def _buttons(self) -> QWidget:
        made = QWidget()
        made.setFixedWidth(self._right_width)
        column = layouts.column(made, margins=layouts.NONE, spacing=8)
        if self.mix.running:
            column.addWidget(fields.button("Stop here", "What was done until now stays", self.mix.stop))
        elif self.without:
            count = texts.count(len(self.without), "move")
            tip = "Takes all back and goes through the stages again without them"
            column.addWidget(fields.button(f"Again without {count}", tip, self._again, role="main"))
        else:
            tip = "To the work: go through the stages, hear and judge"
            column.addWidget(fields.button("Judge it stage by stage", tip, self.back.click, role="main"))
        if self.mix.can_take_back:
            column.addWidget(fields.button("Take all back", "Everything as it was before", self._take_back))
        for sentence in self.mix.told:
            column.addWidget(fields.wrapped(sentence, "look"))
        return made

    def _turn(self, key: str) -> None:
        self._open ^= {key}
        self._show()

    def _want(self, move_id: str, wanted: bool) -> None:
        self.without.discard(move_id) if wanted else self.without.add(move_id)
        self._show()

    def _again(self) -> None:
        self.mix.again(frozenset(self.without))

    def _take_back(self) -> None:
        self.mix.take_back()
        self.mix.clear()
        self.mix.ask()


def _choice(name: str) -> QComboBox:
    made = fields.choice()
    made.setAccessibleName(name)
    made.setMinimumHeight(theme.TARGET)
    made.setMinimumWidth(220)
    return made


def _of_whole(move: "Proposal | None") -> str:
    """What a starting point would do to the whole, from its card."""
    if move is None:
        return "It stands about like this already."
    place = move.reason.find("Over the rest then")
    return move.reason[place:] if place >= 0 else move.reason


def _moved(before: "Whole", now: "Whole", most: int) -> str:
    """What a stage did to so many of the figures that changed, a line."""
    from all_even.figures.whole.words import LINES

    by_field = {line.field: line for line in LINES}
    told = []
    for name in SHORT:
        was, is_ = by_field[name].text(before), by_field[name].text(now)
        if was != is_ and "–" not in (was, is_):
            told.append(f"{NAMES[name]} {was.partition(' ')[0]} → {is_}")
    return ", ".join(told[:most])


def _figure(move: "Proposal") -> str:
    metric = stages.metric(move.metric)
    if move.before is None or move.expected is None:
        return ""
    return f"{metric.text(move.before)} → {metric.text(move.expected)}"


def _minutes(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90.0 else f"{seconds / 60.0:.1f} min"
