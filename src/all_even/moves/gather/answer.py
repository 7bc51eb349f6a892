"""What Gather answers where it proposes nothing."""

from all_even.figures.book.look import Look
from all_even.moves.answer import Answer, cant_judge, nothing_needed


def answer(look: Look) -> Answer:
    lanes = look.session.lanes
    measured = sum(look.measures(lane.id) is not None for lane in lanes)
    if not measured:
        return cant_judge("no file could be measured")
    if measured < len(lanes):
        return cant_judge(f"{len(lanes) - measured} of {len(lanes)} files could not be measured")
    return nothing_needed(f"{measured} files are measured, named and in order")
