"""What no move of the low end may cost, measured on the state after it, before it is offered.

Whoever leads may not be masked more, the sum may not be softer at an equal peak, and no hole may open behind the hits
than there was before the first of these moves (`bottom.before_all`): each move may keep its promise, and all together
have sacrificed the one whom the bottom belongs to. A state that is worse already stops nothing that does not make it
worse still. The limits are our own; nobody has listened yet.
"""

import itertools
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import LowEnd, low_end
from all_even.measure.sharing.duck import GAP_DB
from all_even.moves.dependencies import fingerprints
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.session.model.ledger import Evidence, Proposal
from all_even.session.model.session import Session

MOST_MASKED, MOST_SOFTER_LU, HOLE_DB = 0.05, 0.5, GAP_DB
"""How much more of the leader may be masked, how much softer the sum may be at an equal peak, and from where on a dip
behind a hit that was not there before counts as a hole: there its length begins to be measured."""
GRAIN = {"masked": 0.005, "loudness": 0.05, "hole": 0.1}
"""Less than this is no change."""
JUDGED = ("kick_masked", "bass_masked", "loudness_at_equal_peak_lu", "gap_db")
MOST_TRIED = 6
"""So many of the best ways are measured before it is said that none will do."""


@dataclass(frozen=True, slots=True)
class Offer:
    """move: what is recommended; None where nothing is. stopped: the best of what would have been worth it otherwise,
    and why it is not recommended."""

    move: Proposal | None = None
    stopped: Proposal | None = None
    why: str = ""


def harms(look: Look, session: Session) -> list[str]:
    """What another state would cost, in words; none where it costs nothing that matters."""
    return [*harms_to_leader(look, session), *harms_to_sum(look, session)]


def harms_to_leader(look: Look, session: Session) -> list[str]:
    """Whether who leads, or the kick where it is open, would be masked."""
    start, now, then = _states(look, session)
    told = []
    judged = now.owner or "kick"
    masked = Course.of(f"{judged}_masked", start, now, then)
    if masked.is_worse(MOST_MASKED, GRAIN["masked"]):
        leads = ", which leads," if now.owner else ""
        told.append(f"the {judged}{leads} would be {100.0 * masked.rise:.0f} % more masked than at first")
    return told


def harms_to_sum(look: Look, session: Session) -> list[str]:
    """Whether both together would be softer at the same peak, or have a hole."""
    start, now, then = _states(look, session)
    told = []
    loudness = Course.of("loudness_at_equal_peak_lu", start, now, then).turned()
    if loudness.is_worse(MOST_SOFTER_LU, GRAIN["loudness"]):
        told.append(f"kick and bass would be {number(loudness.rise)} LU softer at the same peak than at first")
    hole = Course.of("gap_db", start, now, then)
    if hole.is_worse(max(0.0, HOLE_DB - hole.was), GRAIN["hole"]):
        told.append(f"a dip of {number(hole.gets)} dB would open behind the hits")
    return told


def _states(look: Look, session: Session) -> tuple[Evidence, LowEnd, LowEnd]:
    """The low end at first, now, and in another state."""
    now = low_end(look)
    start = bottom.before_all(look.session) or {name: getattr(now, name) for name in JUDGED}
    return start, now, low_end(look.at(session))


@dataclass(frozen=True, slots=True)
class Course:
    """A figure that should be low: at first, now, and then; NaN where it is not known."""

    was: float
    has: float
    gets: float

    @classmethod
    def of(cls, name: str, start: Evidence, now: LowEnd, then: LowEnd) -> "Course":
        first = start.get(name)
        known = (first if isinstance(first, int | float) else None, getattr(now, name), getattr(then, name))
        return cls(*(math.nan if value is None else float(value) for value in known))

    def turned(self) -> "Course":
        """Of a figure that should be high."""
        return Course(-self.was, -self.has, -self.gets)

    @property
    def rise(self) -> float:
        return self.gets - self.was

    def is_worse(self, allowed: float, grain: float) -> bool:
        """Whether it is over its first value by more than is allowed, and higher than now; never where it is
        unknown."""
        return self.rise > allowed + 1e-9 and self.gets - self.has > grain


def first_harmless(look: Look, candidates: Iterable[Proposal], edit: Callable[[Session, Proposal], Session]) -> Offer:
    """The first candidate that costs nothing that matters; else the first of them, and what it would cost."""
    stopped, why = None, ""
    for candidate in itertools.islice(candidates, MOST_TRIED):
        look.stop_if_cancelled()
        costs = harms(look, edit(look.session, candidate))
        if not costs:
            return Offer(candidate)
        if stopped is None:
            stopped, why = candidate, "; ".join(costs)
    return Offer(None, stopped, why)


def on_offer(name: str, find: Callable[[Look], Offer]) -> Figure[Offer]:
    """What is recommended as a figure: the card, what was stopped and the sentence about it look once."""

    def rests_on(look: Look, _prints: Fingerprints, _target: str) -> str:
        start = bottom.before_all(look.session) or {}
        return digest((sorted(fingerprints(look, bottom.DEPENDS_ON).items()), sorted(start.items())))

    return Figure(name, 1, "session", rests_on, lambda look, _target: find(look))


def recommended(offer: Figure[Offer]) -> Callable[[Look], list[Proposal]]:
    """What a rule proposes: its offer."""

    def propose(look: Look) -> list[Proposal]:
        move = look.get(offer).move
        return [move] if move is not None else []

    return propose


def anyway(kind_id: str, offer: Figure[Offer], edit: Callable[[Session, Proposal], Session]) -> Kind:
    """A kind for what was stopped, made only where it is asked for: what it costs comes first."""

    def propose(look: Look) -> list[Proposal]:
        found = look.get(offer)
        move = found.stopped
        if found.move is not None or move is None:
            return []
        title, reason = f"{move.title} (not recommended)", f"Not recommended: {found.why}. {move.reason}"
        return [replace(move, id=kind_id, kind=kind_id, title=title, reason=reason, weight=1.0)]

    return Kind(kind_id, bottom.DEPENDS_ON, propose, edit, optional=True, against=True)
