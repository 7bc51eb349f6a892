"""How much each track matters, for figures that weigh them: by role, as is common practice in songs.

A voice in front and the drums and bass that carry the song count most; layers less, what was only a
guide nearly nothing.
"""

from all_even.session.model.session import Session
from all_even.session.model.settings import Weight
from all_even.session.model.strips import Lane
from all_even.session.tracks.classes import Class, class_of
from all_even.session.tracks.roles import CLICK_TRACK, REFERENCE, TRIGGER, family_of

WORDS: dict[Weight, str] = {
    "lead": "lead", "carrying": "core", "usual": "support", "layer": "background", "guide": "guide",
}  # fmt: skip
"""What each is called where people choose it."""
BY_ROLE: dict[str, Weight] = {
    "lead voice": "lead", "voice": "lead", "kick": "carrying", "kick out": "usual", "snare top": "carrying",
    "snare bottom": "layer", "sub bass": "usual", "bass amplifier": "usual", "scratch voice": "guide", "room": "layer",
    "band room": "layer",
    "backing voice": "usual", "pad": "layer", TRIGGER: "guide", CLICK_TRACK: "guide",
    REFERENCE: "guide",
}  # fmt: skip
BY_FAMILY: dict[str, Weight] = {"bass": "carrying", "percussion": "layer"}


def proposed(role: str) -> Weight:
    """How much a role usually matters."""
    return BY_ROLE.get(role, BY_FAMILY.get(family_of(role), "usual"))


def weight_of(lane: Lane) -> Weight:
    """As it was set, else as its role proposes."""
    return lane.importance or proposed(lane.role)


def importance(session: Session) -> dict[str, float]:
    """Weight of each lane, by lane id, 0 to 1."""
    return {lane.id: getattr(session.settings, weight_of(lane)) for lane in session.lanes}


def standing_of(lane: Lane) -> Class:
    """What a lane is in the arrangement: by its role, unless somebody said that it leads, or that it does not."""
    if lane.importance == "lead":
        return "lead"
    by_role = class_of(lane.role)
    return "support" if by_role == "lead" and lane.importance is not None else by_role
