"""One of two files that hold the same: both together are only louder. Common practice: the copy is hidden."""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sources.relations import Relation, relations, spare_copies
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session


def propose(look: Look) -> list[Proposal]:
    session = look.session
    return [_hide(session, lane_id, item) for lane_id, item in spare_copies(session, relations(look)).items()]


def _hide(session: Session, spare: str, relation: Relation) -> Proposal:
    first, second = session.lane(relation.other(spare)), session.lane(spare)
    apart = relation.offset_ms or 0.0
    far = f", {number(abs(apart), 1)} ms apart" if abs(apart) > 0.05 else ""
    return KIND.move(
        targets=(second.id,),
        of=second.id,
        title=f"Hide {second.name}: the same as {first.name}",
        reason=f"Taken from each other nothing is left{far}. Twice the same track is 6 dB more of it, or a comb.",
        evidence={"offset_ms": apart, "correlation": relation.correlation, "kept": first.name},
        metric=METRIC,
        arguments={"lane": second.id},
        weight=4.0,
    )


KIND = Kind(
    "gather.duplicate", ("files", "names", "order", "levels"), propose,
    lambda session, proposal: edits.change_strips(session, proposal.targets, hidden=True, mute=True), bookkeeping=True,
)  # fmt: skip
METRIC = Metric(
    "copy-in-sight", "duplicate files shown", "", 0, 0.0, ("order",),
    lambda look, arguments: float(not look.session.lane(str(arguments["lane"])).hidden),
)  # fmt: skip
