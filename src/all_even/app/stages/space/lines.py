"""A return in figures: what stands in its row of the lanes and beside the bench, with what is over its limit."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from all_even.dsp.parameter import number, signed

if TYPE_CHECKING:
    from all_even.figures.space.space_view import ReturnView

LOUD = 0.955
"""A return that is covered less than this is heard by itself."""


@dataclass(frozen=True, slots=True)
class FigureLine:
    """name: in full; short: before the figure, where there is little room; over: whether it is over its limit."""

    name: str
    short: str
    figure: str
    over: bool = False

    @property
    def text(self) -> str:
        return f"{self.short} {self.figure}".strip()


def lines_of(view: "ReturnView") -> list[FigureLine]:
    """What is known of a return, in the order of its importance."""
    from all_even.moves.space.short_and_long import MOST_LEAD_HIDDEN, MOST_LOW_DB
    from all_even.moves.space.snare import DROP_DB, SHORT_OF_DB

    found, told = view.figures, []
    if found.covered is not None:
        told.append(
            FigureLine("Masked by the dry sound", "masked", f"{number(100.0 * found.covered)} %", found.covered < LOUD)
        )
    if view.response.whole is not None:
        told.append(FigureLine("Decay, measured", "", f"{number(view.response.whole.decay_s, 2)} s"))
    if view.drop_db is not None:
        under = view.drop_db < DROP_DB - SHORT_OF_DB
        told.append(FigureLine("Snare down at the kick", "snare at the kick", f"{number(-view.drop_db, 0)} dB", under))
    if found.lead_hidden is not None:
        over = found.lead_hidden > MOST_LEAD_HIDDEN
        told.append(
            FigureLine("More of the lead masked", "lead masked", f"{signed(100.0 * found.lead_hidden)} %", over)
        )
    if found.low_added_db is not None:
        over = found.low_added_db > MOST_LOW_DB
        told.append(FigureLine("Added under 250 Hz", "under 250 Hz", f"{signed(found.low_added_db, 2)} dB", over))
    return told
