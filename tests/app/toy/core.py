"""Tidy: names begin with a capital. The core's part of the toy stage."""

from all_even.figures.book.look import Look
from all_even.moves.answer import nothing_needed
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.stages.stage import Moves, Stage


def _small(look: Look) -> list[str]:
    return [lane.id for lane in look.session.lanes if not lane.name.startswith("Toy")]


def _propose(look: Look) -> list[Proposal]:
    small = _small(look)
    proposal = Proposal(
        id="toy.names", kind="toy.names", stage="toy", targets=tuple(small), title="Call everybody Toy",
        reason="It is a toy.", metric="toy-names", before=float(len(small)), expected=0.0,
    )  # fmt: skip
    return [proposal] if small else []


def _edit(session, proposal):
    for lane_id in proposal.targets:
        session = edits.change_strips(session, [lane_id], name=f"Toy {session.lane(lane_id).name}")
    return session


KIND = Kind("toy.names", ("names",), _propose, _edit, heard=False)
METRIC = Metric("toy-names", "names without a toy", "", 0, 0.0, ("names",), lambda look, _: float(len(_small(look))))
STAGE = Stage(
    key="toy",
    name="Toy",
    tip="whether names say that this is a toy",
    does="Plays with names.",
    empty="Everybody is a toy.",
    rows=("lanes", "mix"),
    moves=lambda: Moves(lambda _look: nothing_needed("Everybody is a toy"), (KIND,), (METRIC,)),
    depends_on=("names",),
)
