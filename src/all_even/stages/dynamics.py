"""Dynamics: level that moves too much, too little, or at the wrong moment."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.approaches import (
        cabinet,
        colour,
        crunch,
        one_harmonic,
        punch,
        single_track,
        voice_bleed,
    )
    from all_even.moves.balance import lead_back
    from all_even.moves.dynamics import (
        answer,
        attack,
        bands,
        even_out,
        figures,
        gate,
        glue,
        parallel,
        peaks,
        remarks,
        soften,
        tone,
    )

    kinds = (
        even_out.KIND, even_out.TWICE, peaks.KIND, peaks.FAST, *attack.KINDS, gate.KIND, gate.SOFTER, soften.KIND,
        parallel.KIND, parallel.KNOB, glue.KIND, bands.HOLD_LOW, bands.THREE, tone.KIND,
        punch.KIND, crunch.KIND, *single_track.KINDS, one_harmonic.KIND, voice_bleed.KIND, cabinet.KIND, *colour.KINDS,
    )  # fmt: skip
    metrics = (
        figures.SPREAD, figures.PUNCH, figures.CREST, attack.SUSTAIN, gate.BLEED, gate.BREATHS, soften.METRIC,
        parallel.METRIC, parallel.UNDER, parallel.OVER, glue.GAIN, bands.MOMENTS, tone.ZONE,
        single_track.LATE, punch.OUT, one_harmonic.RUNS, voice_bleed.BLEED, colour.ADDED,
    )  # fmt: skip
    return Moves(answer.answer, kinds, metrics, also=(lead_back.KIND,), remarks=remarks.remarks)


STAGE = Stage(
    key="dynamics",
    name="Dynamics",
    tip="level that moves too much, too little, or at the wrong moment",
    does="Shows every note and word as it is and as it was, and sets compressors by what they are for.",
    rows=("lanes", "buses", "mix"),
    moves=_moves,
    depends_on=("files", "order", "levels", "strips", "routing", "mix"),
    lazy=True,
)
