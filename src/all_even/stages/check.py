"""Check: whether it holds anywhere else, and whether it is better or only louder."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.check import answer, bell, closer, figures, harmonics, louder, remarks

    kinds = (harmonics.KIND, bell.KIND, louder.KIND, closer.KIND)
    return Moves(answer.answer, kinds, (figures.LEFT,), remarks=remarks.remarks)


STAGE = Stage(
    key="check",
    name="Check",
    tip="whether it holds anywhere else, and beside others",
    does="Shows what is left on a phone, in a car, in a club; compares with references and blind.",
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing", "chains", "mix"),
    lazy=True,
)
