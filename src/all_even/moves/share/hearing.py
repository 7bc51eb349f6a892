"""States of a session made only to be heard: a pair alone, all without it, what was taken away, a guarded sweep."""

from msgspec.structs import replace

from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.utility import Gain
from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane

SWEEP_GAIN_DB, SWEEP_Q = 9.0, 6.0
"""A narrow lift..."""
SWEEP_START_DB = -12.0
"""...that begins quietly..."""
SWEEP_ROOM_DB = 3.0
"""...and is held this much over the lane's own peak at the most."""


def pair_alone(session: Session, lanes: tuple[str, ...]) -> Session:
    """Only these lanes, where they are."""
    others = [lane.id for lane in session.lanes]
    return edits.change_strips(edits.change_strips(session, others, solo=False), lanes, solo=True)


def without(session: Session, lanes: tuple[str, ...]) -> Session:
    """All but these lanes."""
    return edits.change_strips(session, lanes, mute=True)


def taken_away(session: Session, lanes: tuple[str, ...]) -> Session:
    """Only what the equalisers of these lanes took away: the lane before them less the lane behind, as loud as it is.

    What was lifted is heard too, the other way up. Output gains are left aside: they change all of it.
    """
    made: list[Lane] = []
    for lane_id in lanes:
        lane = session.lane(lane_id)
        if not any(isinstance(item, Equaliser | DynamicEqualiser) and not item.bypass for item in lane.chain):
            continue
        plain = tuple(item for item in lane.chain if not isinstance(item, Equaliser | DynamicEqualiser))
        shaped = tuple(replace(item, output_db=0.0) if isinstance(item, Equaliser) else item for item in lane.chain)
        common = {"solo": False, "mute": False, "destination": MIX, "sends": (), "group": None, "automation": ()}
        made.append(replace(lane, id=f"{lane.id}-before"[:60], chain=plain, **common))
        made.append(replace(lane, id=f"{lane.id}-behind"[:60], chain=shaped,
                            polarity_inverted=not lane.polarity_inverted, **common))  # fmt: skip
    silent = tuple(replace(lane, mute=True) for lane in session.lanes)
    mix = replace(session.mix, chain=(), automation=())
    return replace(session, lanes=(*silent, *made), mix=mix)


def sweep(session: Session, lane_id: str, hz: float, peak_dbfs: float | None, *, start: bool) -> Session:
    """A lane alone with a narrow lift at a place, level-limited. peak_dbfs: of the lane before its fader. start: the
    first moment, more quietly."""
    ceiling = min(-6.0, (peak_dbfs if peak_dbfs is not None else -12.0) + SWEEP_ROOM_DB)
    lane = session.lane(lane_id)
    lift = Equaliser(id="sweep-lift", bands=(Band(frequency_hz=hz, gain_db=SWEEP_GAIN_DB, q=SWEEP_Q),))
    guard = (lift, Limiter(id="sweep-guard", ceiling_db=max(-24.0, ceiling)),
             Gain(id="sweep-start", gain_db=SWEEP_START_DB if start else 0.0))  # fmt: skip
    swept = replace(lane, chain=(*lane.chain, *guard))  # made only to be played, so it may be longer than a file's
    lanes = tuple(swept if item.id == lane_id else item for item in session.lanes)
    return pair_alone(replace(session, lanes=lanes), (lane_id,))
