"""What a track may be, where its name does not say, or says something else than it sounds like.

The name wins, the program asks: what a track sounds like tells struck, bass and pitched apart, hardly more.
"""

from dataclasses import dataclass

from all_even.measure.recording.character import Character
from all_even.measure.recording.sounding import MOST_SAID, SURE, Kind
from all_even.session.model.strips import Lane
from all_even.session.tracks import naming
from all_even.session.tracks.roles import NOT_IN_THE_MIX, family_of, guessed

CONTRADICTS = 0.90
UNSURE = 0.6
FROM_SOUND: dict[Kind, str] = {"struck": "drums", "bass": "bass", "pitched": "instrument"}
"""The role that says no more than the sound does."""
LIKELY_ROLES: dict[Kind, tuple[str, ...]] = {
    "struck": ("drums", "percussion"),
    "bass": ("bass", "synth bass"),
    "pitched": ("electric guitar", "synthesiser"),
}
LOW_STRUCK = ("kick", "tom")
HIGH_STRUCK = ("hi-hat", "tambourine")
WORDS: dict[Kind, str] = {"struck": "drums or percussion", "bass": "a bass", "pitched": "a pitched instrument"}
LOW_HZ, HIGH_HZ = 160.0, 3500.0


@dataclass(frozen=True, slots=True)
class Question:
    """text: what is asked. roles: two likely answers."""

    text: str
    roles: tuple[str, ...]


def kind_of(role: str) -> Kind:
    """How a role sounds."""
    family = family_of(role)
    return "struck" if family in ("drums", "percussion") else "bass" if family == "bass" else "pitched"


def confidence(lane: Lane, character: Character | None) -> float:
    """How sure a lane's role is, 0 to 1, from its file's name and its sound together; 1 where people said it."""
    if lane.role_said:
        return 1.0
    role, by_name = guessed(naming.stem_of(lane))
    found = character.sounding if character is not None else None
    if role != lane.role:
        if lane.role == "unknown":
            return 0.0
        by_sound_alone = role == "unknown" and lane.role in FROM_SOUND.values()
        return min(MOST_SAID, found.likely) if by_sound_alone and found is not None else 1.0
    if role == "unknown" or role in NOT_IN_THE_MIX or found is None or family_of(role) in ("other", "buses"):
        return by_name
    by_sound = min(MOST_SAID, found.likely)
    if kind_of(role) == found.kind:
        return 1.0 - (1.0 - by_name) * (1.0 - by_sound)
    kept, turned = by_name * (1.0 - by_sound), (1.0 - by_name) * by_sound
    return kept / (kept + turned)


def question(
    role: str, character: Character | None, centroid_hz: float | None = None, sure: float = 1.0
) -> Question | None:
    """What to ask about a lane; None where its name and its sound agree, or where nothing is sure. centroid_hz: where
    its energy lies. sure: of the role (`confidence`)."""
    found = character.sounding if character is not None else None
    if found is None or role in NOT_IN_THE_MIX:
        return None
    said = f"{100.0 * min(MOST_SAID, found.likely):.0f} %"
    if role == "unknown":
        if found.likely < SURE:
            return Question("What is this? Its name does not say, and it could be anything.", ())
        return Question(f"What is this? Probably {WORDS[found.kind]} ({said}).", likely_roles(found.kind, centroid_hz))
    if kind_of(role) != found.kind and found.likely > CONTRADICTS and family_of(role) not in ("other", "buses"):
        sound = f"{WORDS[found.kind]} ({said})"
        text = f"Its name says {role}; it sounds like {sound}. The name holds until you say otherwise."
        return Question(text, likely_roles(found.kind, centroid_hz))
    if sure < UNSURE and family_of(role) not in ("other", "buses"):
        text = f"Its name may say {role} ({100.0 * sure:.0f} % sure). Is it?"
        other = next((item for item in likely_roles(found.kind, centroid_hz) if item != role), None)
        return Question(text, (role, other) if other is not None else (role,))
    return None


def is_unsure(lane: Lane, character: Character | None) -> bool:
    """Whether somebody has to say what a lane is: its name says nothing, or too little, and its sound hardly more."""
    if lane.role_said or lane.role in NOT_IN_THE_MIX:
        return False
    role, _ = guessed(naming.stem_of(lane))
    if role == "unknown":
        return lane.role == "unknown" or lane.role in FROM_SOUND.values()
    return role == lane.role and question(lane.role, character, None, confidence(lane, character)) is not None


def likely_roles(kind: Kind, centroid_hz: float | None) -> tuple[str, ...]:
    """What a track may be that sounds like this, the likeliest first."""
    if kind == "struck" and centroid_hz is not None:
        if centroid_hz < LOW_HZ:
            return LOW_STRUCK
        return HIGH_STRUCK if centroid_hz > HIGH_HZ else ("snare top", "tom")
    return LIKELY_ROLES[kind]


def centroid_hz(third_octave_db: tuple[float | None, ...], midbands_hz: tuple[float, ...]) -> float | None:
    """Where the energy of third octaves lies, Hz."""
    pairs = [
        (10.0 ** (level / 10.0), hertz)
        for level, hertz in zip(third_octave_db, midbands_hz, strict=False)
        if level is not None
    ]
    total = sum(power for power, _ in pairs)
    return sum(power * hertz for power, hertz in pairs) / total if total > 0.0 else None
