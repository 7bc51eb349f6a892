"""Buses: who flows where; groups, sends, keys and chains."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.buses import answer, finding, kick_and_bass, mix_peaks, sections, silent_trigger, sources

    return Moves(
        answer.answer,
        (sections.KIND, sources.KIND, kick_and_bass.KIND, silent_trigger.KIND, mix_peaks.KIND),
        (sections.METRIC, finding.STRONGEST_GAIN, mix_peaks.METRIC),
    )


STAGE = Stage(
    key="buses",
    name="Buses",
    tip="who flows where; groups, sends, keys and chains",
    does="Shows who flows where: groups, sends, keys and chains, each processor with its level.",
    empty="Drag a track to a bus' column, or add a processor to its signal chain.",
    rows=("lanes", "buses", "folders", "mix"),
    moves=_moves,
    depends_on=("files", "routing", "chains"),
)
