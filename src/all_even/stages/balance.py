"""Balance: levels and pan alone."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.approaches import mix_knobs
    from all_even.moves.balance import (
        answer,
        bass_ceiling,
        centre,
        clearance,
        equally_heard,
        lead_back,
        line_up,
        lopsided,
        pair_sides,
        polish,
        remarks,
        spread,
        starts,
        trim,
    )  # fmt: skip

    parts = (trim, centre, bass_ceiling, spread, lopsided, pair_sides, clearance, line_up, polish, lead_back)
    kinds = (*starts.KINDS, *(part.KIND for part in parts), bass_ceiling.KICK, equally_heard.KIND, mix_knobs.KIND)
    metrics = (starts.METRIC, *(part.METRIC for part in parts), mix_knobs.ENDS)
    return Moves(answer.answer, kinds, metrics, remarks=remarks.remarks)


STAGE = Stage(
    key="balance",
    name="Balance",
    tip="levels and pan alone",
    does="Shows how loud every track is in the mix; sets a first balance; levels and pan by hand.",
    empty="Set levels and pan by ear; what you change is in the ledger.",
    rows=("lanes", "buses", "folders"),
    moves=_moves,
    depends_on=("files", "levels"),
)
