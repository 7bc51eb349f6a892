"""What an opened station is shown with: the levels its detector hears, the gains it applied, how it changed the level;
and the loudest bars through it, once they are worked out.
"""

from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from all_even.app.desk import Desk
from all_even.dsp.processor import key_of

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.station.panel import StationPanel
    from all_even.figures.book.flow import StripFlow
    from all_even.figures.book.look import Look


def flow_of(desk: Desk, strip_id: str) -> "StripFlow | None":
    """Levels on a strip's way, where they are measured."""
    return desk.flow.strip(desk.session, strip_id) if desk.flow is not None else None


def key_levels(desk: Desk, source: str) -> NDArray[np.float64] | None:
    """(hops, 2) of what a strip brings to its fader and to its keys, or None where it was not measured."""
    from all_even.measure.level.levels import file_hops

    flow = flow_of(desk, source)
    if flow is not None:
        return flow.stations[-1].after if flow.stations else flow.before
    measures = desk.measures(source)
    return file_hops(measures.hops) if measures is not None else None


def open_station(bench: "Bench", panel: "StationPanel", strip_id: str, station_id: str) -> None:
    """Shows a station of a strip, and asks for the loudest bars through it."""
    from all_even.figures.book.flow import change_db

    desk = bench.desk
    chain = desk.session.chain(strip_id)
    at = [station.id for station in chain].index(station_id)
    flow, levels, gains = flow_of(desk, strip_id), None, None
    if flow is not None:
        levels = flow.before if at == 0 else flow.stations[at - 1].after
        gains = flow.stations[at].gain_db
    key = key_of(chain[at])
    if key is not None:
        levels = key_levels(desk, key.source)
    change = change_db(flow, at) if flow is not None else None
    panel.show_station(strip_id, chain[at], levels, gains, change)
    opened = panel.opened
    if opened is not None:
        bench.look_at("loud bars", partial(_bars, opened), partial(panel.show_bars, opened), also=opened, line="long")


def _bars(opened: tuple[str, str], look: "Look") -> object:
    from all_even.figures.dynamics.loud_bars import loud_bars

    return loud_bars(look, *opened)
