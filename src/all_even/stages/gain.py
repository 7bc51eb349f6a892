"""Gain: the level on every lane's way from its file to the mix."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.gain import answer, even_chain, into_range, ready

    parts = (into_range, ready, even_chain)
    return Moves(answer.answer, tuple(part.KIND for part in parts), tuple(part.METRIC for part in parts))


STAGE = Stage(
    key="gain",
    name="Gain",
    tip="the level at every point from file to mix",
    does="Shows the level of every track at every point, and puts right what compressors and saturation meet.",
    moves=_moves,
    totals=False,
    depends_on=("files", "levels", "chains", "settings"),
)
