"""The figures that moves of dynamics are judged by, of one strip each."""

from collections.abc import Callable

from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import moving
from all_even.measure.dynamics.movement import Movement
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.strips import MIX

DEPENDS_ON = ("files", "order", "levels", "strips", "routing", "settings")
MEASURED_ON = ("strips", "files")


def movement_of(look: Look, arguments: Arguments) -> Movement | None:
    """Of the strip that a metric is about; None where it is gone or silent."""
    strip_id = str(arguments.get("strip", ""))
    if strip_id != MIX and strip_id not in {strip.id for strip in look.session.strips}:
        return None
    return moving(look, strip_id)


def _reads(figure: Callable[[Movement], float | None]) -> Callable[[Look, Arguments], float | None]:
    def read(look: Look, arguments: Arguments) -> float | None:
        found = movement_of(look, arguments)
        return figure(found) if found is not None else None

    return read


SPREAD = Metric("unit-spread", "spread of its notes or words", "dB", 1, 0.7, MEASURED_ON,
                _reads(lambda found: found.spread_now_db))  # fmt: skip
PUNCH = Metric("punch", "punch of its hits", "dB", 1, 0.5, MEASURED_ON, _reads(lambda found: found.punch_now_db))
CREST = Metric("crest", "crest", "dB", 1, 0.5, MEASURED_ON, _reads(lambda found: found.crest_now_db))
