"""Left and right equally loud: sources that were placed change sides, as few of them as it takes.

Pairs, ensembles and what stands in the centre stay. Stereo sources are taken to come from both sides alike.
"""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sources.stereo_placement import Stand, alike, gains_of, lopsided_lu, pan_of, stand
from all_even.moves.balance import pans
from all_even.moves.balance.pair_sides import pairs
from all_even.moves.balance.spread import ONE_SEAT
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats

LOPSIDED_LU = 1.0
"""Common practice: a decibel between the sides is heard as a mix that leans."""
EVEN_LU, LEAST_GAIN_LU = 0.5, 0.1
PLACED = 0.1


def wanted_pans(session: Session, found: Stand) -> tuple[dict[str, float], float]:
    """Sources on the other side, by lane id, and what is then left between the sides, LU."""
    paired = {lane.id for both in pairs(session) for lane in both}
    movable = {
        unit.id: pan_of(session, unit)
        for unit, mono in zip(found.units, found.mono, strict=True)
        if mono and len(unit.lanes) == 1 and unit.id not in paired and abs(pan_of(session, unit)) > PLACED
    }
    ids = [unit.id for unit in found.units]
    likes = [{ids[a], ids[b]} for a, b in alike(found, [ids.index(unit_id) for unit_id in movable])]
    turned: dict[str, float] = {}
    best = lopsided_lu(found, gains_of(session, found))
    while best > EVEN_LU:
        trials = {
            unit_id: lopsided_lu(found, gains_of(session, found, {**turned, unit_id: -pan}))
            for unit_id, pan in movable.items()
            if unit_id not in turned and not _beside_one_alike(unit_id, -pan, movable | turned, likes)
        }
        if not trials or min(trials.values()) > best - LEAST_GAIN_LU:
            break
        chosen = min(trials, key=lambda unit_id: trials[unit_id])
        turned[chosen], best = -movable[chosen], trials[chosen]
    return turned, best


def _beside_one_alike(unit_id: str, pan: float, places: dict[str, float], likes: list[set[str]]) -> bool:
    """Whether one that sounds alike stands there already: two at one place are heard as one."""
    others = {other for pair in likes if unit_id in pair for other in pair if other != unit_id}
    return any(abs(places[other] - pan) <= ONE_SEAT for other in others)


def propose(look: Look) -> list[Proposal]:
    found = stand(look)
    if found is None or seats.fitting(look.session) is not None:
        return []
    before = lopsided_lu(found, gains_of(look.session, found))
    if before < LOPSIDED_LU:
        return []
    turned, after = wanted_pans(look.session, found)
    if not turned:
        return []
    names = ", ".join(look.session.lane(lane_id).name for lane_id in turned)
    return [
        KIND.move(
            targets=tuple(turned),
            title=f"The other side for {len(turned)} source{'s' if len(turned) > 1 else ''}",
            reason=f"One side is louder: {number(before)} LU between left and right along the song. With {names} "
            f"opposite, {number(after)} are left. Nobody stands further in or out than now.",
            parameters={pans.PANS: turned},
            evidence={"left_right_rms_lu": before, "turned": len(turned)},
            metric=METRIC,
            before=before,
            expected=after,
            weight=5.5,
        )
    ]


def changed(proposal: Proposal) -> Proposal:
    """With sources left out it is found afterwards."""
    from msgspec.structs import replace

    return replace(proposal, expected=None) if left_out(proposal) else proposal


def between_sides_lu(look: Look) -> float | None:
    found = stand(look)
    return lopsided_lu(found, gains_of(look.session, found)) if found is not None else None


DEPENDS_ON = ("files", "order", "names", "levels", "strips", "settings")
KIND = Kind("balance.lopsided", DEPENDS_ON, propose, pans.edit, parts=pans.parts, changed=changed)
METRIC = Metric("left-right", "left against right", "LU", 1, 0.2, DEPENDS_ON, lambda look, _: between_sides_lu(look))
