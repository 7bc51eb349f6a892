"""Following the default moves of the stages, in their order, as long as the whole gets no worse.

A stage is gone through a few times, since some moves make others possible. After it the whole is measured; where a
guard (`figures.whole.guards`) says that something is worse than it may be, the move that did most of it does less, or
is left out, and the stage is gone through again: so a stage that would cost too much proposes less. The starting point
of the balance is what all later ones are measured by. At the end the mix is brought back to its peak.
"""

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.whole.guards import Loss
from all_even.figures.whole.whole import Whole, whole
from all_even.first_mix.guarding import Bounds, Less, Step, blamed, less_of, told_costs
from all_even.moves import making
from all_even.moves.balance import starts, trim
from all_even.moves.kind import GATHERING, Kind
from all_even.moves.making import Told, unheard
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.stages.stage import Stage

PATH = ("gather", "gain", "balance", "low-end", "share", "dynamics", "buses", "space", "rides")
"""Stages whose moves make a mix, in the order of the work. Those of Check are for one system, and left to people."""
LINE = "First mix: "
"""What the line in the ledger begins with, under which a stage's moves stand."""
MOST_ROUNDS = 4
"""Moves that others made possible are made as well, so many times over."""
MOST_LESSENED = 2
"""So often less of a move is tried before it is left out."""
MOST_LEFT_OUT = 8
"""So many are left out one by one; then all that made the same figure worse."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A move that was proposed and not made, and why."""

    move: Proposal
    why: str


@dataclass(frozen=True, slots=True)
class StageRun:
    """What a stage did. made: its moves, in order; left: what was not made. before, now: the whole. lost: what is worse
    than it may be all the same. states: the session before the first of its moves, and after each."""

    key: str
    made: tuple[Proposal, ...]
    left: tuple[LeftOut, ...]
    before: Whole
    now: Whole
    lost: tuple[Loss, ...] = ()
    states: tuple[Session, ...] = ()

    @property
    def name(self) -> str:
        return stages.stage(self.key).name


@dataclass(frozen=True, slots=True)
class Wishes:
    """school: which starting point of the balance is made. without: ids of moves that are not wanted. until: by the
    monotonic clock, s; stages that were not begun by then are left out."""

    school: str = "voice-first"
    without: frozenset[str] = frozenset()
    until: float = float("inf")

    def allows(self, move: Proposal) -> bool:
        """Whether a move is wanted: of the starting points the one of the school alone."""
        is_other_start = move.kind in starts.RIVALS and move.kind != f"balance.{self.school}"
        return move.id not in self.without and not is_other_start


def follow(
    look: Look,
    wishes: Wishes = Wishes(),
    path: Sequence[str] = PATH,
    told: Told = unheard,
    begun: Callable[[str], None] = unheard,
) -> Iterator[tuple[Look, StageRun]]:
    """Goes through the stages; after each the session so far, and what was done. Raises `Cancelled` where the look is
    cancelled: what was yielded until then stands. told: what there is to be said on the way; begun: each stage's key.
    """
    balance: Whole | None = None
    for key in path:
        if time.monotonic() > wishes.until:
            told(f"{stages.stage(key).name} was left out: no time was left.")
            continue
        begun(key)
        look, run = run_stage(look, stages.stage(key), wishes, balance, told)
        if key == "balance":
            balance = run.now
        if key == path[-1]:
            look, run = _finished(look, run, told)
        yield look, run


def run_stage(
    look: Look, stage: Stage, wishes: Wishes, balance: Whole | None = None, told: Told = unheard
) -> tuple[Look, StageRun]:
    """One stage. balance: the whole as the balance left it, where that was before."""
    start, kinds = whole(look), stages.kinds()
    first = look.at(edits.record(look.session, f"{LINE}{stage.name}", audible=False))
    plan = _Plan(wishes, set(wishes.without))
    while True:
        steps, refused = _made(first, stage.moves().shown, plan, told)
        reached = steps[-1].after if steps else look
        now = whole(reached)
        baseline, guarded = _baseline(first, start, steps)
        lost = () if stage.key in GATHERING else _bounds(baseline, balance, steps).losses(now)
        blame = blamed(*guarded, lost) if len(plan.left) < MOST_LEFT_OUT else None
        if blame is None:
            break
        tries = plan.tries.get(blame.move.id, 0)
        less = less_of(blame, kinds[blame.move.kind]) if tries < MOST_LESSENED else None
        if less is not None:
            plan.less[blame.move.id], plan.tries[blame.move.id] = less, tries + 1
            plan.partly[blame.move.id] = LeftOut(blame.move, f"less of it: with all of it {blame.text}")
        else:
            plan.skipped.add(blame.move.id)
            plan.left.append(LeftOut(blame.move, blame.text))
    partly = [item for move_id, item in plan.partly.items() if move_id not in plan.skipped]
    left = (*partly, *plan.left, *refused)
    states = (look.session, *(step.after.session for step in steps))
    run = StageRun(stage.key, tuple(step.move for step in steps), left, start, now, lost, states)
    return reached, run


def _bounds(baseline: Whole, balance: Whole | None, steps: Sequence[Step]) -> Bounds:
    return Bounds(baseline, balance, told_costs([step.move for step in steps]))


@dataclass(slots=True)
class _Plan:
    """How a stage is gone through. skipped: ids of moves that are not made; less: of which less is made; tries: how
    often that was made less; left, partly: the same in words."""

    wishes: Wishes
    skipped: set[str]
    less: dict[str, Less] = field(default_factory=dict)
    left: list[LeftOut] = field(default_factory=list)
    partly: dict[str, LeftOut] = field(default_factory=dict)
    tries: dict[str, int] = field(default_factory=dict)

    def as_wanted(self, kind: Kind, move: Proposal) -> Proposal:
        return self.less[move.id].of(kind, move) if move.id in self.less else move

    def allows(self, move: Proposal) -> bool:
        return move.id not in self.skipped and self.wishes.allows(move)


def _baseline(first: Look, start: Whole, steps: Sequence[Step]) -> tuple[Whole, tuple[Look, Sequence[Step]]]:
    """What the stage is measured by, and the moves that are: from behind the starting point of a balance on, which says
    itself what it does to the whole."""
    begins = [index for index, step in enumerate(steps) if step.move.kind in starts.RIVALS]
    if not begins:
        return start, (first, steps)
    after = steps[begins[-1]].after
    return whole(after), (after, steps[begins[-1] + 1 :])


def _made(look: Look, kinds: Sequence[Kind], plan: _Plan, told: Told) -> tuple[list[Step], list[LeftOut]]:
    """The default moves of a stage made one after the other, and those that were not, as they stumbled or had nothing
    to gain any more."""
    usual = [kind for kind in kinds if not kind.optional and not kind.against]
    by_id, metrics = {kind.id: kind for kind in usual}, stages.metrics()
    steps: list[Step] = []
    refused: dict[str, LeftOut] = {}
    for _ in range(MOST_ROUNDS):
        made = False
        for move in making.propose(look, usual, told):
            look.stop_if_cancelled()
            if move.id in refused or not plan.allows(move):
                continue
            kind = by_id[move.kind]
            reasons: list[str] = []
            after = None
            with making.guarded(look, move.kind, reasons.append):
                after = making.make(look, kind, plan.as_wanted(kind, move), metrics)
            if after is None:
                if reasons and move.id not in plan.less:
                    refused[move.id] = LeftOut(move, reasons[0])
                continue
            look, made = after, True
            steps.append(Step(_as_made(after), after))
        if not made:
            break
    return steps, list(refused.values())


def _as_made(look: Look) -> Proposal:
    found = look.session.ledger[-1].move
    assert found is not None
    return found


def _finished(look: Look, run: StageRun, told: Told) -> tuple[Look, StageRun]:
    """The peak of the mix back in its window, by its trim."""
    for move in making.propose(look, [trim.KIND], told):
        if not run.made:
            look = look.at(edits.record(look.session, f"{LINE}{run.name}", audible=False))
        after = making.make(look, trim.KIND, move, stages.metrics())
        if after is not None:
            made, states = (*run.made, _as_made(after)), (*run.states, after.session)
            look, run = after, replace(run, made=made, now=whole(after), states=states)
    return look, run
