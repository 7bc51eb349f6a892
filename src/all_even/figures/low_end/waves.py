"""Kick and bass as waves: how they meet at each hit, as they arrive in the mix."""

from all_even.figures.book.fingerprint import Fingerprints
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_end import HEARD, heard
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.meeting import Meeting, meeting

LONGEST_S, SHORTEST_S = 0.30, 0.08


def waves(look: Look) -> Meeting | None:
    """None where kick, bass or every hit is missing, or where both never sound together."""
    return look.get(WAVES)


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    return HEARD.rests_on(look, prints, target)


def _compute(look: Look, _target: str) -> Meeting | None:
    found = heard(look)
    if found is None:
        return None
    sounds_s = min(LONGEST_S, max(SHORTEST_S, found.tail_ms / 1000.0))
    return meeting(found.kick, found.bass, RATE, found.hits_s, sounds_s)


WAVES = Figure("kick and bass as waves", 1, "session", _rests_on, _compute)
