"""Share: every instrument its part of the spectrum."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.approaches import make_room
    from all_even.moves.balance import clearance, spread
    from all_even.moves.share import complement, figures, high_pass, keyed, low_pass, remarks, shape, thin

    parts = (thin, high_pass, low_pass, shape, keyed, complement)
    return Moves(
        remarks.answer,
        (*(part.KIND for part in parts), *make_room.KINDS),
        (figures.HIDDEN, figures.OWN, high_pass.METRIC, low_pass.METRIC),
        also=(spread.KIND, clearance.KIND),
        remarks=remarks.remarks,
    )


STAGE = Stage(
    key="share",
    name="Share",
    tip="every instrument its part of the spectrum",
    does="Shows masking, places and thins out first, then finds few bands that let all be heard more.",
    empty="What is masked, a fader or a place would uncover, not an equaliser.",
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing", "mix"),
    lazy=True,
)
