"""The command on moves: what is proposed, making it, and what it did."""

import argparse
import dataclasses
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

from all_even.cli.looking import changing, look_at, opened
from all_even.cli.printing import print_json, say, shown, warn
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.moves.answer import Answer
    from all_even.moves.kind import Kind
    from all_even.session.model.ledger import Proposal
    from all_even.session.model.remark import Remark
    from all_even.session.model.session import Session
    from all_even.stages.stage import Stage

MOST_ROUNDS = 5
"""Moves that others made possible are made as well, so many times over. What is optional is made only by name."""
NOTHING_TO_GAIN = "skipped: no longer helps after the moves before it"


class _Making:
    """Moves made one after the other. found: all that were proposed, by id. results: what was measured after each that
    was made. refused: why another one was not."""

    def __init__(self, look: "Look", kinds: "dict[str, Kind]") -> None:
        from all_even import stages

        self.look, self._kinds, self._metrics = look, kinds, stages.metrics()
        self.found: dict[str, Proposal] = {}
        self.results: dict[str, float | None] = {}
        self.refused: dict[str, str] = {}
        self.warned: list[str] = []

    def propose(self, kinds: "Iterable[Kind]") -> list[str]:
        """What is open now, by id; a rule that stumbles is told once, and costs only its own."""
        from all_even.moves import making

        opened = {move.id: move for move in making.propose(self.look, kinds, self._told)}
        self.found |= opened
        return list(opened)

    def measure_waiting(self) -> None:
        """Moves that were made in the window, and saved before they were measured."""
        from all_even.moves import accounts

        for _entry, after in accounts.measured(self.look, self._metrics):
            self.look = after

    def make(self, move_id: str) -> None:
        """Makes a move if it is open still, and measures what it did."""
        from all_even.moves import making

        kind, proposal = self._kinds[self.found[move_id].kind], self.found[move_id]
        self.refused[move_id] = NOTHING_TO_GAIN
        with making.guarded(self.look, kind.id, lambda sentence: self.refused.update({move_id: sentence})):
            after = making.make(self.look, kind, proposal, self._metrics)
            if after is None:
                return
            self.look, entry = after, after.session.ledger[-1]
            assert entry.move is not None
            self.found[move_id] = entry.move
            self.results[move_id] = entry.result.value if entry.result is not None else None
            del self.refused[move_id]

    def make_all(self, chosen: "Iterable[Stage]", shown: bool) -> None:
        """All moves that are not optional, stage by stage in the order of the work; again where later ones opened some.
        shown: also what belongs to other stages and is shown there."""
        for _ in range(MOST_ROUNDS):
            before = self.look.session
            for stage in chosen:
                part = stage.moves()
                self._make_stage([kind for kind in (part.shown if shown else part.kinds) if not kind.optional])
            if self.look.session is before:
                break

    def _make_stage(self, usual: "list[Kind]") -> None:
        for _ in range(MOST_ROUNDS):
            before = self.look.session
            for move_id in self.propose(usual):
                self.make(move_id)
            if self.look.session is before:
                break

    def remarks(self, chosen: "Iterable[Stage]") -> "list[Remark]":
        """What the stages have to say that no move puts right."""
        from all_even.moves import making

        found: list[Remark] = []
        for stage in chosen:
            with making.guarded(self.look, f"{stage.key} remarks", self._told):
                found += stage.moves().remarks(self.look)
        return found

    def answers(self, chosen: "Iterable[Stage]") -> "dict[str, Answer]":
        """What each stage answers where it proposes nothing, by its key."""
        from all_even.moves import making

        found: dict[str, Answer] = {}
        for stage in chosen:
            with making.guarded(self.look, f"{stage.key} answer", self._told):
                found[stage.key] = stage.moves().answer(self.look)
        return found

    def _told(self, sentence: str) -> None:
        if sentence not in self.warned:
            self.warned.append(sentence)
            warn(sentence)


def moves(options: argparse.Namespace) -> int:
    from all_even import stages
    from all_even.session.file import store
    from all_even.session.file.lock import Lock

    if options.stage is not None and options.stage not in stages.all_keys():
        raise UserError(f"There is no stage {options.stage}; there are {', '.join(stages.all_keys())}.")
    if options.apply is not None or options.anchor is not None or options.output is not None:
        with changing(options) as (session, save):
            return _moves(options, session, save)
    # Listed only. Results of moves that waited for them are kept, unless somebody else has the session open.
    lock = Lock(options.session, "the command moves")
    try:
        session = opened(options.session)
        return _moves(options, session, lambda new: store.save(new, options.session) if lock.held else None)
    finally:
        lock.release()


def _moves(options: argparse.Namespace, session: "Session", save: "Callable[[Session], object]") -> int:
    from all_even import stages

    if options.anchor is not None:
        session = _anchored(session, options.anchor)
    chosen = [stages.stage(options.stage)] if options.stage else stages.STAGES
    parts = [stage.moves() for stage in chosen]
    kinds = {kind.id: kind for part in parts for kind in (part.shown if options.stage else part.kinds)}
    making = _Making(look_at(session), kinds)
    first = making.look
    before = first.session if options.anchor is None else None
    everything = options.apply == "all"
    if everything:
        making.measure_waiting()
        making.make_all(chosen, bool(options.stage))
    making.propose(kinds.values())
    if not everything:
        wanted = options.apply.split(",") if options.apply else []
        unknown = [move_id for move_id in wanted if move_id not in making.found]
        if unknown:
            raise UserError(f"There is no move {unknown[0]} to make here.")
        making.measure_waiting()
        for move_id in wanted:
            making.make(move_id)
    look = making.look
    if look.session is not before:
        save(look.session)
    remarks, answers = making.remarks(chosen), making.answers(chosen)
    no_longer = _no_longer(look) if options.stage in (None, "check", "print") else []
    won = {"before": _totals(first), "now": _totals(look)} if making.results else None
    if options.json:
        said = [dataclasses.asdict(remark) for remark in remarks]
        rows = [_move_row(move, making.results) for move in making.found.values()]
        print_json({
            "moves": rows, "remarks": said, "stumbled": making.warned,
            "answers": {key: {"judged": found.judged, "text": found.text} for key, found in answers.items()},
            "no_longer": no_longer, "totals": won,
        })  # fmt: skip
        return 0
    for remark in remarks:
        names = ", ".join(look.session.strip_name(lane) for lane in remark.lanes)
        say(f"{names}: {remark.text}" if names else remark.text)
    for move in making.found.values():
        say(f"{move.id}: {move.title}. {move.reason}")
        if move.id in making.results:
            metric = stages.metric(move.metric)
            before_text, after, expected = (
                metric.text(value) for value in (move.before, making.results[move.id], move.expected)
            )
            say(f"    {metric.label}: {before_text} → {after}, expected {expected}")
        elif move.id in making.refused:
            say(f"    Not made: {making.refused[move.id]}")
    for title in no_longer:
        say(f"No longer as measured: {title}")
    if won is not None:
        for name, now in won["now"].items():
            if not isinstance(now, tuple):
                say(f"{name}: {shown(won['before'][name])} → {shown(now)}")
    usual_stages = {move.stage for move in making.found.values() if not kinds[move.kind].optional}
    for stage in chosen:
        if stage.key in answers and stage.key not in usual_stages:
            say(f"{stage.name}: {answers[stage.key].words}")
    return 0


def _no_longer(look: "Look") -> list[str]:
    """Titles of the moves whose figure is another since."""
    from all_even import stages
    from all_even.moves import accounts

    found = accounts.accounts(look, stages.metrics())
    return [account.entry.move.title for account in found if account.moved and account.entry.move is not None]


def _totals(look: "Look") -> dict[str, Any]:
    from all_even.figures.whole.whole import whole

    return dataclasses.asdict(whole(look))


def _move_row(move: "Proposal", results: dict[str, float | None]) -> dict[str, Any]:
    """results: what was measured after each move that was made; one made before it may leave nothing to gain."""
    from msgspec import to_builtins

    told = {name: getattr(move, name) for name in ("id", "kind", "stage", "target", "title", "reason")}
    told |= {name: to_builtins(getattr(move, name)) for name in ("targets", "parameters", "evidence", "arguments")}
    figures = ("metric", "before", "expected", "tolerance", "source")
    made = {"made": move.id in results, "after": results.get(move.id)}
    return {**told, **{name: getattr(move, name) for name in figures}, **made}


def _anchored(session: "Session", wanted: str) -> "Session":
    from all_even.session.editing import edits

    found = [lane.id for lane in session.lanes if wanted in (lane.id, lane.name)]
    if not found:
        raise UserError(f"There is no track {wanted} in this session.")
    return edits.set_anchor(session, found[0])
