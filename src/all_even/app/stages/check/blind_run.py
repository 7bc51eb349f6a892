"""A blind comparison in the window's hands: what may be compared, getting it ready, hearing letters, the result.

While it runs nothing of what is compared is shown: the page that shows it lies over the whole window.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from all_even import stages
from all_even.app.desk import Desk
from all_even.errors import UserError
from all_even.figures.elsewhere import blind
from all_even.figures.elsewhere.blind import Result, Run, Way
from all_even.session.editing import edits
from all_even.session.editing.edits import NOW
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Blind, Session

if TYPE_CHECKING:
    from all_even.engine.plan import Plan
    from all_even.figures.book.look import Look
    from all_even.figures.elsewhere.references import Listed

MOST_MOVES = 6
X = -1
"""What is heard as X, among the letters."""


@dataclass(frozen=True, slots=True)
class Option:
    """One thing that may be compared. what: a snapshot's name or `now`, a finished mix, or an open move."""

    name: str
    what: "str | Listed | Proposal"


def options(desk: Desk) -> list[Option]:
    """What this session offers: its states, the mixes it is compared with, and open moves."""
    if not desk.is_open:
        return []
    from all_even.figures.elsewhere.references import listed

    session = desk.session
    found = [Option("The mix now", NOW)]
    found += [Option(f"Version “{item.name}”", item.name) for item in session.snapshots]
    found += [Option(f"{item.use.capitalize()} “{item.name}”", item) for item in listed(session)]
    moves = [proposal for key in stages.all_keys() for proposal in desk.moves.open.get(key, ())]
    kinds = stages.kinds()
    heard = [move for move in moves if move.kind in kinds and kinds[move.kind].heard]
    return found + [Option(f"With: {move.title}", move) for move in heard[:MOST_MOVES]]


class BlindRun(QObject):
    """changed: something else is to be shown. run: None before the first one and after one was stopped."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.run: Run | None = None
        self.result: Result | None = None
        self.getting_ready = False
        self.problem = ""
        """Why the last one could not begin."""
        self.heard: int | None = None
        """The letter's number that is heard; `X` for X; None before any."""
        self._plans: tuple[tuple[Plan, float], ...] = ()
        desk.work.failed.connect(self._on_failed)

    @property
    def ready(self) -> bool:
        return self.run is not None and bool(self._plans)

    def begin(self, chosen: list[Option], way: Way, trials: int, *, seed: int | None = None) -> None:
        """Gets all options ready at one loudness; the number of trials is fixed now."""
        desk = self.desk
        try:
            run = blind.drawn(way, tuple(option.name for option in chosen), trials, seed)
        except ValueError:
            desk.said.emit("Choose two things to tell apart." if way == "which is X" else "Choose two to eight things.")
            return

        def plans_of(look: "Look") -> "list[tuple[Plan, float]]":
            from all_even.figures.elsewhere.hearing import equally_loud

            return equally_loud(look, [_state(look, option) for option in chosen])

        def done(plans: "list[tuple[Plan, float]]") -> None:
            if self.run is run:
                self._plans, self.getting_ready = tuple(plans), False
                self.hear(0)

        saying = "Measuring all for the same loudness"
        waiting = "Nothing to compare yet: the files are still being opened."
        if desk.figures.find("compare", plans_of, done, saying=saying, waiting=waiting):
            self.run = run
            self.result, self._plans, self.heard, self.getting_ready, self.problem = None, (), None, True, ""
            self.changed.emit()

    def _on_failed(self, name: str, sentence: str) -> None:
        if name == "compare" and self.getting_ready:
            self.run, self.getting_ready, self.problem = None, False, sentence
            self.changed.emit()

    def hear(self, letter: int) -> None:
        """Plays what a letter is in this trial; X for X."""
        run = self.run
        if run is None or not self._plans or run.finished:
            return
        trial = run.trial
        option = trial.x if letter == X else trial.letters[letter] if letter < len(trial.letters) else None
        if option is None:
            return
        plan, gain_db = self._plans[option]
        ears = self.desk.ears
        ears.play_aside(plan, gain_db)
        self.heard = letter
        self.changed.emit()

    def answer(self, letter: int, note: str = "") -> None:
        """Votes for a letter, or says that X is that one; the last answer ends it."""
        if self.run is None or not self._plans or self.run.finished or letter >= len(self.run.trial.letters):
            return
        self.run = self.run.answered(letter, note)
        if self.run.finished:
            self._keep(self.run)
        else:
            self.hear(0)
        self.changed.emit()

    def _keep(self, run: Run) -> None:
        found = self.result = blind.result(run)
        self.desk.ears.hear_now()
        made = Blind(
            when=edits.now_text(), way=run.way, options=tuple(name[:200] for name in run.options),
            trials=len(run.design), answers=run.answers, right=run.right, notes=run.notes, verdict=found.words,
        )  # fmt: skip
        self.desk.edit(lambda s: edits.add_blind(s, made))

    def stop(self) -> None:
        """Gives it up; an unfinished one says nothing and is not kept."""
        if self.run is None:
            return
        if not self.run.finished:
            self.desk.said.emit("The comparison was stopped: an unfinished one says nothing.")
        self.run, self.result, self._plans, self.heard, self.getting_ready = None, None, (), None, False
        self.desk.ears.hear_now()
        self.changed.emit()


def _state(look: "Look", option: Option) -> "Session | Listed":
    """The session, or the file, that an option is."""
    if isinstance(option.what, str):
        return look.session if option.what == NOW else edits.recall_snapshot(look.session, option.what)
    if isinstance(option.what, Proposal):
        from all_even.moves import making

        found = making.ready(look, stages.kinds()[option.what.kind], option.what)
        if found is None:
            raise UserError(f"There is nothing to compare any more: {option.what.title} would gain nothing now.")
        return found[1]
    return option.what
