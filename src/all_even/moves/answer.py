"""What a stage answers where it proposes nothing.

Either that nothing is needed, with the figure it judged by, or that it can't judge, why, and what would help. What was
not looked at yet is no answer.
"""

from dataclasses import dataclass

from all_even.figures.book.look import Look
from all_even.figures.sources.who_is_who import unsure_lanes
from all_even.session.model.remark import Press

WHO_IS_WHO = "who-is-who"
"""The command that asks who is who."""
SAY_WHO = "Say who is who"


@dataclass(frozen=True, slots=True)
class Answer:
    """judged: whether the stage could judge. text: with its figure, or because of what not. press: what helps.
    unmended: whether something is wrong that no move mends."""

    judged: bool
    text: str
    press: Press | None = None
    unmended: bool = False

    @property
    def words(self) -> str:
        """The whole sentence."""
        if not self.judged:
            return f"Can’t judge: {self.text}."
        return f"{'No move helps here' if self.unmended else 'Nothing needed'}. {self.text}."


def nothing_needed(text: str) -> Answer:
    return Answer(True, text)


def cant_judge(text: str) -> Answer:
    return Answer(False, text)


def missing(look: Look, what: str, otherwise: str) -> Answer:
    """There is no track of a role. Where somebody has to be named still it may be one of those; else there is none, and
    nothing is needed. what: `a kick`; otherwise: what is so then."""
    unsure = len(unsure_lanes(look))
    if not unsure:
        return nothing_needed(otherwise)
    of = f"{unsure} tracks have" if unsure > 1 else "a track has"
    return Answer(False, f"no track is {what} yet, and {of} no role that is sure", Press(WHO_IS_WHO, SAY_WHO))


def unknown(look: Look) -> Answer | None:
    """Where most tracks are nobody: what rests on roles can't be judged. None where enough are known."""
    in_sight = [lane for lane in look.session.lanes if not lane.hidden]
    unsure = len(unsure_lanes(look))
    if 2 * unsure <= len(in_sight):
        return None
    text = f"{unsure} of {len(in_sight)} tracks have no role that is sure"
    return Answer(False, text, Press(WHO_IS_WHO, SAY_WHO))
