"""What Gather has to say before anything is moved: whom nobody knows."""

from all_even.figures.book.look import Look
from all_even.figures.sources.who_is_who import unsure_lanes
from all_even.moves.answer import SAY_WHO, WHO_IS_WHO
from all_even.session.model.remark import Press, Remark


def remarks(look: Look) -> tuple[Remark, ...]:
    found = unsure_lanes(look)
    if not found:
        return ()
    if len(found) == 1:
        text = f"{found[0].name}: its role is not sure. Listen to two seconds of it; two keys say what it is."
    else:
        text = (
            f"{len(found)} tracks have no role that is sure: what follows can't know the voice from the bass. Each "
            "plays two seconds, and two keys say what it is."
        )
    return (Remark((), "roles", float(len(found)), text, presses=(Press(WHO_IS_WHO, SAY_WHO),)),)
