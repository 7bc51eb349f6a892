"""Going through one stage: its default moves one after the other, as long as the whole gets no worse.

Two looks keep it so. Right after a move what can be known without rendering the mix is compared: a move that by itself
costs more than may be lost does less at once, or is left out. When nothing is left to be made all of the whole is
measured, against the state before the stage and against the balance; where small losses added up, the move that did
most of it is taken back with what came after it, does less or is left out, and the stage goes on from there.

What is judged on all that others leave, the mix and its groups, comes last, so that it is looked for once.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.whole.guards import GUARDS, OF_RELATIONS, OF_ROOMS, Guard, Loss
from all_even.figures.whole.whole import Whole, relations, whole
from all_even.first_mix.guarding import Blame, Bounds, Less, Step, blamed, less_of, told_costs
from all_even.moves import making
from all_even.moves.balance import starts
from all_even.moves.kind import GATHERING, Kind
from all_even.moves.making import Told, unheard
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.stages.stage import Stage

LINE = "First mix: "
"""What the line in the ledger begins with, under which a stage's moves stand."""
MOST_ROUNDS = 4
"""Moves that others made possible are made as well, so many times over."""
MOST_LESSENED = 3
"""So often less of a move is tried before it is left out."""
MOST_LEFT_OUT = 8
"""So many are left out one by one; what is worse then is told."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A move that was proposed and not made, or less of it (partly), and why."""

    move: Proposal
    why: str
    partly: bool = False

    @property
    def text(self) -> str:
        """A sentence."""
        return f"{'Less of' if self.partly else 'Left out:'} {self.move.title}: {self.why}."


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


def run_stage(
    look: Look,
    stage: Stage,
    wishes: Wishes,
    balance: Whole | None = None,
    told: Told = unheard,
    also: Sequence[Kind] = (),
) -> tuple[Look, StageRun]:
    """One stage. balance: the whole as the balance left it, where that was before. also: kinds besides its own."""
    before = whole(look)
    tried = tried_before(look.session, stage)
    first = look.at(edits.record(look.session, f"{LINE}{stage.name}", audible=False))
    going = _Going(first, stage, wishes, told, balance, before, (*stage.moves().shown, *also), set(tried))
    while True:
        going.go_on()
        now = whole(going.reached) if going.steps else before
        lost = going.losses(now)
        blame = blamed(*going.judged, lost) if len(going.left) < MOST_LEFT_OUT else None
        if blame is None:
            break
        going.take_back(blame)
        going.spare(blame)
    states = (look.session, *(step.after.session for step in going.steps))
    run = StageRun(stage.key, tuple(step.move for step in going.steps), going.told_left, before, now, lost, states)
    out = (*going.left, *going.refused.values())
    if not going.steps and not out:
        return look, run
    serial = edits.last_serial(first.session)
    reason = " ".join(item.text for item in out)
    ids = (*sorted(tried), *(item.move.id for item in out))
    return going.reached.at(edits.record_tried(going.reached.session, serial, ids, reason)), run


def tried_before(session: Session, stage: Stage) -> frozenset[str]:
    """Ids of moves that a first mix left out of a stage, where nobody changed anything by hand since: they would be
    left out again."""
    found: frozenset[str] = frozenset()
    for entry in session.ledger:
        if entry.text == f"{LINE}{stage.name}":
            found = frozenset(entry.tried)
        elif entry.move is None and (entry.audible or (entry.undoes, entry.redoes, entry.back_to) != (None,) * 3):
            found = frozenset()
    return found


@dataclass(slots=True)
class _Going:
    """A stage that is gone through. skipped: ids of moves that are not made; less: of which less is made; tries: how
    often that was made less; left, partly: the same in words; refused: those that stumbled, by id."""

    first: Look
    stage: Stage
    wishes: Wishes
    told: Told
    balance: Whole | None
    before: Whole
    kinds: Sequence[Kind]
    skipped: set[str]
    steps: list[Step] = field(default_factory=list)
    less: dict[str, Less] = field(default_factory=dict)
    tries: dict[str, int] = field(default_factory=dict)
    left: list[LeftOut] = field(default_factory=list)
    partly: dict[str, LeftOut] = field(default_factory=dict)
    refused: dict[str, LeftOut] = field(default_factory=dict)

    @property
    def reached(self) -> Look:
        return self.steps[-1].after if self.steps else self.first

    @property
    def judged(self) -> tuple[Look, Sequence[Step]]:
        """The moves that the stage is measured by, and the look before them: from behind the starting point of a
        balance on, which says itself what it does to the whole."""
        begins = [index for index, step in enumerate(self.steps) if step.move.kind in starts.RIVALS]
        return (self.steps[begins[-1]].after, self.steps[begins[-1] + 1 :]) if begins else (self.first, self.steps)

    @property
    def told_left(self) -> tuple[LeftOut, ...]:
        """What was not made, or not all of it."""
        partly = [item for move_id, item in self.partly.items() if move_id not in self.skipped]
        return (*partly, *self.left, *self.refused.values())

    @property
    def _guards(self) -> tuple[Guard, ...]:
        if self.stage.key in GATHERING:
            return ()
        return OF_ROOMS if self.stage.key == "space" else GUARDS

    def losses(self, now: Whole) -> tuple[Loss, ...]:
        """What is worse than it may be."""
        start, steps = self.judged
        baseline = self.before if start is self.first else whole(start)
        return Bounds(baseline, self.balance, told_costs([step.move for step in steps]), self._guards).losses(now)

    def go_on(self) -> None:
        """Makes what there is to be made."""
        usual = [kind for kind in self.kinds if not kind.optional and not kind.against]
        for kinds in ([kind for kind in usual if not kind.afterwards], [kind for kind in usual if kind.afterwards]):
            for _ in range(MOST_ROUNDS if kinds else 0):
                count = len(self.steps)
                for move in making.propose(self.reached, kinds, self.told):
                    self.reached.stop_if_cancelled()
                    self._try(move)
                if len(self.steps) == count:
                    break

    def _try(self, move: Proposal) -> None:
        """Makes a move, or less of it, or leaves it out."""
        kind = stages.kinds()[move.kind]
        while move.id not in self.refused and move.id not in self.skipped and self.wishes.allows(move):
            look, reasons = self.reached, list[str]()
            after = None
            with making.guarded(look, move.kind, reasons.append):
                wanted = self.less[move.id].of(kind, move) if move.id in self.less else move
                after = making.make(look, kind, wanted, stages.metrics())
            if after is None:
                if reasons and move.id not in self.less:
                    self.refused[move.id] = LeftOut(move, reasons[0])
                return
            step = Step(_as_made(after), after)
            blame = self._too_dear(look, step) if len(self.left) < MOST_LEFT_OUT else None
            if blame is None:
                self.steps.append(step)
                return
            self.spare(blame)

    def _too_dear(self, look: Look, step: Step) -> Blame | None:
        """Where a move by itself costs more than may be lost, and that is lost then: what it costs most of."""
        if step.move.kind in starts.RIVALS or not self._guards:
            return None
        then, now, start = relations(look), relations(step.after), relations(self.judged[0])
        told, related = told_costs([step.move]), {guard.field for guard in OF_RELATIONS}
        found = []
        for guard in self._guards:
            by, most = guard.worse_by(then, now), guard.most + told.get(guard.field, 0.0)
            if guard.field in related and min(by, guard.worse_by(start, now)) > most:
                found.append(Blame(step.move, look, Loss(guard, by), by))
        return max(found, key=lambda blame: blame.by / blame.loss.guard.most, default=None)

    def take_back(self, blame: Blame) -> None:
        """A move, and what came after it."""
        del self.steps[next(index for index, step in enumerate(self.steps) if step.move is blame.move) :]

    def spare(self, blame: Blame) -> None:
        """From now on less of a move, or nothing of it."""
        move = blame.move
        tries = self.tries.get(move.id, 0)
        less = less_of(blame, stages.kinds()[move.kind]) if tries < MOST_LESSENED else None
        if less is not None:
            self.less[move.id], self.tries[move.id] = less, tries + 1
            self.partly.setdefault(move.id, LeftOut(move, f"with all of it {blame.text}", partly=True))
        else:
            self.skipped.add(move.id)
            self.left.append(LeftOut(move, blame.text))


def _as_made(look: Look) -> Proposal:
    found = look.session.ledger[-1].move
    assert found is not None
    return found
