"""Pairs on their two sides: overheads, rooms, doubles whose names say left and right.

Common practice: the two microphones of a stereo pair stand fully left and right. Reversed ones are told from the names.
"""

from msgspec.structs import replace

from all_even.figures.book.look import Look
from all_even.moves.balance import costs, pans
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.words import written_out

SIDES = {
    "left": -1.0, "right": 1.0, "links": -1.0, "rechts": 1.0, "li": -1.0, "re": 1.0, "gauche": -1.0, "droite": 1.0,
    "g": -1.0, "d": 1.0, "izq": -1.0, "dcha": 1.0, "sx": -1.0, "dx": 1.0,
}  # fmt: skip
"""What the last word of a name says, in the languages of studios; short ones only count where both of a pair are
there."""


def side_of(lane: Lane) -> float | None:
    """-1 or 1 where a file's name ends with a side."""
    stem = lane.file.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    last = written_out(stem).lower().split()[-1:]
    return SIDES.get(last[0]) if last else None


def pairs(session: Session) -> list[tuple[Lane, Lane]]:
    """Left and right of the lanes whose names are the same but for the side."""
    sides: dict[tuple[str, str], dict[float, Lane]] = {}
    for lane in session.lanes:
        side = side_of(lane)
        if side is not None and not lane.hidden:
            stem = lane.file.rsplit("/", 1)[-1].rsplit(".", 1)[0]
            rest = " ".join(written_out(stem, numbers=True).lower().split()[:-1])
            sides.setdefault((lane.role, rest), {})[side] = lane
    return [(both[-1.0], both[1.0]) for both in sides.values() if len(both) == 2]


def off_side(session: Session) -> dict[str, float]:
    """Lanes of pairs that do not stand on their side at all, and where they belong."""
    found: dict[str, float] = {}
    for left, right in pairs(session):
        if left.pan > -0.2 or right.pan < 0.2:
            found |= {left.id: -1.0, right.id: 1.0}
    return found


def mono_pairs(look: Look) -> dict[str, float]:
    """Those of single channels."""
    prints = look.book.fingerprints(look.session)
    return {i: pan for i, pan in off_side(look.session).items() if prints.channels(i) == 1}


def propose(look: Look) -> list[Proposal]:
    wanted = mono_pairs(look)
    if not wanted:
        return []
    session = look.session
    reversed_ = [lane for lane in map(session.lane, wanted) if lane.pan * wanted[lane.id] < -0.2]
    names = ", ".join(session.lane(lane_id).name for lane_id in list(wanted)[:4])
    return [
        KIND.move(
            targets=tuple(wanted),
            title=f"{len(wanted) // 2} pair{'s' if len(wanted) > 2 else ''} on their two sides",
            reason=f"{names}{' …' if len(wanted) > 4 else ''}: the names say left and right"
            + (", and they stand the other way round." if reversed_ else ", and they stand in the middle.")
            + " Heard from the audience; swap them by hand for the drummer's view.",
            parameters={pans.PANS: wanted},
            evidence={"pairs": len(wanted) // 2, "reversed": len(reversed_)},
            metric=METRIC,
            before=float(len(wanted)),
            expected=0.0,
            weight=6.5,
        )
    ]


def changed(proposal: Proposal) -> Proposal:
    """Those left out stay off their sides."""
    return replace(proposal, expected=None if left_out(proposal) else 0.0)


KIND = Kind(
    "balance.pairs", ("files", "order", "names", "levels"), propose, pans.edit, prepare=costs.told_by(pans.edit),
    parts=pans.parts, changed=changed,
)  # fmt: skip
METRIC = Metric(
    "off-side", "tracks of pairs not on their side", "", 0, 0.0, ("files", "order", "levels"),
    lambda look, _: float(len(mono_pairs(look))),
)  # fmt: skip
