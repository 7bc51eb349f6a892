"""The bass under its ceiling: as loud as the kick keeps its definition, and never louder than kick and rest allow.

The kick's focus gives a limit, and a suggestion under it; with a short kick that is far too much bass, so the kick's
own loudness plus 3 LU and the rest's less 4 LU are caps (found by trial). It is a ceiling, not a target: a bass under
it is left alone, unless it is 4 LU under the kick.
"""

from dataclasses import dataclass

from all_even import decibels
from all_even.dsp.parameter import LEVEL, number
from all_even.figures.book import flow as flows
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_focus import low_focus
from all_even.figures.sources.units import Unit, unit_energy, units
from all_even.measure.level import loudness
from all_even.moves.kind import Kind, values_of
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of

OVER_KICK_LU, UNDER_REST_LU, FLOOR_LU = 3.0, -4.0, -4.0
WORTH_DB = 1.0


@dataclass(frozen=True, slots=True)
class Ceiling:
    """change_db: what the basses may be moved by to be at the ceiling; at_floor_db: to be at the floor. by: what holds
    it down. focus: at present."""

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
    limits = {"the kick's focus": focus.suggestion_db if focus.suggestion_db is not None else 99.0}
    limits["3 LU over the kick"] = kick + OVER_KICK_LU - bass
    others = _lufs(look, rest)
    if others is not None:
        limits["4 LU under the rest"] = others + UNDER_REST_LU - bass
    by = min(limits, key=lambda name: limits[name])
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
    found = [unit for unit in units(look) if family_of(unit.role) == "bass"]
    return [lane.id for unit in found for lane in unit.lanes]


def propose(look: Look) -> list[Proposal]:
    found = ceiling(look)
    if found is None:
        return []
    if found.change_db < -WORTH_DB:
        change, why = found.change_db, f"over its ceiling, which {found.by} sets"
    elif found.at_floor_db > WORTH_DB:
        change, why = found.at_floor_db, "over 4 LU under the kick: it would only be missed"
    else:
        return []
    lanes = [lane for lane in map(look.session.lane, bass_lanes(look)) if lane.level_db > decibels.OFF_DB]
    levels = {lane.id: LEVEL.clamped(lane.level_db + change) for lane in lanes}
    if not levels or any(abs(levels[lane.id] - lane.level_db - change) > 0.05 for lane in lanes):
        return []
    up = "up" if change > 0.0 else "down"
    return [
        KIND.move(
            targets=tuple(levels),
            title=f"Bass {number(abs(change))} dB {up}",
            reason=f"The bass is {why}. Mute it for a moment: it should be missed, and not be noticed before. The "
            f"focus of the kick is {100.0 * found.focus:.0f} % now; 70 % is the limit.",
            parameters={"levels_db": levels},
            evidence={
                "kick_focus": found.focus,
                "bass_re_kick_lu": found.bass_re_kick_lu,
                "to_ceiling_db": found.change_db,
                "to_floor_db": found.at_floor_db,
                "held_by": found.by,
            },
            metric=METRIC,
            before=found.bass_re_kick_lu,
            expected=found.bass_re_kick_lu + change,
            weight=7.0,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    levels = values_of(proposal, "levels_db")
    return edits.set_levels(session, {i: level for i, level in levels.items() if session.is_lane(i)})


def bass_re_kick_lu(look: Look) -> float | None:
    found = ceiling(look)
    return found.bass_re_kick_lu if found is not None else None


KIND = Kind("balance.bass", ("files", "order", "levels", "strips"), propose, edit)
METRIC = Metric(
    "bass-re-kick", "bass against the kick", "LU", 1, 0.3, ("files", "order", "levels", "strips"),
    lambda look, _: bass_re_kick_lu(look),
)  # fmt: skip
