"""One verdict on kick and bass, which every stage reads: who leads, who is judged, whether the two collide.

*Kick audible* (`measure.sharing.focus`, at least 70 %) is the one figure for the kick. Where the kick leads, or nobody
decided, it judges the bass's level too; where the bass leads, the bass is judged by how much of itself the kick masks,
and level, tail and click of the kick are what yields.
"""

from dataclasses import dataclass

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import BY_FOCUS, Ceiling, ceiling
from all_even.figures.low_end.low_end import owner, pair
from all_even.measure.sharing.focus import BACK_OFF_DB, LIMIT_SHARE

MOST_MASKED = 0.35
"""Where the bass leads: of more than this it has to be freed. Our own rule; the median of 69 pairs is under 0.2."""
SLACK_DB, AT_CEILING_DB = 0.5, 1.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """leader: kick or bass; None where it is open. kick_audible: 0 to 1; bass_masked: by the kick, None where it can't
    be told. limit_db: what the bass may be moved by until 70 % of the kick are left; None: it is never in its way."""

    leader: str | None
    kick_audible: float
    bass_masked: float | None
    limit_db: float | None
    ceiling: Ceiling | None

    @property
    def kick_is_masked(self) -> bool:
        """Whether less of it is left than has to be, by more than a fader's nudge."""
        return self.limit_db is not None and self.limit_db < -SLACK_DB

    @property
    def bass_is_masked(self) -> bool:
        """Whether a bass that leads has to be freed of the kick."""
        return self.leader == "bass" and self.bass_masked is not None and self.bass_masked > MOST_MASKED

    @property
    def collides(self) -> bool:
        """Whether a duck or cuts have something to clear. Not where what holds the bass is not the kick: then more room
        would not be used; nor where it may come up as it is."""
        if self.limit_db is None:
            return False
        if self.limit_db < BACK_OFF_DB + SLACK_DB or self.bass_is_masked:
            return True
        at_ceiling = self.ceiling is not None and self.ceiling.change_db < AT_CEILING_DB
        return self.leader != "bass" and at_ceiling and self.ceiling is not None and self.ceiling.by == BY_FOCUS

    def figure(self) -> str:
        """`Kick audible 83 % (at least 70)`."""
        return f"Kick audible {100.0 * self.kick_audible:.0f} % (at least {100.0 * LIMIT_SHARE:.0f})"

    def sentence(self) -> str:
        """What is so, without what to do."""
        told = self.figure()
        if self.kick_is_masked and self.limit_db is not None:
            told += f": the bass is {number(-self.limit_db)} dB too loud for it"
        if self.bass_is_masked and self.bass_masked is not None:
            told += f"; the bass, which leads, is {100.0 * self.bass_masked:.0f} % masked by it"
        return told


def verdict(look: Look) -> Verdict | None:
    """None where there is nothing to judge: no kick with hits, or no bass that is heard."""
    now = pair(look)
    if now is None or now.focus is None:
        return None
    return Verdict(owner(look), now.focus.at_present, now.bass_masked, now.limit_db, ceiling(look))
