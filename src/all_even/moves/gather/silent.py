"""Leftovers out of sight. Common practice: a lane that holds no sound is hidden."""

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import Lane


def propose(look: Look) -> list[Proposal]:
    return [_hide(look, lane) for lane in look.session.lanes if _is_silent(look, lane) and not lane.hidden]


def _is_silent(look: Look, lane: Lane) -> bool:
    measures = look.measures(lane.id)
    return measures is not None and measures.integrated_lufs is None


def _hide(look: Look, lane: Lane) -> Proposal:
    measures = look.measures(lane.id)
    assert measures is not None
    return KIND.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"Hide {lane.name}",
        reason="The file never passes −70 LUFS: nothing to mix, one row less to read.",
        evidence={"sample_peak_dbfs": measures.sample_peak_dbfs, "duration_s": round(measures.duration_s, 1)},
        metric=METRIC,
        arguments={"lane": lane.id},
        weight=1.0,
    )


KIND = Kind(
    "gather.hide", ("files", "names", "order"), propose,
    lambda session, proposal: edits.change_strips(session, proposal.targets, hidden=True, mute=True), heard=False,
    bookkeeping=True,
)  # fmt: skip
METRIC = Metric(
    "silent-in-sight", "silent files shown", "", 0, 0.0, ("order",),
    lambda look, arguments: float(not look.session.lane(str(arguments["lane"])).hidden),
)  # fmt: skip
