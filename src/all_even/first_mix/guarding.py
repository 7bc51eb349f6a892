"""Which move of a stage costs the whole too much, and how much less of it would do.

Where a guard says that something got worse, the move that did most of it is looked for. Where it can do less, less of
it is made; where it consists of parts, the fewest of them are left out with which the loss is borne; else it is left
out.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from all_even.figures.book.look import Look
from all_even.figures.whole.guards import GUARDS, OF_RELATIONS, Guard, Loss, losses
from all_even.figures.whole.whole import Whole, relations, relations_of, stands, with_figure
from all_even.moves import making
from all_even.moves.balance.costs import COSTS
from all_even.moves.kind import Kind, left_out
from all_even.session.model.ledger import Proposal
from all_even.session.tracks.importance import importance

LEAST_SHARE = 0.25
"""A move that brought less than this share of what is too much is not to blame alone."""
ONCE_LESS_LEAVES, LEAST_LEFT = 0.65, 0.25
"""Of what a move costs, once less of it leaves about this share (seen on rooms); no more is taken away at a time than
leaves a quarter."""
RELATED = frozenset(guard.field for guard in OF_RELATIONS)
MOST_PARTS = 12
"""With more of them it is not tried which one costs most."""


@dataclass(frozen=True, slots=True, eq=False)
class Step:
    """A move that was made, and the session right after it."""

    move: Proposal
    after: Look


@dataclass(frozen=True, slots=True)
class Less:
    """How a move does less. without: parts that are left out; values: of its parameters."""

    without: tuple[str, ...] = ()
    values: Mapping[str, float] = field(default_factory=dict)

    def of(self, kind: Kind, move: Proposal) -> Proposal:
        """The move with less of it."""
        if self.values:
            move = making.with_parameters(kind, move, self.values)
        return making.without_parts(kind, move, self.without) if self.without else move


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a stage may not go under: the whole before it, and that which the balance made, each by the tolerances."""

    before: Whole
    balance: Whole | None
    told: Mapping[str, float] = field(default_factory=dict)
    """What cards said that they cost, by figure: that much more may be lost."""
    guards: tuple[Guard, ...] = GUARDS

    def losses(self, now: Whole) -> tuple[Loss, ...]:
        """What is worse than it may be against either, the worst first; each figure once."""
        found = [loss for loss in losses(self.before, now, self.guards) if loss.by > loss.guard.most + self.told.get(
            loss.guard.field, 0.0)]  # fmt: skip
        if self.balance is not None:
            told = {loss.guard.field for loss in found}
            found += [loss for loss in losses(self.balance, now, self.guards) if loss.guard.field not in told]
        return tuple(sorted(found, key=lambda loss: -loss.by / loss.guard.most))


@dataclass(frozen=True, slots=True, eq=False)
class Blame:
    """before: the session right before the move. by: how much worse it made the figure of the loss."""

    move: Proposal
    before: Look
    loss: Loss
    by: float

    @property
    def text(self) -> str:
        guard = self.loss.guard
        others = f", {guard.text(self.by)} of it by this one" if self.loss.by > self.by + 0.1 * guard.most else ""
        return f"{guard.label} would be {guard.text(self.loss.by)} worse{others}"


def blamed(first: Look, steps: Sequence[Step], lost: Sequence[Loss]) -> Blame | None:
    """The move that did most of the worst loss that any of them did; None where none of them did."""
    for loss in lost:
        field = loss.guard.field
        worst: Blame | None = None
        before = first
        for step in steps:
            by = loss.guard.worse_by(with_figure(before, field), with_figure(step.after, field))
            if worst is None or by > worst.by:
                worst = Blame(step.move, before, loss, by)
            before = step.after
        if worst is not None and worst.by >= LEAST_SHARE * loss.guard.most:
            return worst
    return None


def less_of(blame: Blame, kind: Kind) -> Less | None:
    """The move with the fewest parts left out, or with less of it, so that its loss is borne; None where that can't be
    known, or nothing would be left."""
    guard = blame.loss.guard
    spared = max(0.0, blame.loss.by - guard.most)
    if kind.less is not None:
        values = _less_enough(kind.less, blame.move, (blame.by - spared) / blame.by)
        return Less(values=values) if values else None
    if kind.parts is not None and guard.field in RELATED:
        session = blame.before.session
        out = set(left_out(blame.move))
        names = [part for part, _ in kind.parts(session, blame.move) if part not in out]
        if 1 < len(names) <= MOST_PARTS:
            return _fewest(blame, kind, names, guard, blame.by - spared)
    return None


def _less_enough(less: Callable[[Proposal], dict[str, float]], move: Proposal, leaves: float) -> dict[str, float]:
    """Its parameters with so much less of it that about this share of what it costs is left."""
    count = math.ceil(math.log(max(leaves, LEAST_LEFT)) / math.log(ONCE_LESS_LEAVES))
    values: dict[str, float] = {}
    for _ in range(max(1, count)):
        further = less(replace(move, parameters={**move.parameters, **values}))
        if not further:
            break
        values = further
    return values


def _fewest(blame: Blame, kind: Kind, names: Sequence[str], guard: Guard, most: float) -> Less | None:
    """Parts left out one by one, that which by itself costs most first, until no more than so much is lost."""
    start = relations(blame.before)
    without: tuple[str, ...] = left_out(blame.move)
    alone = {part: _cost(blame, kind, guard, start, (*without, part)) for part in names}
    for part in sorted(names, key=lambda one: alone[one])[:-1]:
        without = (*without, part)
        if _cost(blame, kind, guard, start, without) <= most:
            return Less(without)
    return None


def _cost(blame: Blame, kind: Kind, guard: Guard, start: Whole, without: tuple[str, ...]) -> float:
    """How much worse the figure of a guard is behind the move without some of its parts."""
    look = blame.before
    then = look.at(making.made(look.session, kind, Less(without).of(kind, blame.move)))
    found = relations_of(stands(then), importance(then.session), masking=guard.field == "masked")
    return guard.worse_by(start, found)


def told_costs(moves: Sequence[Proposal]) -> dict[str, float]:
    """What the cards of these moves said that they cost, all together, by figure."""
    found: dict[str, float] = {}
    for move in moves:
        for name, value in move.evidence.items():
            if name.startswith(COSTS) and isinstance(value, int | float):
                key = name.removeprefix(COSTS)
                found[key] = found.get(key, 0.0) + float(value)
    return found
