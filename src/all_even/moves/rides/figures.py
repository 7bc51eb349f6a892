"""The figures that moves of rides are judged by, and whom they are about."""

import numpy as np

from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.figures.rides.rides import Riding
from all_even.measure.rides import riding
from all_even.moves.metric import Arguments, Metric
from all_even.session.model import routing, space
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane, Strip
from all_even.session.tracks.importance import weight_of
from all_even.session.tracks.roles import family_of

DEPENDS_ON = ("files", "order", "names", "levels", "routing", "chains", "strips", "settings", "mix")
MEASURED_ON = ("strips", "levels", "routing", "chains", "mix", "files", "order")


def lines(look: Look) -> list[tuple[Lane, Riding]]:
    """Lines that are heard and have enough words to have a usual relation; what leads first. Guides are none."""
    found = []
    for unit in rides.levels(look).units:
        look.stop_if_cancelled()
        lane = unit.head
        if weight_of(lane) == "guide":
            continue
        line = rides.riding_of(look, lane.id)
        if line is not None and line.usual_db is not None:
            found.append((lane, line))
    return sorted(found, key=lambda item: not is_lead(item[0]))


def is_lead(lane: Lane) -> bool:
    return weight_of(lane) == "lead"


def is_voice(lane: Lane) -> bool:
    return family_of(lane.role) == "voices"


def leads(look: Look) -> list[tuple[Lane, Riding]]:
    return [(lane, line) for lane, line in lines(look) if is_lead(lane)]


def lane_of(look: Look, arguments: Arguments) -> Lane | None:
    """The lane that a metric is about; None where it is gone."""
    lane_id = str(arguments.get("strip", ""))
    return look.session.lane(lane_id) if look.session.is_lane(lane_id) else None


def is_plain(session: Session, strip: Strip) -> bool:
    """Whether a fader's ride arrives in the mix as it is: no group on the way does anything but sum, and nothing that
    answers to level is sent to."""
    way = routing.buses_behind(session, strip)
    parallel = [
        send.to for send in strip.sends if send.on and send.to not in {bus.id for bus in space.returns(session)}
    ]
    return not parallel and not any(not station.bypass for bus in way for station in bus.chain)


def apart_db(look: Look, arguments: Arguments) -> float | None:
    """How far the units of a line lie apart over their backing, section by section, dB."""
    lane = lane_of(look, arguments)
    line = rides.riding_of(look, lane.id) if lane is not None else None
    return line.spread_db if line is not None else None


def furthest_off_db(look: Look, arguments: Arguments) -> float | None:
    """How far the one unit of a line that is furthest off lies off what is usual over its backing, dB."""
    lane = lane_of(look, arguments)
    line = rides.riding_of(look, lane.id) if lane is not None else None
    return riding.furthest_db(line.relation_db, line.section) if line is not None else None


def sections_apart_db(look: Look, arguments: Arguments) -> float | None:
    """From the section in which a line lies furthest over its backing to that in which it lies least, medians, dB."""
    lane = lane_of(look, arguments)
    line = rides.riding_of(look, lane.id) if lane is not None else None
    return None if line is None else apart(riding.centres_db(line.relation_db, line.section))


def apart(centres: np.ndarray) -> float | None:
    known = centres[np.isfinite(centres)]
    return float(np.ptp(known)) if len(known) else None


def hidden_share(look: Look, arguments: Arguments) -> float | None:
    """How much of a line the others hide while it sounds, mean over its units by their length, 0 to 1."""
    lane = lane_of(look, arguments)
    line = rides.riding_of(look, lane.id) if lane is not None else None
    if line is None or not len(line):
        return None
    return float(np.average(line.hidden, weights=line.words.ends_s - line.words.starts_s))


APART = Metric("relation-apart", "spread of words over their backing", "dB", 1, 0.5, MEASURED_ON, apart_db)
FURTHEST = Metric(
    "furthest-off", "word furthest from its usual level over the backing", "dB", 1, 0.7, MEASURED_ON, furthest_off_db
)
SECTIONS = Metric("sections-apart", "sections of the line, apart", "dB", 1, 0.7, MEASURED_ON, sections_apart_db)
HIDDEN = Metric("hidden-in-phrases", "masked while it sounds", "", 3, 0.01, MEASURED_ON, hidden_share)
