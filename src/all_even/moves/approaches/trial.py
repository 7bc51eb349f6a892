"""A trial of an approach: its figure measured with it made, and what that does to the whole.

The figure is the one that the move is about. The whole (`figures.whole`) judges it beside that: what is masked by a
filterbank that no move is fitted on (the witness), and the guards, which say what got worse by more than it may. Who
chose an approach gets its moves also where they cost something, with the cost in the first sentence.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from all_even.dsp.parameter import Parameter, number
from all_even.dsp.processor import Processor
from all_even.figures.book.look import Look
from all_even.figures.whole.guards import losses
from all_even.figures.whole.whole import Whole, whole
from all_even.moves.kind import Kind, measured_later, numbers_of
from all_even.moves.metric import Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Evidence, Parameters, Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

DEPENDS_ON = ("files", "order", "mix", "strips", "routing", "settings")
"""What a trial looks at."""
Numbers = Mapping[str, float]
Edit = Callable[[Session, Proposal], Session]


@dataclass(frozen=True, slots=True)
class Draft:
    """A move before its trial. of, arguments, evidence: as of a proposal. gentler: other parameters, one after the
    other, where the first cost the whole too much."""

    targets: Sequence[str]
    title: str
    reason: str
    parameters: Parameters = field(default_factory=dict)
    of: str = ""
    arguments: Evidence = field(default_factory=dict)
    evidence: Evidence = field(default_factory=dict)
    gentler: Sequence[Parameters] = ()


def on_trial(
    kind_id: str,
    approach: str,
    metric: Metric,
    drafts: Callable[[Look], Iterable[Draft]],
    edit: Edit,
    *,
    parameters: Mapping[str, Parameter] | None = None,
    title: Callable[[Session, Proposal], str] | None = None,
    parts: Callable[[Session, Proposal], list[tuple[str, str]]] | None = None,
    weight: float = 1.0,
    afterwards: bool = False,
    before: float | None = None,
    better: int = 0,
    settled: Callable[[Look, Proposal], Proposal] | None = None,
) -> Kind:
    """A kind of an approach whose drafts are each tried on the sound. title: of a move whose parameters people
    changed, where it tells them. before: the figure where there is nothing to read it from without the move. better: 1
    or -1 where only a higher or a lower figure is worth an offer. settled: with the numbers that follow from those
    that people may change."""

    def move_of(look: Look, draft: Draft, numbers: Parameters) -> Proposal:
        move = kind.move(
            targets=draft.targets, of=draft.of, title=draft.title, reason=draft.reason, metric=metric,
            parameters={**draft.parameters, **numbers}, evidence=draft.evidence, arguments=draft.arguments,
            weight=weight,
        )  # fmt: skip
        move = replace(move, title=title(look.session, move)) if title is not None else move
        return settled(look, move) if settled is not None else move

    def offer(look: Look, draft: Draft) -> Proposal | None:
        """The first that costs nothing, else the first of all."""
        first = None
        for numbers in ({}, *draft.gentler):
            made = tried(look, kind, metric, move_of(look, draft, numbers), before)
            if made is None or better * _change(made) < 0.0:
                continue
            if not made.evidence["costs"]:
                return made
            first = made if first is None else first
        return first

    def propose(look: Look) -> list[Proposal]:
        return [made for draft in drafts(look) if (made := offer(look, draft)) is not None]

    def refit(look: Look, move: Proposal) -> Proposal:
        if move.expected is not None:
            return move
        plain = next((item for item in drafts(look) if item.of == draft_of(move, kind)), None)
        anew = replace(move, reason=plain.reason if plain is not None else move.reason,
                       title=title(look.session, move) if title is not None else move.title)  # fmt: skip
        anew = settled(look, anew) if settled is not None else anew
        return tried(look, kind, metric, anew, before) or replace(anew, before=metric.read(look, move.arguments))

    kind = Kind(
        kind_id, DEPENDS_ON, propose, edit, parameters=parameters or {}, changed=measured_later, refit=refit,
        parts=parts, optional=True, approach=approach, afterwards=afterwards,
    )  # fmt: skip
    return kind


def draft_of(move: Proposal, kind: Kind) -> str:
    """What tells a move from others of its kind."""
    return move.id.removeprefix(kind.id).removeprefix(".")


def _change(move: Proposal) -> float:
    return 0.0 if move.expected is None or move.before is None else move.expected - move.before


def tried(look: Look, kind: Kind, metric: Metric, draft: Proposal, otherwise: float | None = None) -> Proposal | None:
    """The move with its figure before and with it made, the witness and the guards. None where the figure can't be
    known, or changes by no more than an edit that does nothing would leave it. otherwise: the figure before where
    nothing is there to read it from."""
    look.stop_if_cancelled()
    after = look.at(kind.edit(look.session, draft))
    before, expected = metric.read(look, draft.arguments), metric.read(after, draft.arguments)
    before = otherwise if before is None else before
    made = replace(draft, before=before, expected=expected, source="trial")
    if before is None or expected is None or not kind.is_told_from_nothing(made):
        return None
    return beside_the_whole(made, whole(look), whole(after))


def beside_the_whole(move: Proposal, before: Whole, now: Whole) -> Proposal:
    """The move with what it does to the whole in words and figures."""
    costs = "; ".join(loss.text for loss in losses(before, now))
    first = f"Costs something: {costs}. " if costs else ""
    last = "" if costs else " Nothing in the whole gets worse."
    reason = f"{first}{move.reason}{_masked(before, now)}{last}".strip()
    told: Evidence = {"witness_before": before.masked, "witness": now.masked, "costs": costs or None}
    return replace(move, reason=reason, evidence={**move.evidence, **told})


def _masked(before: Whole, now: Whole) -> str:
    """What the second estimate says."""
    if before.masked is None or now.masked is None:
        return ""
    return f" Masked, 2nd opinion: {number(100.0 * before.masked)} → {number(100.0 * now.masked)} %."


# Edits that most approaches make.


def at_the_end(stations: Callable[[Numbers], Sequence[Processor]]) -> Edit:
    """Stations behind the chain of each target that is still there. stations: from the move's numbers."""

    def edit(session: Session, move: Proposal) -> Session:
        return added(session, move.targets, stations(numbers_of(move)))

    return edit


def at_the_start(stations: Callable[[Numbers], Sequence[Processor]]) -> Edit:
    """The same before the chain."""

    def edit(session: Session, move: Proposal) -> Session:
        return added(session, move.targets, stations(numbers_of(move)), first=True)

    return edit


def added(session: Session, targets: Iterable[str], stations: Sequence[Processor], *, first: bool = False) -> Session:
    """Stations at one end of chains. KeyError where none of the targets is there any more."""
    known = [strip_id for strip_id in targets if strip_id == MIX or strip_id in {s.id for s in session.strips}]
    if not known:
        raise KeyError(next(iter(targets), ""))
    for strip_id in known:
        for index, station in enumerate(stations):
            session = chain_edits.add_station(session, strip_id, station, index if first else None)
    return session
