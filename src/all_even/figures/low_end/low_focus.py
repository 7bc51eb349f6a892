"""How clearly the kick is heard with the bass as loud as it is, and how loud the bass may be
(`measure.sharing.focus`)."""

from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import pair
from all_even.measure.sharing.focus import Focus


def low_focus(look: Look) -> Focus | None:
    """None without a kick with hits and a bass that are heard."""
    figures = pair(look)
    return figures.focus if figures is not None else None
