"""What Share answers where it proposes nothing."""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import sharing
from all_even.moves.answer import Answer, cant_judge, nothing_needed, unknown


def answer(look: Look) -> Answer:
    found = sharing(look)
    if found is None or len(found.units) < 2:
        return cant_judge("fewer than two tracks are heard together")
    return unknown(look) or nothing_needed(
        f"{number(100.0 * found.mean)} % of what matters is masked, and no few bands bring enough back"
    )
