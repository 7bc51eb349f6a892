"""What Buses answers where it proposes nothing."""

from all_even.figures.book.look import Look
from all_even.moves.answer import Answer, nothing_needed, unknown


def answer(look: Look) -> Answer:
    session = look.session
    grouped = sum(any(lane.destination == bus.id for bus in session.buses) for lane in session.lanes)
    buses = len(session.buses)
    if not buses:
        return unknown(look) or nothing_needed(f"All {len(session.lanes)} tracks go straight to the mix")
    return unknown(look) or nothing_needed(
        f"{grouped} of {len(session.lanes)} tracks go through {buses} bus{'' if buses == 1 else 'es'}"
    )
