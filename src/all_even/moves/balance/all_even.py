"""All even: faders set so that every track that plays arrives equally loud, as a neutral start.

Loudness is the gated loudness of a lane's active parts at the mix bus, with the pan it has. From
there the engineer raises what matters. All lanes then move together so that the mix peaks in the
middle of the window from -6 to -3 dBFS. Muted, hidden and silent lanes, clicks and triggers keep their level.
"""

from all_even import decibels
from all_even.dsp.parameter import LEVEL, LOWEST_LEVEL_DB, number
from all_even.engine import arrival
from all_even.engine.figures.look import Look
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session import edits
from all_even.session.model import Lane, Proposal, Session
from all_even.session.roles import NOT_IN_THE_MIX

EVEN_ENOUGH_LU = 1.0


def even_lanes(look: Look) -> list[Lane]:
    """The lanes that are made even: in sight, not muted, and playing something."""
    return [
        lane
        for lane in look.session.lanes
        if not lane.mute
        and not lane.hidden
        and lane.role not in NOT_IN_THE_MIX
        and (measures := look.measures(lane.id)) is not None
        and measures.integrated_lufs is not None
    ]


def spread_lu(look: Look) -> float | None:
    """Loudest minus quietest lane among those that are made even; None with fewer than two."""
    arriving = [value for lane in even_lanes(look) if (value := _arriving(look, lane)) is not None]
    return max(arriving) - min(arriving) if len(arriving) > 1 else None


def even_levels(look: Look) -> dict[str, float]:
    """A level per lane id at which all arrive as loud as the quietest of them does at 0 dB."""
    at_zero: dict[str, float] = {}
    for lane in even_lanes(look):
        value = _arriving(look, lane)
        if value is not None and lane.level_db > decibels.OFF_DB:
            at_zero[lane.id] = value - lane.level_db
        elif lane.level_db <= decibels.OFF_DB:
            raised = look.at(edits.change_strips(look.session, (lane.id,), level_db=0.0))
            loudness = _arriving(raised, raised.session.lane(lane.id))
            if loudness is not None:
                at_zero[lane.id] = loudness
    if not at_zero:
        return {}
    target = min(at_zero.values())
    return {lane_id: target - loudness for lane_id, loudness in at_zero.items()}


def _arriving(look: Look, lane: Lane) -> float | None:
    measures = look.measures(lane.id)
    if measures is None:
        return None
    flow = look.flow if lane.chain else None
    return arrival.arrival(look.session, lane, measures, flow).integrated_lufs


def propose(look: Look) -> list[Proposal]:
    spread = spread_lu(look)
    if spread is None or spread < EVEN_ENOUGH_LU:
        return []
    levels = even_levels(look)
    trial = look.at(edits.set_levels(look.session, levels)).mix if levels else None
    if trial is None or trial.sample_peak_dbfs is None:
        return []
    # The peak of a sum moves exactly with a gain common to all its parts; only the top of the
    # faders can limit it.
    shift = min(look.session.settings.mix_peak_dbfs - trial.sample_peak_dbfs, LEVEL.high - max(levels.values()))
    final = {lane_id: max(LOWEST_LEVEL_DB, level + shift) for lane_id, level in levels.items()}
    clamped = any(level + shift < LOWEST_LEVEL_DB for level in levels.values())
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="balance",
            title="All even: every track equally loud",
            reason="A neutral start: from here, raise what matters. Faders go from "
            f"{number(min(final.values()))} to {number(max(final.values()))} dB; the mix then peaks at "
            f"{number(trial.sample_peak_dbfs + shift)} dBFS.",
            parameters={"levels_db": final},
            evidence={
                "lanes": len(final),
                "spread_lu": round(spread, 2),
                "mix_peak_at_equal_loudness_dbfs": round(trial.sample_peak_dbfs, 2),
                "mix_peak_aimed_dbfs": look.session.settings.mix_peak_dbfs,
            },
            metric=METRIC.id,
            before=spread,
            expected=None if clamped else 0.0,
            tolerance=METRIC.tolerance,
            weight=10.0,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    """Lanes that are gone since are left out."""
    levels = proposal.parameters["levels_db"]
    assert isinstance(levels, dict)
    present = {lane.id for lane in session.lanes}
    return edits.set_levels(session, {lane_id: level for lane_id, level in levels.items() if lane_id in present})


KIND = Kind("balance.all-even", ("files", "order", "levels", "strips"), propose, edit, starting_point=True)
METRIC = Metric(
    "spread", "spread of loudness among lanes", "LU", 1, 0.3, ("files", "order", "levels", "strips"),
    lambda look, _: spread_lu(look),
)  # fmt: skip
