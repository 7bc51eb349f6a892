"""What Space answers where it proposes nothing."""

from all_even import texts
from all_even.figures.book.look import Look
from all_even.moves.answer import Answer, cant_judge, nothing_needed, unknown
from all_even.moves.space import who
from all_even.moves.space.short_and_long import FEWEST
from all_even.session.model import space


def answer(look: Look) -> Answer:
    rooms = space.returns(look.session)
    if rooms:
        return nothing_needed(f"{texts.count(len(rooms), 'return')}: each ends in time and is just audible")
    found = unknown(look)
    if found is not None:
        return found
    senders = who.candidates(look)
    if len(senders) < FEWEST:
        dry = len(who.left_dry(look))
        has = f" ({dry} have one of their own)" if dry else ""
        return nothing_needed(
            f"{texts.count(len(senders), 'source')} would take a room{has}: none is needed for so few"
        )
    return cant_judge("no level was found at which a room is just audible")
