"""Which move of a stage costs the whole too much: looked for where a guard says that something got worse."""

from collections.abc import Sequence
from dataclasses import dataclass

from all_even.figures.book.look import Look
from all_even.figures.whole.guards import OF_RELATIONS, Guard, Loss, losses
from all_even.figures.whole.whole import Whole, relations, whole
from all_even.session.model.ledger import Proposal

LEAST_SHARE = 0.25
"""A move that brought less than this share of what is too much is not to blame alone."""


@dataclass(frozen=True, slots=True, eq=False)
class Step:
    """A move that was made, and the session right after it."""

    move: Proposal
    after: Look


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a stage may not go under: the whole before it, and that which the balance made, each by the tolerances."""

    before: Whole
    balance: Whole | None

    def losses(self, now: Whole) -> tuple[Loss, ...]:
        """What is worse than it may be against either, the worst first; each figure once."""
        found = list(losses(self.before, now))
        if self.balance is not None:
            told = {loss.guard.field for loss in found}
            found += [loss for loss in losses(self.balance, now) if loss.guard.field not in told]
        return tuple(sorted(found, key=lambda loss: -loss.by / loss.guard.most))


def culprit(first: Look, steps: Sequence[Step], guard: Guard) -> tuple[Proposal, float] | None:
    """The move that made a figure worse by most, and by how much; None where none of them did."""
    read = relations if guard in OF_RELATIONS else whole
    before, found = read(first), []
    for step in steps:
        now = read(step.after)
        found.append((guard.worse_by(before, now), step))
        before = now
    if not found:
        return None
    by, worst = max(found, key=lambda pair: pair[0])
    return (worst.move, by) if by >= LEAST_SHARE * guard.most else None
