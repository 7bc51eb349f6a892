"""The desk's moves: what is open at each stage, making them, and what became of those that were made."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from all_even import stages
from all_even.app.work import Report
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.app.desk.figures import DeskFigures
    from all_even.app.desk.state import DeskState
    from all_even.figures.book.look import Look
    from all_even.figures.whole.whole import Whole
    from all_even.moves.accounts import Account
    from all_even.moves.answer import Answer
    from all_even.session.model.remark import Remark
    from all_even.stages.stage import Stage


SOON_S = 0.5
BY_NAME = frozenset({"names", "order", "routing", "chains", "templates"})
"""Grounds that are known as soon as a folder is listed."""


class DeskMoves:
    """open: by stage, most important first. accounts: of moves that were made. done: stages ticked off that still are;
    moved_on: ticked off, and changed since."""

    def __init__(self, desk: "DeskState", figures: "DeskFigures") -> None:
        self._desk, self._figures = desk, figures
        self.open: dict[str, list[Proposal]] = {}
        self.accounts: list[Account] = []
        self.remarks: dict[str, tuple[Remark, ...]] = {}
        """What is to be said at a stage, by its key."""
        self.done: frozenset[str] = frozenset()
        self.moved_on: frozenset[str] = frozenset()
        self.totals: dict[str, tuple[Whole, Whole]] = {}
        """The whole mix as a stage was first looked at since the song was opened, and now, by its key."""
        self.answers: dict[str, Answer] = {}
        """What a stage answers where it proposes nothing, by its key."""
        self.preview: Proposal | None = None
        """The move that is looked at: where it would put things is shown before it is made."""
        self.looked: frozenset[str] = frozenset()
        """Stages that were looked through since the song was opened."""
        self.preparing: str | None = None
        """The id of the move that is being tried out."""
        self._stumbled: set[str] = set()
        """What was said of rules since the song was opened; each is said once."""
        desk.work.failed.connect(lambda name, _sentence: self.stop_preparing() if name == "prepare" else None)

    def clear(self) -> None:
        self.open, self.accounts, self.remarks, self.answers = {}, [], {}, {}
        self.totals = {}
        self.preview = None
        self.done = self.moved_on = self.looked = frozenset()
        self.preparing = None
        self._stumbled = set()

    def at(self, stage: str) -> list[Proposal]:
        """The open moves that are counted at a stage."""
        return [move for move in self.open.get(stage, []) if move.stage == stage]

    def shown_at(self, stage: str) -> list[Proposal]:
        """Those that are shown there: some belong to another stage as well."""
        return self.open.get(stage, [])

    # What is found out in the background.

    def look_through(self, look: "Look", report: Report) -> None:
        """Results of moves that were made, proposals of the visible stage, then the other stages. Off the interface
        thread."""
        from all_even.figures.book.fingerprint import digest
        from all_even.figures.whole.whole import whole
        from all_even.moves import accounts, making
        from all_even.moves.dependencies import fingerprints

        metrics = stages.metrics()
        visible, todo = self.in_turn()

        def told(sentence: str) -> None:
            report.send(("stumbled", sentence))

        def remarks_of(stage: "Stage") -> "tuple[Remark, ...]":
            with making.guarded(look, f"{stage.key} remarks", told):
                return stage.moves().remarks(look)
            return ()

        def say(stage: "Stage") -> None:
            """What a stage that was looked through has to say."""
            report.send(("looked", stage.key))
            report.send(("remarks", {stage.key: remarks_of(stage)}))
            with making.guarded(look, f"{stage.key} answer", told):
                report.send(("answers", {stage.key: stage.moves().answer(look)}))
            if stage in visible and stage.totals:
                with making.guarded(look, "totals", told):
                    report.send(("totals", (stage.key, whole(look))))

        for entry, after in accounts.measured(look, metrics):
            report.send(("result", (entry.serial, entry.result)))
            look = after
        for first in visible:
            before, kinds = tuple(self.open.get(first.key, ())), first.moves().shown
            report.progress(0.0, f"{first.name}: looking for moves")
            far = partial(_looked_so_far, report, first.name)
            for found in making.propose_soon(look, kinds, before, told, far):
                report.send(("moves", {first.key: found}))
            say(first)
        report.send(("accounts", accounts.accounts(look, metrics)))
        for count, stage in enumerate(todo, 1):
            report.progress(count / len(todo), f"{stage.name}: looking for moves, {count} of {len(todo)} other stages")
            report.send(("moves", {stage.key: making.propose(look, stage.moves().shown, told)}))
            say(stage)
        known = {stage.key: stage for stage in stages.STAGES}
        ticked = {item.stage: item.ground for item in look.session.done if item.stage in known}
        now = {key: digest(sorted(fingerprints(look, known[key].depends_on).items())) for key in ticked}
        report.send(("ticks", {key: now[key] == ticked[key] for key in ticked}))

    def in_turn(self) -> "tuple[list[Stage], list[Stage]]":
        """What is looked through: the visible stage, then all others."""
        visible = [stage for stage in stages.STAGES if stage.key == self._desk.stage]
        return visible, [stage for stage in stages.STAGES if stage not in visible and not stage.lazy]

    def look_at_names(self) -> None:
        """What can be proposed before anything is measured: from names, roles, order and routing alone."""
        desk = self._desk
        session = desk.session

        def job(_report: Report) -> dict[str, list[Proposal]]:
            from all_even.figures.book.book import Book
            from all_even.figures.book.look import Look
            from all_even.moves import making

            look = Look(session, Book({}), {})
            found = {
                stage.key: making.propose(
                    look, [kind for kind in stage.moves().kinds if set(kind.depends_on) <= BY_NAME]
                )
                for stage in stages.STAGES
                if stage.faults
            }
            return {stage: moves for stage, moves in found.items() if moves}

        def done(found: dict[str, list[Proposal]]) -> None:
            if desk.is_open and desk.session is session and not self.open:
                self.open.update(found)
                desk.moves_changed.emit()

        desk.start("names", job, done, line="quick")

    def take(self, name: str, value: Any) -> None:
        """What was found out, on the interface thread."""
        if name == "moves":
            known = {move.id: move for moves in self.open.values() for move in moves}
            for stage, moves in value.items():
                # One whose numbers were found, or set by hand, stays as it is while it rests on the same.
                self.open[stage] = [
                    known[move.id] if move.id in known and known[move.id].rests_on == move.rests_on else move
                    for move in moves
                ]
        elif name == "looked":
            self.looked |= {value}
        elif name == "accounts":
            self.accounts = value
        elif name == "remarks":
            if all(self.remarks.get(stage, ()) == found for stage, found in value.items()):
                return
            self.remarks |= value
        elif name == "answers":
            self.answers |= value
        elif name == "totals":
            stage, now = value
            self.totals[stage] = (self.totals[stage][0] if stage in self.totals else now, now)
        elif name == "ticks":
            self.done = frozenset(key for key, holds in value.items() if holds)
            self.moved_on = frozenset(key for key, holds in value.items() if not holds)
        elif name == "stumbled":
            if value not in self._stumbled:
                self._stumbled.add(value)
                self._desk.said.emit(value)
            return
        elif name == "result":
            serial, result = value
            self._desk.amend(edits.record_result(self._desk.session, serial, result))
            return
        self._desk.moves_changed.emit()

    # Making moves.

    def prepare(
        self,
        proposal: Proposal,
        then: Callable[[Proposal, Session], None],
        otherwise: Callable[[], None] = lambda: None,
    ) -> None:
        """Finds what a move needs, off this thread, on the session as it is; a stale one is proposed anew first.

        then: called with the move as it is to be made, and the session with it made. otherwise: where there is
        nothing to do any more.
        """
        desk = self._desk
        kind = stages.kinds().get(proposal.kind)
        if kind is None or not desk.is_open:
            return
        asked, the_kind = desk.session, kind

        def ready(look: "Look") -> tuple[Proposal, Session] | None:
            from all_even.moves import making

            return making.ready(look, the_kind, proposal)

        def done(result: tuple[Proposal, Session] | None) -> None:
            self.preparing = None
            if result is None:
                desk.said.emit(f"Skipped: no longer helps after the last change: {proposal.title}")
                self._figures.renew()
                desk.moves_changed.emit()
                otherwise()
            elif desk.session is not asked:
                self.prepare(proposal, then, otherwise)  # it was changed meanwhile
            else:
                self._put_in(result[0])
                then(*result)

        saying = f"Trying out: {proposal.title}"
        if self._figures.find("prepare", ready, done, saying=saying, line="quick"):
            self.preparing = proposal.id
            desk.moves_changed.emit()

    def stop_preparing(self) -> None:
        """What was being tried out is not wanted any more."""
        self.preparing = None
        self._desk.moves_changed.emit()

    def look_at(self, proposal: Proposal | None) -> None:
        """Shows where a move would put things; None: no more."""
        if proposal is not self.preview:
            self.preview = proposal
            self._desk.preview_changed.emit()

    def previewed(self, parameter: str) -> dict[str, float]:
        """What the move that is looked at would set, by lane."""
        from all_even.moves.kind import per_strip

        return per_strip(self.preview, parameter) if self.preview is not None else {}

    def apply(self, *proposals: Proposal) -> None:
        """Makes moves, one after the other; each result is written into the ledger as soon as it is measured."""
        if not proposals:
            return
        first, *rest = proposals

        def then(found: Proposal, made: Session) -> None:
            self._desk.edit(lambda _now: made, text=found.title, reason=found.reason, move=found)
            self._desk.moves_changed.emit()
            self.apply(*rest)

        self.prepare(first, then, lambda: self.apply(*rest))

    def change(self, proposal: Proposal, values: dict[str, float]) -> None:
        """Puts other parameters into an open move; what is expected follows."""
        from all_even.moves import making

        kind = stages.kinds()[proposal.kind]
        changed = making.with_parameters(kind, proposal, values)
        self._put_in(changed)
        self._desk.moves_changed.emit()
        if kind.refit is not None:
            self.find_parameters(changed)

    def leave_out(self, proposal: Proposal, parts: tuple[str, ...]) -> None:
        """Leaves parts of an open move out; what is expected follows, also where it has to be found on the sound."""
        from all_even.moves import making

        kind = stages.kinds()[proposal.kind]
        changed = making.without_parts(kind, proposal, parts)
        self._put_in(changed)
        self._desk.moves_changed.emit()
        if changed.expected is None and (kind.prepares or kind.refit is not None):
            self.find_parameters(changed)

    def find_parameters(self, proposal: Proposal) -> None:
        """Finds what the move needs and shows it on its card, without making it."""
        self.prepare(proposal, lambda _found, _made: self._desk.moves_changed.emit())

    def _put_in(self, proposal: Proposal) -> None:
        """Takes the place of the open move with the same id."""
        for stage, moves in self.open.items():
            self.open[stage] = [proposal if move.id == proposal.id else move for move in moves]

    def decline(self, proposal: Proposal, reason: str) -> None:
        self._desk.edit(
            lambda session: edits.decline(session, proposal.id, reason),
            text=f"Declined: {proposal.title}",
            reason=reason or "no reason given",
        )

    def propose_now(self, kind_id: str, then: Callable[[Sequence[Proposal]], None]) -> None:
        """A kind's proposals for the present state, whether or not it was made or declined before."""
        kind = stages.kinds()[kind_id]
        self._figures.find("propose", lambda look: look.get(kind.proposals()), then)

    def renew(self, account: "Account") -> None:
        """Makes a move again whose dependencies changed since it was made."""
        move = account.entry.move
        assert move is not None

        def then(found: Sequence[Proposal]) -> None:
            fresh = next((item for item in found if item.id == move.id), None)
            if fresh is None:
                self._desk.said.emit(f"Skipped: does not help as it is now: {move.title}")
            else:
                self.apply(fresh)

        self.propose_now(move.kind, then)

    def tick_off(self, stage: str, on: bool) -> None:
        """Marks a stage as done; it loses the mark when what it looks at changes."""
        desk = self._desk
        name = stages.stage(stage).name
        if not on:
            desk.edit(lambda s: edits.tick_off(s, stage, None), text=f"{name} is not done any more")
            return

        def depends_on(look: "Look") -> str:
            from all_even.figures.book.fingerprint import digest
            from all_even.moves.dependencies import fingerprints

            return digest(sorted(fingerprints(look, stages.stage(stage).depends_on).items()))

        def done(fingerprint: str) -> None:
            desk.edit(lambda s: edits.tick_off(s, stage, fingerprint), text=f"{name} is done")

        self._figures.find("tick", depends_on, done, line="quick")


def _looked_so_far(report: Report, stage: str, spoken: int, rules: int) -> None:
    report.progress(spoken / max(1, rules), f"{stage}: looking for moves, {spoken} of {rules} rules")


def is_taste(move: Proposal) -> bool:
    """Whether a move is made only where it is asked for by name."""
    kind = stages.kinds().get(move.kind)
    return kind is not None and kind.optional


def rivals_of(move: Proposal) -> frozenset[str]:
    """The kinds of starting points of which one is made, this one among them; none where it stands alone."""
    kind = stages.kinds().get(move.kind)
    return kind.rivals if kind is not None and move.kind in kind.rivals else frozenset()
