"""How much each track matters, for figures that weigh them: by role, as is common practice in songs.

A voice in front and the drums and bass that carry the song count most; layers less, what was only a
guide nearly nothing.
"""

from all_even.session.model import Session
from all_even.session.roles import TRIGGER, family_of

LEAD, CARRYING, USUAL, LAYER, GUIDE = 1.0, 0.8, 0.5, 0.35, 0.05
BY_ROLE = {
    "lead voice": LEAD, "voice": LEAD, "kick": CARRYING, "kick out": USUAL, "snare top": CARRYING,
    "snare bottom": LAYER, "sub bass": USUAL, "bass amplifier": USUAL, "scratch voice": GUIDE, "room": LAYER,
    "backing voice": USUAL, "pad": LAYER, TRIGGER: GUIDE,
}  # fmt: skip
BY_FAMILY = {"bass": CARRYING, "percussion": LAYER}


def importance(session: Session) -> dict[str, float]:
    """Weight of each lane, by lane id, 0 to 1."""
    return {
        lane.id: BY_ROLE.get(lane.role, BY_FAMILY.get(family_of(lane.role), USUAL)) for lane in session.lanes
    }  # fmt: skip
