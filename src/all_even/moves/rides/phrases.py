"""Voices phrase by phrase: each word or phrase to where the line usually stands over its backing.

What counts is the relation to the backing, not the level of the voice: a crescendo of the whole band needs no ride. The
units are listed, most hidden first; any can be left out. By fader after compression, or by region gain before it
(schools). What is predicted is arithmetic on the measured relations; where a group's compressor or the line's own
chain answers to the ride it is a trial.
"""

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import texts
from all_even.dsp.parameter import Parameter, number, signed, time_text
from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.figures.rides.rides import Riding
from all_even.measure.rides import riding
from all_even.moves.kind import Kind, left_out, value_of
from all_even.moves.rides.figures import APART, DEPENDS_ON, FURTHEST, is_lead, is_voice, lines
from all_even.moves.rides.written import column, is_predicted, parameter_of, ridden, stands, words
from all_even.session.editing import automating, ride_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
Sections = NDArray[np.int64]
LEAST = Parameter("Ride from", "dB", 0.5, 6.0, riding.LEAST_DB, 0.5)
MOST = Parameter("At most", "dB", 1.0, 12.0, riding.MOST_DB, 0.5)
LISTED = 12
REST = "rest"
WORTH_DB = 2.5
"""Lines of which no word is further off than this are left: an even voice gives up to 2 dB by itself. Not the spread:
one lost word among many hardly moves it, and such a ride is told by the word that is furthest off."""
ARITHMETIC: dict[str, Callable[[Array, Sections], float | None]] = {
    APART.id: riding.spread_db, FURTHEST.id: riding.furthest_db,
}  # fmt: skip
"""What is expected of each figure from relations and sections."""
SOLO_SHARE = 0.6
"""What sounds for more of the song than this is an accompaniment, whose changes belong to the arrangement."""
CLEAR_DB = 14.0
"""Under this the others bleed into the line: a ride raises them with it."""


def propose(look: Look) -> list[Proposal]:
    return _propose(look, KIND, lambda lane, _line: is_lead(lane) or is_voice(lane))


def propose_solos(look: Look) -> list[Proposal]:
    length_s = max(1.0, rides.levels(look).power.shape[1] * rides.levels(look).frame_s)

    def is_solo(lane: Lane, line: Riding) -> bool:
        sounds = float((line.words.ends_s - line.words.starts_s).sum())
        return not is_lead(lane) and not is_voice(lane) and sounds < SOLO_SHARE * length_s

    return _propose(look, SOLOS, is_solo)


def _propose(look: Look, kind: Kind, wanted: Callable[[Lane, Riding], bool]) -> list[Proposal]:
    made = []
    for lane, line in lines(look):
        if wanted(lane, line) and not stands(look.session, (KIND.id, SOLOS.id), lane.id):
            found = _proposal(look, kind, lane, line, LEAST.default, MOST.default)
            if found is not None:
                made.append(found)
    return made


def _proposal(look: Look, kind: Kind, lane: Lane, line: Riding, least_db: float, most_db: float) -> Proposal | None:
    up_db = _room_db(look.session, lane)
    found = riding.rides(line.relation_db, line.words.starts_s, line.words.ends_s, line.section,
                         least_db=least_db, most_db=most_db, up_db=up_db)  # fmt: skip
    if found is None or np.abs(found.units_db).max() < WORTH_DB:
        return None
    moved = np.flatnonzero(found.units_db)
    order = [int(unit) for unit in line.worst if unit in set(moved.tolist())]
    worst = order[0]
    bleed = line.clear_db is not None and line.clear_db < CLEAR_DB
    proposal = kind.move(
        targets=(lane.id,), of=lane.id, title=f"Ride {texts.count(len(moved), _unit(lane))} of {lane.name}",
        reason=f"Over its backing it usually stands at {number(found.usual_db)} dB; "
        f"{'this one lies' if len(moved) == 1 else 'these lie'} beside it. Most masked: "
        f"{time_text(float(line.words.starts_s[worst]))}, {number(100.0 * line.hidden[worst], 0)} % of it, "
        f"{signed(float(found.units_db[worst]))} dB. Ramps lie in the gaps and end 20 ms before each {_unit(lane)}."
        + (f" Its fader goes up by {number(up_db)} dB only." if up_db < most_db else "")
        + (" Others bleed into this track: they come up with it." if bleed else ""),
        parameters={
                    **words(look.session, line, found.units_db),
                    "least_db": least_db, "most_db": most_db, "made_with": (f"{least_db}", f"{most_db}"),
                    "order": tuple(str(unit) for unit in order),
                    },
        evidence={"words": len(line), "ridden": len(moved), "usual_over_backing_db": found.usual_db,
                  "most_hidden": float(line.hidden.max()), "clear_of_bleed_db": line.clear_db},
        metric=APART, arguments={"strip": lane.id}, before=line.spread_db,
        source="predicted" if is_predicted(look.session, lane) else "trial",
        weight=8.0 if is_lead(lane) else 4.0 if is_voice(lane) else 1.5,
    )  # fmt: skip
    told = _expected(look, proposal)
    if kind.is_told_from_nothing(told):
        return told
    furthest = riding.furthest_db(line.relation_db, line.section)
    return _expected(look, replace(proposal, metric=FURTHEST.id, tolerance=FURTHEST.tolerance, before=furthest))


def _unit(lane: Lane) -> str:
    """What is ridden of it, in words."""
    return "word" if is_voice(lane) else "phrase"


def _room_db(session: Session, lane: Lane) -> float:
    """How far up what is ridden goes still, dB."""
    parameter = parameter_of(session)
    described = automating.automatable(lane, parameter)
    curve = ride_edits.curve_of(session, lane.id, parameter)
    return max(0.0, described.high - max((value for _, value in curve), default=ride_edits.rest_of(
        session, lane.id, parameter)))  # fmt: skip


def _expected(look: Look, proposal: Proposal) -> Proposal:
    """What then comes: by arithmetic, or tried out."""
    if proposal.source == "predicted":
        return _changed(proposal)
    metric = FURTHEST if proposal.metric == FURTHEST.id else APART
    return replace(proposal, expected=metric.read(look.at(_edit(look.session, proposal)), proposal.arguments))


def rides_of(proposal: Proposal) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(starts s, ends s, rides dB) of all units; those that are left out at 0."""
    starts, ends, by = (column(proposal, name) for name in ("starts_s", "ends_s", "rides_db"))
    count = min(len(starts), len(ends), len(by))
    out = set(left_out(proposal))
    by = by[:count].copy()
    for name, unit in _named(proposal):
        if name in out and unit < count:
            by[unit] = 0.0
    return starts[:count], ends[:count], by


def _named(proposal: Proposal) -> list[tuple[str, int]]:
    """Each ridden unit with the id it has among the parts: the most hidden by themselves, the others together."""
    order = [int(value) for value in column(proposal, "order")]
    return [(str(place) if place < LISTED else REST, unit) for place, unit in enumerate(order)]


def _parts(_session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    starts, ends, by = (column(proposal, name) for name in ("starts_s", "ends_s", "rides_db"))
    told = [
        (name, f"{time_text(starts[unit])} to {time_text(ends[unit])}, {signed(by[unit])} dB")
        for name, unit in _named(proposal) if name != REST and unit < min(len(starts), len(ends), len(by))
    ]  # fmt: skip
    rest = sum(name == REST for name, _ in _named(proposal))
    return [*told, (REST, f"the other {rest}")] if rest else told


def _changed(proposal: Proposal) -> Proposal:
    """What is expected by arithmetic; where that does not hold it is tried anew."""
    if proposal.source != "predicted":
        return replace(proposal, expected=None)
    if not _as_measured(proposal):
        return replace(proposal, expected=None)
    _, _, by = rides_of(proposal)
    relation, section = column(proposal, "relations_db"), column(proposal, "sections").astype(np.int64)
    count = min(len(by), len(relation), len(section))
    return replace(proposal, expected=ARITHMETIC[proposal.metric](relation[:count] + by[:count], section[:count]))


def _as_measured(proposal: Proposal) -> bool:
    """Whether the rides that are listed are those of the limits that are set."""
    least, most = value_of(proposal, "least_db"), value_of(proposal, "most_db")
    return proposal.parameters.get("made_with") == (f"{least}", f"{most}")


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Other limits make other rides; others left out are tried anew."""
    if proposal.expected is not None:
        return proposal
    lane_id = proposal.targets[0]
    kind = KIND if proposal.kind == KIND.id else SOLOS
    least, most = value_of(proposal, "least_db"), value_of(proposal, "most_db")
    if not _as_measured(proposal):
        line = rides.riding_of(look, lane_id)
        anew = _proposal(look, kind, look.session.lane(lane_id), line, least, most) if line is not None else None
        if anew is None:
            return proposal
        return replace(anew, rests_on=proposal.rests_on)
    return _expected(look, proposal)


def _edit(session: Session, proposal: Proposal) -> Session:
    starts, ends, by = rides_of(proposal)
    return ridden(session, proposal, riding.ride_curve(starts.tolist(), ends.tolist(), by.tolist()))


KIND = Kind(
    "rides.phrases", DEPENDS_ON, propose, _edit, parameters={"least_db": LEAST, "most_db": MOST}, changed=_changed,
    refit=_refit, parts=_parts,
)  # fmt: skip
SOLOS = Kind(
    "rides.solos", DEPENDS_ON, propose_solos, _edit, parameters={"least_db": LEAST, "most_db": MOST}, changed=_changed,
    refit=_refit, parts=_parts, optional=True,
)  # fmt: skip
