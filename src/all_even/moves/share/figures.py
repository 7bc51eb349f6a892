"""What the moves of this stage are judged by: share* of the session and of a source, and who belongs to the bottom."""

import numpy as np

from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import home
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.settings import WorkSettings
from all_even.session.tracks.classes import is_low_end

LOW_HZ = 120.0
UNKNOWN = "unknown"
"""The role of what nobody named: it may be anything."""
DEPENDS_ON = ("files", "order", "names", "levels", "strips", "settings", "mix")


def bottom(found: Sharing) -> frozenset[str]:
    """Kick, bass and toms, and what nobody named that has its body down there: what is low of them is the business of
    the low end."""
    low = masking.centres_hz() < LOW_HZ
    return frozenset(
        unit.id for unit, power in zip(found.units, found.bare.power, strict=True)
        if is_low_end(unit.role) or unit.role == "tom" or (unit.role == UNKNOWN and bool(home(power)[low].any()))
    )  # fmt: skip


def is_true_alone(work: WorkSettings) -> bool:
    return work.aim == "true alone"


def hidden_percent(look: Look, _arguments: Arguments) -> float | None:
    """Share* of the session, %."""
    found = sharing(look)
    return None if found is None else 100.0 * found.mean


def own_percent(look: Look, arguments: Arguments) -> float | None:
    """Share* of one source, %."""
    found = sharing(look)
    place = found.place(str(arguments.get("lane"))) if found is not None else None
    if found is None or place is None or np.isnan(found.shares[place]):
        return None
    return 100.0 * float(found.shares[place])


HIDDEN = Metric("hidden", "masked, weighted by priority", "%", 2, 0.2, DEPENDS_ON, hidden_percent)
OWN = Metric("hidden-of-one", "masked of it", "%", 1, 1.0, DEPENDS_ON, own_percent)
