"""Order among the tracks: sections together, plain names, leftovers out of sight.

Common practice: one name per track that says what it is, one colour per section, sections together,
leftovers hidden. All of it is shown before it is done and can be undone at once.
"""

from collections import Counter
from itertools import pairwise

from all_even.moves.move import Move, Situation
from all_even.session import edits
from all_even.session.model import Lane, Session
from all_even.session.roles import FAMILIES, ROLES, family_of

_ROLE_ORDER = {role.name: index for index, role in enumerate(ROLES)}
_SIDES = {"l": "left", "left": "left", "r": "right", "right": "right"}


def moves(situation: Situation) -> list[Move]:
    found = [_sections_together(situation), _plain_names(situation)]
    found += [_hide_silent(situation, lane) for lane in situation.session.lanes]
    found += [_use_one_channel(situation, lane) for lane in situation.session.lanes]
    return [move for move in found if move is not None]


def breaks(session: Session) -> int:
    """How often a family ends although more of it follows later; 0 when sections are together."""
    families = [family_of(lane.role) for lane in session.lanes if not lane.hidden]
    changes = sum(a != b for a, b in pairwise(families))
    return changes - max(0, len(set(families)) - 1)


def role_key(lane: Lane) -> tuple[int, int]:
    return FAMILIES.index(family_of(lane.role)), _ROLE_ORDER.get(lane.role, len(ROLES))


def plain_names(session: Session) -> dict[str, str]:
    """A name from its role for every lane that has one: `Snare top`, `Tom 2`, `Overhead left`."""
    counts = Counter(lane.role for lane in session.lanes)
    used: Counter[str] = Counter()
    names = {}
    for lane in session.lanes:
        if lane.role == "unknown":
            continue
        name = lane.role[:1].upper() + lane.role[1:]
        if counts[lane.role] > 1:
            used[lane.role] += 1
            side = _SIDES.get(lane.name.lower().split()[-1])
            name = f"{name} {side or used[lane.role]}"
        names[lane.id] = name
    return names


def _sections_together(situation: Situation) -> Move | None:
    broken = breaks(situation.session)
    if not broken:
        return None
    return Move(
        id="gather.sections",
        stage="gather",
        target="session",
        title="Bring the sections together",
        reason="Lanes of one family stand apart; together they are found and judged faster.",
        evidence={"family_breaks": broken, "lanes": len(situation.session.lanes)},
        edit=lambda session: edits.order_lanes(session, role_key),
        metric="family breaks",
        before=float(broken),
        expected=0.0,
        expected_from="predicted",
        measure=lambda after: float(breaks(after.session)),
        weight=3.0,
    )


def _plain_names(situation: Situation) -> Move | None:
    session = situation.session
    wanted = plain_names(session)
    differing = [lane for lane in session.lanes if lane.id in wanted and lane.name != wanted[lane.id]]
    if len(differing) < 3 or len(differing) * 2 < len(wanted):
        return None
    shown = "; ".join(f"{lane.name} → {wanted[lane.id]}" for lane in differing[:3])

    def edit(now: Session) -> Session:
        for lane_id, name in plain_names(now).items():
            now = edits.change_strips(now, (lane_id,), name=name)
        return now

    return Move(
        id="gather.names",
        stage="gather",
        target="session",
        title=f"Name {len(differing)} lanes by what they are",
        reason=f"The names come from the recording. {shown} …",
        evidence={"lanes_to_rename": len(differing), "roles_known": len(wanted)},
        edit=edit,
        metric="lanes not named by their role",
        before=float(len(differing)),
        expected=0.0,
        expected_from="predicted",
        measure=lambda after: float(
            sum(lane.name != plain_names(after.session).get(lane.id, lane.name) for lane in after.session.lanes)
        ),
        weight=2.0,
    )


def _hide_silent(situation: Situation, lane: Lane) -> Move | None:
    measures = situation.measures(lane.id)
    if measures is None or measures.integrated_lufs is not None or lane.hidden:
        return None
    return Move(
        id=f"gather.hide.{lane.id}",
        stage="gather",
        target=lane.id,
        title=f"Hide {lane.name}",
        reason="The file never passes −70 LUFS: nothing to mix, one row less to read.",
        evidence={"sample_peak_dbfs": measures.sample_peak_dbfs, "duration_s": round(measures.duration_s, 1)},
        edit=lambda session: edits.change_strips(session, (lane.id,), hidden=True, mute=True),
        metric="silent lanes in sight",
        before=1.0,
        expected=0.0,
        expected_from="predicted",
        measure=lambda after: float(not after.session.lane(lane.id).hidden),
        weight=1.0,
    )


def _use_one_channel(situation: Situation, lane: Lane) -> Move | None:
    measures = situation.measures(lane.id)
    if measures is None or not measures.identical_channels or lane.take is not None:
        return None
    return Move(
        id=f"gather.mono.{lane.id}",
        stage="gather",
        target=lane.id,
        title=f"Use one channel of {lane.name}",
        reason=(
            "Both channels hold the same sound. As a mono lane it is panned by the pan law like the others, "
            "3 dB lower in the centre than now."
        ),
        evidence={"correlation": measures.correlation, "channels": measures.channels},
        edit=lambda session: edits.change_strips(session, (lane.id,), take=(1,)),
        metric="channels used",
        before=2.0,
        expected=1.0,
        expected_from="predicted",
        measure=lambda after: float(len(after.session.lane(lane.id).take or (1, 2))),
        weight=0.5,
    )
