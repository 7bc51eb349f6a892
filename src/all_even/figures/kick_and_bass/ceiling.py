"""How loud the basses may be: a ceiling and a floor, from the kick, from everything else, and from who leads.

Where the kick leads, or nobody decided, the kick is the judge: its focus gives a limit and a suggestion under it; with
a short kick that is far too much bass, so the kick's own loudness plus 3 LU and the rest's less 4 LU are caps (found by
trial). Where the bass leads, neither holds it: it may be as loud as all the rest together (without any: 6 LU over the
kick), and it is the kick that goes down. It is a ceiling, not a target: a bass under it is left alone, unless it is 4
LU under the kick.
"""

from dataclasses import dataclass

from all_even.figures.book import flow as flows
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import owner
from all_even.figures.low_end.low_focus import low_focus
from all_even.figures.sources.units import Unit, unit_energy, units
from all_even.measure.level import loudness
from all_even.session.tracks.roles import family_of

OVER_KICK_LU, UNDER_REST_LU, FLOOR_LU = 3.0, -4.0, -4.0
LEADING_UNDER_REST_LU, LEADING_OVER_KICK_LU = 0.0, 6.0
FREE_DB = 99.0
BY_FOCUS, BY_KICK = "the kick's definition", "3 LU over the kick"


@dataclass(frozen=True, slots=True)
class Ceiling:
    """change_db: what the basses may be moved by to be at the ceiling; at_floor_db: to be at the floor. by: what holds
    it down. focus: share of the kick that is audible at present."""

    change_db: float
    at_floor_db: float
    by: str
    focus: float
    bass_re_kick_lu: float


def ceiling(look: Look) -> Ceiling | None:
    """None without a kick, a bass, or a hit to judge."""
    found = units(look)
    kicks = [unit for unit in found if unit.role.startswith("kick")]
    basses = [unit for unit in found if family_of(unit.role) == "bass"]
    rest = [unit for unit in found if unit not in kicks and unit not in basses]
    focus = low_focus(look)
    kick, bass = _lufs(look, kicks), _lufs(look, basses)
    if focus is None or kick is None or bass is None:
        return None
    others = _lufs(look, rest)
    limits: dict[str, float] = {}
    if owner(look) == "bass":
        if others is not None:
            limits["the rest together"] = others + LEADING_UNDER_REST_LU - bass
        else:
            limits["6 LU over the kick"] = kick + LEADING_OVER_KICK_LU - bass
    else:
        limits[BY_FOCUS] = focus.suggestion_db if focus.suggestion_db is not None else FREE_DB
        limits[BY_KICK] = kick + OVER_KICK_LU - bass
        if others is not None:
            limits["4 LU under the rest"] = others + UNDER_REST_LU - bass
    by = min(limits, key=lambda one: limits[one])
    floor = kick + FLOOR_LU - bass
    return Ceiling(max(limits[by], floor), floor, by, focus.at_present, bass - kick)


def _lufs(look: Look, group: list[Unit]) -> float | None:
    """Loudness of several sources together, powers added."""
    energies = [energy for unit in group if (energy := unit_energy(look, unit)) is not None and len(energy)]
    if not energies:
        return None
    total = flows.summed(energies)
    return loudness.integrated_lufs(total)


def bass_lanes(look: Look) -> list[str]:
    """The lanes that move together."""
    return [lane.id for unit in units(look) if family_of(unit.role) == "bass" for lane in unit.lanes]


def kick_lanes(look: Look) -> list[str]:
    """The same of the kicks."""
    return [lane.id for unit in units(look) if unit.role.startswith("kick") for lane in unit.lanes]
