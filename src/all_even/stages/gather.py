"""Gather: what each file is, and what is wrong with it."""

from all_even.stages.stage import Moves, Stage


def _moves() -> Moves:
    from all_even.moves.gather import (
        align,
        alternatives,
        answer,
        by_sound,
        duplicates,
        guides,
        kick_choice,
        mono,
        names,
        order,
        outside,
        remarks,
        retune,
        silent,
        template,
    )

    parts = (
        template, order, names, by_sound, silent, mono, align, alternatives, duplicates, outside, kick_choice, guides,
        retune,
    )  # fmt: skip
    return Moves(
        answer.answer, tuple(part.KIND for part in parts), tuple(part.METRIC for part in parts), remarks=remarks.remarks
    )


STAGE = Stage(
    key="gather",
    name="Gather",
    tip="what each file is and what is wrong with it",
    does="Says what each file is and what is wrong with it, and puts the tracks in order.",
    moves=_moves,
    totals=False,
    depends_on=("files", "order", "names"),
    faults=True,
)
