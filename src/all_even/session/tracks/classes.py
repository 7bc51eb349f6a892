"""What a track is in an arrangement: the lead, what carries, support, colour. By role, common practice in songs."""

from typing import Literal

from all_even.session.tracks.roles import NOT_IN_THE_MIX, family_of

Class = Literal["lead", "carrying", "support", "colour"]
CLASSES: tuple[Class, ...] = ("lead", "carrying", "support", "colour")
LEADS = frozenset({"lead voice", "voice"})
CARRYING = frozenset({"kick", "kick out", "snare top", "snare bottom", "drums"})
COLOURS = frozenset(
    {"pad", "overhead", "ride", "cymbal", "hi-hat", "room", "band room", "scratch voice", "printed effect"}
)
CENTRAL = LEADS | CARRYING
LOW_END = frozenset({"kick", "kick out"})
PAIRED = frozenset({"overhead", "room", "band room"})
KIT = frozenset({"hi-hat", "tom", "ride", "cymbal"})


def class_of(role: str) -> Class:
    """The class of a role."""
    if role in LEADS:
        return "lead"
    if role in CARRYING or family_of(role) == "bass":
        return "carrying"
    if role in COLOURS or family_of(role) == "percussion":
        return "colour"
    return "support"


def is_low_end(role: str) -> bool:
    """Kick and bass: what shares the bottom."""
    return role in LOW_END or family_of(role) == "bass"


def stands_central(role: str) -> bool:
    """Whether a role has its place in the centre."""
    return role in CENTRAL or is_low_end(role)


def takes_part(role: str) -> bool:
    """Whether a track is part of the balance."""
    return role not in NOT_IN_THE_MIX
