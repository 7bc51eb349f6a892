"""The desk's first mix: stage by stage off the interface thread, each one step to undo.

While it runs nothing else is measured. It stops where the session is changed by hand meanwhile; what was done until
then stays, and can be taken back with one press.
"""

import time
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from all_even.app.desk.desk import Desk
from all_even.app.work import Report
from all_even.session.editing import edits
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.whole.whole import Whole
    from all_even.first_mix.questions import Answers, Questions
    from all_even.first_mix.stage_run import StageRun, Wishes
    from all_even.session.model.ledger import Proposal

JOB = "first mix"


class DeskFirstMix(QObject):
    """asked: what people have to say, None until it is known; starts: the starting points of the balance as proposals.
    runs: of the stages that are done; at: the key of the one that is being done. first: the whole as it was before.
    took_s: how long it took, s, once it ended."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        desk.opened.connect(self.clear)
        desk.work.failed.connect(lambda name, _sentence: self._ended() if name == JOB else None)
        desk.work.ended.connect(lambda name: self._ended() if name == JOB and not desk.work.busy(JOB) else None)
        self.clear()

    def clear(self) -> None:
        self.asked: Questions | None = None
        self.starts: list[Proposal] = []
        self.runs: list[StageRun] = []
        self.told: list[str] = []
        self.first: Whole | None = None
        self.running = False
        self.took_s: float | None = None
        self._steps = 0
        self._expected: Session | None = None
        self._begun_s = 0.0
        self.at = ""
        self._answers: Answers | None = None
        self.changed.emit()

    # What has to be said.

    def ask(self) -> None:
        """Finds what is open in the session as it is."""

        def find(look: "Look") -> "tuple[Questions, list[Proposal]]":
            from all_even.first_mix.questions import questions
            from all_even.moves import making
            from all_even.moves.balance import starts

            return questions(look), making.propose(look, starts.KINDS)

        def show(found: "tuple[Questions, list[Proposal]]") -> None:
            self.asked, self.starts = found
            self.changed.emit()

        self._desk.figures.find("first mix questions", find, show, saying="What has to be asked", line="quick")

    # Doing it.

    def begin(self, answers: "Answers", without: frozenset[str] = frozenset()) -> None:
        """Says what was said, and goes through the stages. without: ids of moves that are not wanted."""
        from all_even.first_mix.questions import answered
        from all_even.first_mix.stage_run import LINE, Wishes

        desk = self._desk
        if self.asked is None or self.running or not desk.is_open:
            return
        self._answers = answers
        self.runs, self.told, self.took_s, self._steps = [], [], None, 0
        session = answered(desk.session, self.asked, answers)
        if session is not desk.session:
            serial = edits.last_serial(desk.session) + 1
            self._steps += desk.take_over(session, f"{LINE}what was said", serial)
        look = desk.figures.look()
        if look is None:
            return
        wishes = Wishes(answers.school or self.asked.school, without)
        desk.figures.held = True
        desk.work.cancel("figures")
        self.running, self._begun_s, self._expected = True, time.monotonic(), desk.session

        def job(report: Report) -> None:
            self._go(look.with_cancel(report.cancelled), wishes, report)

        desk.start(JOB, job, lambda _none: self._ended(), self._take)
        self.changed.emit()

    @staticmethod
    def _go(look: "Look", wishes: "Wishes", report: Report) -> None:
        from all_even import stages
        from all_even.figures.whole.whole import whole
        from all_even.first_mix import following

        def begun(key: str) -> None:
            report.progress(following.PATH.index(key) / len(following.PATH), f"First mix: {stages.stage(key).name}")
            report.send(("begun", key))

        report.progress(-1.0, "First mix: the mix as it is")
        report.send(("first", whole(look)))
        for reached, run in following.follow(look, wishes, told=lambda said: report.send(("told", said)), begun=begun):
            report.send(("run", (run, reached)))

    def _take(self, part: "tuple[str, Any]") -> None:
        name, value = part
        if name == "first":
            self.first = value
        elif name == "begun":
            self.at = value
        elif name == "told":
            self.told.append(value)
        elif name == "run":
            self._take_run(*value)
        self.changed.emit()

    def _take_run(self, run: "StageRun", reached: "Look") -> None:
        """A stage that is done: one step."""
        from all_even.first_mix.stage_run import LINE

        desk = self._desk
        if not self.running:
            return
        if desk.session is not self._expected:
            desk.said.emit("The first mix stops: the session was changed meanwhile. What was done until then stays.")
            self.stop()
            return
        self.runs.append(run)
        if not run.made:
            if reached.session is not desk.session:
                desk.amend(reached.session)  # what was tried, and left out
                self._expected = desk.session
            return
        serial = edits.last_serial(desk.session) + 1
        desk.figures.reports |= {lane: found for lane, found in reached.reports.items() if lane not in
                                 desk.figures.reports}  # fmt: skip
        if desk.take_over(reached.session, f"{LINE}{run.name}", serial):
            self._steps += 1
        self._expected = desk.session

    def stop(self) -> None:
        """What was done until now stays."""
        self._desk.work.cancel(JOB)
        self._ended()

    def take_back(self) -> None:
        """Everything as it was before."""
        self.stop()
        for _ in range(self._steps):
            self._desk.undo()
        self._steps, self.runs = 0, []
        self.changed.emit()

    @property
    def can_take_back(self) -> bool:
        """Whether nothing else was done since."""
        return self._steps > 0 and self._desk.is_open and self._expected is self._desk.session

    def again(self, without: frozenset[str]) -> None:
        """Takes all back, and goes through the stages again without these moves."""
        answers = self._answers
        self.take_back()
        if answers is not None:
            self.begin(answers, without)

    def _ended(self) -> None:
        if self.running:
            self.running, self.at = False, ""
            self.took_s = time.monotonic() - self._begun_s
            self._desk.figures.held = False
            self._desk.figures.measure_lanes()
            self.changed.emit()
