"""What a view of space shows at once: how far away each lane stands, each return, and where kick and snare fall."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from all_even.figures.book.look import Look
from all_even.figures.song import SONG
from all_even.figures.space import spaces
from all_even.figures.space.depth import Depth, depths
from all_even.figures.space.space_response import Response, response_of
from all_even.figures.space.spaces import ReturnFigures
from all_even.session.model import routing, space


@dataclass(frozen=True, slots=True, eq=False)
class Beat:
    """Times in s after a snare: until the next kick for a quarter of the hits, until the next snare, of a beat. None
    where there is none."""

    kick_s: float | None
    snare_s: float | None
    beat_s: float | None


@dataclass(frozen=True, slots=True, eq=False)
class ReturnView:
    """response: of its chain; figures: what it adds; drop_db: of the snare's room under the next kick, None without."""

    response: Response
    figures: ReturnFigures
    drop_db: float | None


@dataclass(frozen=True, slots=True, eq=False)
class SpaceView:
    depths: Mapping[str, Depth]
    returns: Mapping[str, ReturnView]
    beat: Beat


def space_view(look: Look, tell: "Callable[[SpaceView], object]" = lambda _view: None) -> SpaceView:
    """tell: is given what is known so far, before what takes longer."""
    lanes, when = depths(look), beat(look)
    heard = routing.hearing(look.session).sounding
    buses = [bus for bus in space.returns(look.session) if bus.id in heard]
    found = {bus.id: ReturnView(response_of(look, bus.id), spaces.figures_of(look, bus.id), None) for bus in buses}
    tell(SpaceView(lanes, dict(found), when))
    wall = spaces.wall(look)
    for bus in buses:
        snare = look.session.lane(wall.lane_id) if wall is not None else None
        if snare is not None and space.send_to(snare, bus.id) is not None:
            known = found[bus.id]
            found[bus.id] = ReturnView(known.response, known.figures, spaces.drop_at_kick_db(look, bus.id))
    return SpaceView(lanes, found, when)


def beat(look: Look) -> Beat:
    """Where kick and snare fall in this song."""
    wall, tempo = spaces.wall(look), look.get(SONG).tempo
    snare_s = None
    if wall is not None and len(wall.hits_s) > 1:
        snare_s = float(np.median(np.diff(np.sort(wall.hits_s))))
    return Beat(wall.typical_s if wall is not None else None, snare_s, 60.0 / tempo.bpm if tempo is not None else None)
