"""Where players sit, seen from the audience: rows from the front, and a bearing that is the pan.

Line-ups of acoustic ensembles are common practice, from memory: string quartets with first and second violin on the
left, viola and cello on the right; brass quintets in a half circle with the trumpets outside; big bands with saxophones
in front of trombones in front of trumpets; choirs with high voices left, low voices right.
"""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from all_even.session.model.session import Session
from all_even.session.model.strips import BACK_ROW, Lane
from all_even.session.tracks.roles import family_of

Seat = tuple[float, int]
"""Bearing from -1 (left) to 1, and row."""
ROW_OF_ROLE = {
    "lead voice": 0, "voice": 0, "backing voice": 2, "pad": 3, "overhead": 4, "room": 4, "band room": 4,
    "double bass": 2,
}  # fmt: skip
ROW_OF_FAMILY = {
    "drums": 3, "percussion": 3, "bass": 2, "guitars": 1, "keys": 1, "winds & brass": 2, "strings": 1, "voices": 1,
}  # fmt: skip


def row_of(lane: Lane) -> int:
    """The row a lane sits in: as it was set, else where its role usually is."""
    if lane.seat_row is not None:
        return lane.seat_row
    return min(BACK_ROW, ROW_OF_ROLE.get(lane.role, ROW_OF_FAMILY.get(family_of(lane.role), 2)))


@dataclass(frozen=True, slots=True)
class LineUp:
    """seats: for each role its players' seats, in the order of the lanes. fewest: players it takes to be one."""

    key: str
    name: str
    seats: Mapping[str, tuple[Seat, ...]]
    fewest: int


LINE_UPS: tuple[LineUp, ...] = (
    LineUp(
        "string-quartet", "String quartet",
        {
            "violin": ((-0.55, 0), (-0.2, 1)), "viola": ((0.2, 1),), "cello": ((0.55, 0),), "double bass": ((0.75, 1),),
        }, 3,
    ),
    LineUp(
        "brass-quintet", "Brass quintet",
        {
            "trumpet": ((-0.6, 0), (0.6, 0)), "horn": ((-0.25, 1),), "trombone": ((0.25, 1),), "tuba": ((0.0, 2),),
            "bass trombone": ((0.0, 2),),
        }, 4,
    ),
    LineUp(
        "big-band", "Big band",
        {
            "saxophone": ((-0.5, 0), (-0.25, 0), (0.0, 0), (0.25, 0)), "baritone saxophone": ((0.5, 0),),
            "trombone": ((-0.35, 1), (-0.1, 1), (0.15, 1)), "bass trombone": ((0.4, 1),),
            "trumpet": ((-0.4, 2), (-0.15, 2), (0.1, 2), (0.35, 2)), "piano": ((-0.8, 1),),
            "double bass": ((-0.65, 2),), "electric guitar": ((-0.7, 1),),
        }, 8,
    ),
    LineUp(
        "choir", "Choir",
        {"backing voice": ((-0.7, 1), (-0.25, 1), (0.25, 1), (0.7, 1), (-0.5, 2), (0.0, 2), (0.5, 2))}, 4,
    ),
)  # fmt: skip
"""Acoustic ensembles, which stand where they stood."""
RHYTHM = frozenset({"kick", "snare top", "drums", "synth bass", "bass DI", "bass amplifier", "bass"})


def fitting(session: Session) -> LineUp | None:
    """The line-up that the lanes in sight make: enough of its players, hardly anybody else, and no band."""
    lanes = [lane for lane in session.lanes if not lane.hidden and not lane.mute and lane.role != "unknown"]
    roles = Counter(lane.role for lane in lanes)
    for line_up in LINE_UPS:
        inside = sum(count for role, count in roles.items() if role in line_up.seats)
        band = any(role in RHYTHM for role in roles) and line_up.key != "big-band"
        rooms = sum(count for role, count in roles.items() if role in ("room", "band room", "overhead", "lead voice"))
        if inside >= line_up.fewest and not band and inside + rooms >= 0.8 * len(lanes):
            return line_up
    return None


def seats_for(session: Session, line_up: LineUp) -> dict[str, Seat]:
    """A seat for each lane that has one in the line-up; more players than seats share them."""
    turn: Counter[str] = Counter()
    found: dict[str, Seat] = {}
    for lane in session.lanes:
        places = line_up.seats.get(lane.role)
        if places and not lane.hidden:
            found[lane.id] = places[turn[lane.role] % len(places)]
            turn[lane.role] += 1
    return found
