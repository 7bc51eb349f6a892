"""Print: check the mix and write it to a file."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.balance import trim
    from all_even.moves.check import answer

    return Moves(answer.answer_print, also=(trim.KIND,))


STAGE = Stage(
    key="print",
    name="Print",
    tip="check the mix and write it to a file",
    does="Writes the mix, its stems and a recall sheet with every setting in plain units.",
    moves=_moves,
)
