"""All even: faders set so that every track that plays arrives equally loud, as a neutral start.

Loudness is the gated loudness of a lane's active parts at the mix bus, with the pan it has. From
there the engineer raises what matters. All lanes then move together so that the mix peaks in the
middle of the window from -6 to -3 dBFS. Muted, hidden and silent lanes, clicks and triggers keep their level.
"""

from all_even import decibels
from all_even.dsp.parameter import LEVEL, LOWEST_LEVEL_DB, number
from all_even.engine import arrival
from all_even.moves.move import Move, Situation
from all_even.session import edits
from all_even.session.model import Lane, Session
from all_even.session.roles import TRIGGER

MIX_PEAK_WINDOW_DBFS = (-6.0, -3.0)  # common practice: mix peak between -6 and -3 dBFS, never over -3
AIM_DBFS = -4.5
EVEN_ENOUGH_LU = 1.0


def even_lanes(situation: Situation) -> list[Lane]:
    """The lanes that are made even: in sight, not muted, and playing something."""
    return [
        lane
        for lane in situation.session.lanes
        if not lane.mute
        and not lane.hidden
        and lane.role != TRIGGER
        and (measures := situation.measures(lane.id)) is not None
        and measures.integrated_lufs is not None
    ]


def spread_lu(situation: Situation) -> float | None:
    """Loudest minus quietest lane among those that are made even; None with fewer than two."""
    arriving = [value for lane in even_lanes(situation) if (value := _arriving(situation, lane)) is not None]
    return max(arriving) - min(arriving) if len(arriving) > 1 else None


def moves(situation: Situation) -> list[Move]:
    spread = spread_lu(situation)
    if spread is None or spread < EVEN_ENOUGH_LU or situation.measure_mix is None:
        return []
    levels = even_levels(situation)
    if not levels:
        return []
    trial = situation.measure_mix(edits.set_levels(situation.session, levels))
    if trial.sample_peak_dbfs is None:
        return []
    # The peak of a sum moves exactly with a gain common to all its parts; only the top of the
    # faders can limit it.
    shift = min(AIM_DBFS - trial.sample_peak_dbfs, LEVEL.high - max(levels.values()))
    final = {lane_id: max(LOWEST_LEVEL_DB, level + shift) for lane_id, level in levels.items()}
    clamped = any(level + shift < LOWEST_LEVEL_DB for level in levels.values())
    lowest, highest = min(final.values()), max(final.values())
    return [
        Move(
            id="balance.all-even",
            stage="balance",
            target="session",
            title="All even: every track equally loud",
            reason=(
                "A neutral start: from here, raise what matters. Faders go from "
                f"{number(lowest)} to {number(highest)} dB; the mix then peaks at "
                f"{number(trial.sample_peak_dbfs + shift)} dBFS."
            ),
            evidence={
                "lanes": len(final),
                "spread_lu": round(spread, 2),
                "mix_peak_at_equal_loudness_dbfs": round(trial.sample_peak_dbfs, 2),
                "mix_peak_aimed_dbfs": AIM_DBFS,
            },
            edit=lambda session: edits.set_levels(session, final),
            metric="spread of loudness among lanes, LU",
            before=spread,
            expected=None if clamped else 0.0,
            expected_from="predicted",
            measure=spread_lu,
            weight=10.0,
        )
    ]


def even_levels(situation: Situation) -> dict[str, float]:
    """A level per lane id at which all arrive as loud as the quietest of them does at 0 dB."""
    at_zero: dict[str, float] = {}
    for lane in even_lanes(situation):
        value = _arriving(situation, lane)
        if value is not None and lane.level_db > decibels.OFF_DB:
            at_zero[lane.id] = value - lane.level_db
        elif lane.level_db <= decibels.OFF_DB:
            raised = edits.change_strips(situation.session, (lane.id,), level_db=0.0)
            measures = situation.measures(lane.id)
            if measures is not None:
                loudness = arrival.arrival(raised, raised.lane(lane.id), measures, situation.flow).integrated_lufs
                if loudness is not None:
                    at_zero[lane.id] = loudness
    if not at_zero:
        return {}
    target = min(at_zero.values())
    return {lane_id: target - loudness for lane_id, loudness in at_zero.items()}


def mix_peak_moves(situation: Situation) -> list[Move]:
    """One trim at the head of the mix bus where the mix peaks outside the window."""
    mix, session = situation.mix, situation.session
    if mix is None or mix.sample_peak_dbfs is None:
        return []
    peak = mix.sample_peak_dbfs
    low, high = MIX_PEAK_WINDOW_DBFS
    if low <= peak <= high:
        return []
    change = AIM_DBFS - peak
    wanted = session.mix.trim_db + change
    return [
        Move(
            id="balance.trim",
            stage="balance",
            target="mix",
            title=f"Trim the mix by {number(change)} dB",
            reason=(
                f"The mix peaks at {number(peak)} dBFS; it should stay between {number(low, 0)} and "
                f"{number(high, 0)}. One trim keeps the balance as it is."
            ),
            evidence={"mix_sample_peak_dbfs": round(peak, 2), "trim_db": session.mix.trim_db},
            edit=lambda now: edits.set_trim(now, wanted),
            metric="mix sample peak, dBFS",
            before=peak,
            expected=AIM_DBFS,
            expected_from="predicted",
            measure=lambda after: after.mix.sample_peak_dbfs if after.mix else None,
            weight=8.0 if peak > high else 2.0,
        )
    ]


LOW_END_ROLES = frozenset(
    {"kick", "kick out", "bass", "bass DI", "bass amplifier", "sub bass", "synth bass", "double bass"}
)
CENTRAL = 0.1


def low_end_moves(situation: Situation) -> list[Move]:
    """Common practice: the low end stands in the centre."""
    found = []
    for lane in situation.session.lanes:
        if lane.role in LOW_END_ROLES and abs(lane.pan) > CENTRAL and not lane.hidden:
            found.append(_centre(lane))
    return found


def _centre(lane: Lane) -> Move:
    def pan_of(session: Session) -> float:
        return abs(session.lane(lane.id).pan) * 100.0

    return Move(
        id=f"balance.centre.{lane.id}",
        stage="balance",
        target=lane.id,
        title=f"Bring {lane.name} to the centre",
        reason="Low frequencies from one side cost headroom on that side and shift on small speakers.",
        evidence={"pan": round(lane.pan, 3), "role": lane.role},
        edit=lambda session: edits.change_strips(session, (lane.id,), pan=0.0),
        metric="distance from the centre, %",
        before=abs(lane.pan) * 100.0,
        expected=0.0,
        expected_from="predicted",
        measure=lambda after: pan_of(after.session),
        weight=4.0,
    )


def _arriving(situation: Situation, lane: Lane) -> float | None:
    measures = situation.measures(lane.id)
    return arrival.arrival(situation.session, lane, measures, situation.flow).integrated_lufs if measures else None
