"""What only people know, asked in one sheet before a first mix; and what is assumed where nobody says it.

Roles that no name and no sound says for sure; who leads, where no track is a lead by its role; who leads the low end,
where the figures leave it open; and which approach the balance starts from. Each has an answer that is taken where
nobody gives one, and the report says so.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import kicks_and_basses, owner
from all_even.figures.sources.units import Unit, units
from all_even.figures.sources.who_is_who import likely_roles, unsure_lanes
from all_even.figures.whole.finished import finished
from all_even.moves.balance.starts import first_choice
from all_even.session.editing import edits
from all_even.session.editing.anew import mix_anew
from all_even.session.model.session import Session
from all_even.session.model.settings import BY_FIGURES, Owner
from all_even.session.tracks import naming
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.roles import family_of

NOBODY = ""
"""Nobody leads."""
LEADS_BY_NAME = re.compile(r"\b(lead|ld|solo|melod\w*|top ?line|theme)\b", re.IGNORECASE)
"""Words by which a track says that it leads, whatever it is."""
STRUCK = frozenset({"drums", "percussion", "buses", "other"})


@dataclass(frozen=True, slots=True)
class Unsure:
    """A track somebody has to say something of. likely: roles, the likeliest first; may be empty."""

    lane_id: str
    name: str
    likely: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Questions:
    """unsure: tracks without a sure role. may_lead: (lane id, name) of those that may lead, where no role says who
    does; leads: who is taken then, `NOBODY` where none says so. low_end: whether kick or bass leads the low end is
    open. school: the approach that is taken. finished: why these are taken for stems of a finished mix; empty where
    they are tracks."""

    unsure: tuple[Unsure, ...] = ()
    may_lead: tuple[tuple[str, str], ...] = ()
    leads: str = NOBODY
    low_end: bool = False
    school: str = "voice-first"
    finished: str = ""

    @property
    def count(self) -> int:
        """How many are asked."""
        return len(self.unsure) + bool(self.may_lead) + self.low_end + bool(self.finished) + 1


@dataclass(frozen=True, slots=True)
class Answers:
    """roles: by lane id. lead: a lane id, `NOBODY`, or None where it was not said; so too low_end and school. anew:
    whether stems of a finished mix are mixed anew."""

    roles: Mapping[str, str] = field(default_factory=dict)
    lead: str | None = None
    low_end: Owner | None = None
    school: str | None = None
    anew: bool = False


def questions(look: Look) -> Questions:
    """What is open in a session whose files are measured."""
    found = units(look)
    has_lead = any(unit.standing == "lead" for unit in found)
    may_lead = () if has_lead else tuple((unit.id, unit.name) for unit in found if _may_lead(unit))
    leads = next((unit.id for unit in found if not has_lead and _may_lead(unit) and _says_so(unit)), NOBODY)
    kicks, basses = kicks_and_basses(look.session)
    low_open = bool(kicks) and bool(basses) and owner(look) is None
    school = "voice-first" if leads else first_choice(look)
    unsure = tuple(Unsure(lane.id, lane.name, likely_roles(look, lane)) for lane in unsure_lanes(look))
    done = finished(look)
    return Questions(unsure, may_lead, leads, low_open, school, done.text if done is not None else "")


def _may_lead(unit: Unit) -> bool:
    return family_of(unit.role) not in STRUCK and not is_low_end(unit.role)


def _says_so(unit: Unit) -> bool:
    words = (unit.head.name, naming.stem_of(unit.head).replace("_", " "))
    return any(LEADS_BY_NAME.search(text) for text in words)


def answered(session: Session, asked: Questions, answers: Answers) -> Session:
    """The session with what was said and what is assumed, each a line in the ledger."""
    for lane_id, role in answers.roles.items():
        if session.is_lane(lane_id):
            told = f"{session.strip_name(lane_id)} is {role}"
            session = edits.record(naming.with_role(session, lane_id, role), told)
    lead = asked.leads if answers.lead is None else answers.lead
    if lead != NOBODY and session.is_lane(lead) and session.lane(lead).importance != "lead":
        why = "by its name" if answers.lead is None else "as it was said"
        session = edits.record(
            edits.change_strips(session, [lead], importance="lead"), f"{session.strip_name(lead)} leads", reason=why
        )
    if answers.anew and asked.finished:
        session = edits.record(mix_anew(session), "These stems are to be mixed anew", audible=False)
    if answers.low_end is not None and answers.low_end != session.settings.low_owner:
        whose = "the figures" if answers.low_end == BY_FIGURES else answers.low_end
        changed = edits.set_work(session, low_owner=answers.low_end)
        session = edits.record(changed, f"The low end goes by {whose}", reason="as it was said", audible=False)
    return session


def assumed(session: Session, asked: Questions, answers: Answers) -> tuple[str, ...]:
    """What nobody said, and how it was taken instead; sentences."""
    told = []
    left = [item.name for item in asked.unsure if item.lane_id not in answers.roles]
    if left:
        several = f"{len(left)} tracks have" if len(left) > 1 else "A track has"
        told.append(f"{several} no sure role and were taken as they sound: {', '.join(left)}.")
    if asked.may_lead and answers.lead is None:
        if asked.leads == NOBODY:
            told.append("Nobody leads: no role and no name says who does.")
        else:
            told.append(f"{session.strip_name(asked.leads)} leads, by its name.")
    if asked.low_end and answers.low_end is None:
        told.append("Whether kick or bass leads the low end is open, and was left open.")
    if asked.finished and not answers.anew:
        told.append(asked.finished)
    elif answers.school is None:
        told.append(f"The balance starts {asked.school.replace('-', ' ')}.")
    return tuple(told)
