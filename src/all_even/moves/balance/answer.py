"""What Balance answers where it proposes nothing."""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sources.units import unit_lufs, units
from all_even.moves.answer import Answer, cant_judge, missing, nothing_needed


def answer(look: Look) -> Answer:
    found = units(look)
    loud = [value for unit in found if (value := unit_lufs(look, unit)) is not None]
    if len(loud) < 2:
        return cant_judge("fewer than two tracks are heard")
    if not any(unit.standing == "lead" for unit in found):
        return missing(look, "the lead", f"{_between(loud)}; no track leads, so nobody is put first")
    return nothing_needed(_between(loud))


def _between(loud: list[float]) -> str:
    return f"{len(loud)} sources lie within {number(max(loud) - min(loud))} LU of each other"
