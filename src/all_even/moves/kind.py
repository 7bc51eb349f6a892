"""A kind of move: the rule that proposes it, and how a proposal becomes an edit. All that is code about moves.

What it proposes is data (`session.model.ledger.Proposal`) that can be saved, compared and measured again at any time.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from all_even.dsp.parameter import Parameter
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.moves.dependencies import fingerprints
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Evidence, Parameters, Proposal, Source
from all_even.session.model.session import Session

LONGEST_ID = 60
GATHERING = frozenset({"gather", "gain"})
"""Stages that put recordings right, and mix nothing."""
HARMLESS = frozenset({"balance.trim", "buses.sections", "buses.sources"})
"""Elsewhere: what leaves all relations as they are."""
LEFT_OUT = "left_out"
"""The parameter that holds which parts of a move people left out, by id."""


def left_out(proposal: Proposal) -> tuple[str, ...]:
    """Parts of a move that are not to be made."""
    found = proposal.parameters.get(LEFT_OUT, ())
    return found if isinstance(found, tuple) else ()


def per_strip(proposal: Proposal, name: str) -> dict[str, float]:
    """A parameter that has a value for each lane or bus, without those left out."""
    found = proposal.parameters.get(name)
    values = found if isinstance(found, dict) else {}
    out = set(left_out(proposal))
    return {strip_id: value for strip_id, value in values.items() if strip_id not in out}


def value_of(proposal: Proposal, name: str) -> float:
    """A parameter that is a number. Raises KeyError where there is none of that name, TypeError where it is none."""
    found = proposal.parameters[name]
    if isinstance(found, int | float):
        return float(found)
    raise TypeError(name)


def numbers_of(proposal: Proposal) -> dict[str, float]:
    """Its parameters that are numbers."""
    return {name: float(value) for name, value in proposal.parameters.items() if isinstance(value, int | float)}


def text_of(proposal: Proposal, name: str) -> str:
    """A parameter that is a word. Raises KeyError where there is none of that name."""
    return str(proposal.parameters[name])


def names_of(proposal: Proposal, name: str) -> tuple[str, ...]:
    """A parameter that is several words. Raises KeyError where there is none of that name, TypeError where it is no
    tuple."""
    found = proposal.parameters[name]
    if isinstance(found, tuple):
        return found
    raise TypeError(name)


def values_of(proposal: Proposal, name: str) -> dict[str, float]:
    """A parameter that is numbers by name. Raises KeyError where there is none of that name, TypeError where it is no
    such mapping."""
    found = proposal.parameters[name]
    if isinstance(found, dict):
        return found
    raise TypeError(name)


def name_of(proposal: Proposal) -> str:
    """What a bus that the move makes is called."""
    found = proposal.parameters["name"]
    return found[0] if isinstance(found, tuple) else str(found)


def measured_later(proposal: Proposal) -> Proposal:
    """With other parameters what is expected is not known before it is tried, or made."""
    return replace(proposal, expected=None)


def _as_it_is(_look: Look, proposal: Proposal) -> Proposal:
    return proposal


@dataclass(frozen=True, slots=True)
class Kind:
    """A rule, and how what it proposes is made.

    id: `stage.name`; also of its only proposal, else `stage.name.lane`.
    depends_on: what it looks at (`moves.dependencies`).
    propose: what could be done to a session.
    edit: does it.
    prepare: finds on the sound what the edit needs; slow.
    parameters: those that people may change beforehand.
    changed: what is expected after such a change, or after parts were left out.
    refit: finds all else anew on the sound for what people changed, with what is then expected.
    starting_point: made once, it is left by intention: what the engineer then changes is no reason to propose it again,
        nor its rivals, other starting points.
    optional: a repair or a matter of taste, made only where it is asked for by name.
    against: what it proposes is not recommended, since it costs more than it brings; it says so, and can be made.
    heard: whether there is anything to hear; names and order make no sound.
    bookkeeping: names, order, and what people decide: nothing is promised, since nothing is measured of it.
    steady: it promises that its figure stays as it is (a group adds up to its members), not that it changes.
    parts: what it does, one by one, (id, words); people may leave some out, the edit then reads `left_out`.
    less: parameters with which it does less, where all of it would cost the whole too much; none where it can't
        do less any more, or at all.
    afterwards: judged on what all others leave (the mix, a group): looked for once there is nothing else to be made.
    approach: the one (`session.model.approaches`) that has to be chosen before it proposes anything; empty: none.
    """

    id: str
    depends_on: tuple[str, ...]
    propose: Callable[[Look], list[Proposal]]
    edit: Callable[[Session, Proposal], Session]
    prepare: Callable[[Look, Proposal], Proposal] = field(default=_as_it_is)
    parameters: Mapping[str, Parameter] = field(default_factory=dict)
    changed: Callable[[Proposal], Proposal] = field(default=lambda proposal: proposal)
    starting_point: bool = False
    optional: bool = False
    against: bool = False
    rivals: frozenset[str] = frozenset()
    heard: bool = True
    bookkeeping: bool = False
    steady: bool = False
    parts: Callable[[Session, Proposal], list[tuple[str, str]]] | None = None
    refit: Callable[[Look, Proposal], Proposal] | None = None
    less: Callable[[Proposal], dict[str, float]] | None = None
    afterwards: bool = False
    approach: str = ""

    @property
    def stage(self) -> str:
        """Where it is counted: what its id begins with."""
        return self.id.partition(".")[0]

    def move(
        self,
        *,
        title: str,
        reason: str,
        metric: Metric,
        targets: Sequence[str] = (),
        of: str = "",
        before: float | None = None,
        expected: float | None = None,
        tolerance: float | None = None,
        parameters: Parameters | None = None,
        evidence: Evidence | None = None,
        arguments: Evidence | None = None,
        source: Source = "predicted",
        weight: float = 0.0,
    ) -> Proposal:
        """A move of this kind as data (`Proposal`). of: what tells it from others of its kind, a lane or bus; empty
        where there is only one. tolerance: that of its metric where none is given. A prediction whose figure is never
        measured on the mix is only worked out, before and after."""
        if source == "predicted" and "mix" not in metric.depends_on:
            source = "worked out"
        if self.bookkeeping:
            before = expected = None
        return Proposal(
            id=f"{self.id}.{of}"[:LONGEST_ID] if of else self.id,
            kind=self.id,
            stage=self.stage,
            title=title,
            reason=reason,
            metric=metric.id,
            targets=tuple(targets),
            before=before,
            expected=expected,
            tolerance=metric.tolerance if tolerance is None else tolerance,
            parameters=parameters or {},
            evidence=evidence or {},
            arguments=arguments or {},
            source=source,
            weight=weight,
        )

    def is_told_from_nothing(self, move: Proposal) -> bool:
        """Whether a move promises more than an edit that does nothing would keep; what is smaller is not offered."""
        if self.steady or move.before is None or move.expected is None:
            return True
        return abs(move.expected - move.before) > move.tolerance

    @property
    def mixes_anew(self) -> bool:
        """Whether it changes how tracks stand to each other, or how they sound: nothing for stems of a finished mix."""
        return self.heard and self.stage not in GATHERING and self.id not in HARMLESS

    def is_chosen(self, session: Session) -> bool:
        """Whether it may propose: it belongs to no approach, or to one that is chosen."""
        return not self.approach or bool(getattr(session.approaches, self.approach))

    @property
    def prepares(self) -> bool:
        return self.prepare is not _as_it_is

    def proposals(self) -> Figure[tuple[Proposal, ...]]:
        """What it proposes, as a figure: known again as long as what it depends on stays."""

        def fingerprint(look: Look, _prints: Fingerprints, _target: str) -> str:
            if self.approach and not self.is_chosen(look.session):
                return "not chosen"
            return digest(sorted(fingerprints(look, self.depends_on).items()))

        def compute(look: Look, _target: str) -> tuple[Proposal, ...]:
            if self.approach and not self.is_chosen(look.session):
                return ()
            rests_on = fingerprints(look, self.depends_on)
            return tuple(
                replace(item, rests_on=rests_on) for item in self.propose(look) if self.is_told_from_nothing(item)
            )

        return Figure(f"proposals: {self.id}", 1, "session", fingerprint, compute)
