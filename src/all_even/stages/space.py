"""Space: a place for everything, and nothing drowned."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.approaches import rooms
    from all_even.moves.balance import lead_back
    from all_even.moves.space import (
        answer,
        echoes,
        figures,
        level,
        one_room,
        order,
        remarks,
        short_and_long,
        snare,
        wider,
    )

    kinds = (
        one_room.KIND, short_and_long.SHORT, short_and_long.LONG, snare.KIND, level.MUD, level.CLEAR, level.PLACE,
        order.KIND, echoes.KIND, wider.KIND, *rooms.KINDS,
    )  # fmt: skip
    metrics = (
        figures.COVERED, figures.LOW, figures.LEAD, figures.DROP, figures.DEPTH, wider.METRIC,
    )  # fmt: skip
    return Moves(answer.answer, kinds, metrics, also=(lead_back.KIND,), remarks=remarks.remarks)


STAGE = Stage(
    key="space",
    name="Space",
    tip="who stands how far away, and until when the rooms last",
    does="Shows how far away each track stands, and gives the rooms their time and level by measure.",
    rows=("lanes", "buses"),
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing", "chains", "mix"),
    lazy=True,
)
