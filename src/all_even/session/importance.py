"""How much each track matters, for figures that weigh them: by role, as is common practice in songs.

A voice in front and the drums and bass that carry the song count most; layers less, what was only a
guide nearly nothing.
"""

from typing import Literal

from all_even.session.model import Session
from all_even.session.roles import CLICK_TRACK, REFERENCE, TRIGGER, family_of

Weight = Literal["lead", "carrying", "usual", "layer", "guide"]
"""A field of `session.settings.WorkSettings`."""
BY_ROLE: dict[str, Weight] = {
    "lead voice": "lead", "voice": "lead", "kick": "carrying", "kick out": "usual", "snare top": "carrying",
    "snare bottom": "layer", "sub bass": "usual", "bass amplifier": "usual", "scratch voice": "guide", "room": "layer",
    "band room": "layer",
    "backing voice": "usual", "pad": "layer", TRIGGER: "guide", CLICK_TRACK: "guide",
    REFERENCE: "guide",
}  # fmt: skip
BY_FAMILY: dict[str, Weight] = {"bass": "carrying", "percussion": "layer"}


def importance(session: Session) -> dict[str, float]:
    """Weight of each lane, by lane id, 0 to 1."""
    return {
        lane.id: getattr(session.settings, BY_ROLE.get(lane.role, BY_FAMILY.get(family_of(lane.role), "usual")))
        for lane in session.lanes
    }
