"""Rides: movement in time, phrase by phrase."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.rides import answer, choruses, figures, narrow, phrases, remarks, sections, throws, under

    kinds = (
        phrases.KIND, phrases.SOLOS, sections.KIND, under.KIND, narrow.KIND, choruses.KIND, throws.KIND,
    )  # fmt: skip
    metrics = (
        figures.APART, figures.FURTHEST, figures.SECTIONS, figures.HIDDEN, narrow.METRIC, choruses.METRIC,
        throws.METRIC,
    )  # fmt: skip
    return Moves(answer.answer, kinds, metrics, remarks=remarks.remarks)


STAGE = Stage(
    key="rides",
    name="Rides",
    tip="what moves along the song, phrase by phrase",
    does="Shows each word over its backing, and rides it to where the arrangement needs it.",
    rows=("lanes", "buses", "folders"),
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing", "chains", "mix"),
    lazy=True,
)
