"""The figures that moves of space are judged by; a return is known by its name."""

from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.figures.space.depth import measured_db
from all_even.moves.buses.tracks import bus_named
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.strips import Bus

DEPENDS_ON = ("files", "order", "names", "levels", "routing", "chains", "strips", "settings", "mix")
MEASURED_ON = ("strips", "levels", "routing", "chains", "mix", "files")


def bus_of(look: Look, arguments: Arguments) -> Bus | None:
    """The return that a metric is about; None where it is gone."""
    return bus_named(look.session, str(arguments.get("bus", "")))


def covered(look: Look, arguments: Arguments) -> float | None:
    """How much of a return the dry mix covers, 0 to 1."""
    bus = bus_of(look, arguments)
    return spaces.figures_of(look, bus.id).covered if bus is not None else None


def low_added_db(look: Look, arguments: Arguments) -> float | None:
    """Energy that a return adds under 250 Hz, dB."""
    bus = bus_of(look, arguments)
    return spaces.figures_of(look, bus.id).low_added_db if bus is not None else None


def lead_hidden_percent(look: Look, arguments: Arguments) -> float | None:
    """How much more of the leads a return hides, %."""
    bus = bus_of(look, arguments)
    hidden = spaces.figures_of(look, bus.id).lead_hidden if bus is not None else None
    return None if hidden is None else 100.0 * hidden


def drop_db(look: Look, arguments: Arguments) -> float | None:
    """By how much the snare's room has fallen under the next kick, dB."""
    bus = bus_of(look, arguments)
    return spaces.drop_at_kick_db(look, bus.id) if bus is not None else None


def depth_db(look: Look, arguments: Arguments) -> float | None:
    """Direct sound of a lane against its returns, measured on the lane alone, dB."""
    lane_id = str(arguments.get("lane", ""))
    return measured_db(look, lane_id) if look.session.is_lane(lane_id) else None


COVERED = Metric("return-covered", "masked by the dry sound", "", 3, 0.01, MEASURED_ON, covered)
LOW = Metric("return-low", "added under 250 Hz", "dB", 2, 0.1, MEASURED_ON, low_added_db)
LEAD = Metric("return-lead", "more of the lead masked", "%", 1, 0.5, MEASURED_ON, lead_hidden_percent)
DROP = Metric("drop-at-kick", "snare's room fallen when the next kick comes", "dB", 0, 3.0, MEASURED_ON, drop_db)
DEPTH = Metric("direct-to-return", "dry over reverb", "dB", 1, 1.5, MEASURED_ON, depth_db)
