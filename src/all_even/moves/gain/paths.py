"""What the moves of Gain look at: the gain paths of all lanes."""

from all_even.figures.arriving import arrival
from all_even.figures.arriving.gain_path import Point, gain_path
from all_even.figures.book.look import Look
from all_even.moves.metric import Arguments
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane


def path_of(look: Look, lane: Lane) -> tuple[Point, ...] | None:
    """The gain path of a lane; the sound is only rendered where there is a chain."""
    flow = look.flow if lane.chain else None
    return gain_path(look.session, lane, look.measures(lane.id), flow)


def level_at(look: Look, arguments: Arguments) -> float | None:
    """RMS while playing at a point of a lane, dBFS. arguments: lane, place."""
    path = path_of(look, look.session.lane(str(arguments["lane"])))
    point = next((item for item in path or () if item.place == arguments["place"]), None)
    return point.level.rms_dbfs if point is not None else None


def arriving_lufs(look: Look, session: Session, lane_id: str) -> float | None:
    """How loud a lane arrives in another state."""
    there = look.at(session)
    lane = session.lane(lane_id)
    measures = there.measures(lane_id)
    if measures is None:
        return None
    return arrival.arrival(session, lane, measures, there.flow if lane.chain else None).integrated_lufs
