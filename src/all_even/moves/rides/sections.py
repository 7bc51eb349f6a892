"""A line section by section: where its backing is fuller the whole line is moved, apart from the rides of its words.

That a fuller chorus covers a voice is no unevenness of the singer. Half of the way by default: in a sparse verse it may
well stand further out. A matter of taste.
"""

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import Parameter, number, signed
from all_even.figures.book.look import Look
from all_even.figures.rides.rides import Riding
from all_even.figures.song import SONG
from all_even.measure.rides import riding
from all_even.moves.kind import Kind, value_of
from all_even.moves.rides.figures import DEPENDS_ON, SECTIONS, apart, is_lead, lines
from all_even.moves.rides.written import column, is_predicted, ridden, stands, words
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

SHARE = Parameter("Of the way", "%", 10.0, 100.0, 50.0, 10.0, 0)


def propose(look: Look) -> list[Proposal]:
    made = []
    for lane, line in lines(look):
        found = riding.rides(line.relation_db, line.words.starts_s, line.words.ends_s, line.section)
        made_already = stands(look.session, (KIND.id,), lane.id)
        if found is None or not found.section_db.any() or not is_lead(lane) or made_already:
            continue
        made.append(_proposal(look, lane, line, found.section_db, SHARE.default))
    return made


def _proposal(look: Look, lane: Lane, line: Riding, by: np.ndarray, share: float) -> Proposal:
    names = [section.letter for section in look.get(SONG).sections]
    told = {}
    for section in np.unique(line.section):
        value = float(by[line.section == section][0])
        if value:
            told[int(section)] = value
    said = ", ".join(f"{names[index] if 0 <= index < len(names) else '?'} {signed(0.01 * share * value)} dB"
                     for index, value in told.items())  # fmt: skip
    proposal = KIND.move(
        targets=(lane.id,), of=lane.id, title=f"Ride {lane.name} section by section",
        reason="Its backing is fuller in some sections than in others, and the line stands over it unlike: this is no "
        f"unevenness of the singer, so it is a ride of its own. {number(share, 0)} % of the way: {said}.",
        parameters={
                    **words(look.session, line, by), "share": share,
                    },
        evidence={"sections": len(told)}, metric=SECTIONS, arguments={"strip": lane.id},
        before=apart(riding.centres_db(line.relation_db, line.section)),
        source="predicted" if is_predicted(look.session, lane) else "trial", weight=2.0,
    )  # fmt: skip
    return _expected(look, proposal)


def _by(proposal: Proposal) -> np.ndarray:
    return np.round(0.01 * value_of(proposal, "share") * column(proposal, "rides_db"), 1)


def _expected(look: Look, proposal: Proposal) -> Proposal:
    if proposal.source == "predicted":
        return _changed(proposal)
    return replace(proposal, expected=SECTIONS.read(look.at(_edit(look.session, proposal)), proposal.arguments))


def _changed(proposal: Proposal) -> Proposal:
    if proposal.source != "predicted":
        return replace(proposal, expected=None)
    relation, section = column(proposal, "relations_db"), column(proposal, "sections").astype(np.int64)
    count = min(len(relation), len(section), len(_by(proposal)))
    after = relation[:count] + _by(proposal)[:count]
    return replace(proposal, expected=apart(riding.centres_db(after, section[:count])))


def _edit(session: Session, proposal: Proposal) -> Session:
    starts, ends = column(proposal, "starts_s").tolist(), column(proposal, "ends_s").tolist()
    return ridden(session, proposal, riding.ride_curve(starts, ends, _by(proposal).tolist()))


def _refit(look: Look, proposal: Proposal) -> Proposal:
    return proposal if proposal.expected is not None else _expected(look, proposal)


KIND = Kind(
    "rides.section", DEPENDS_ON, propose, _edit, parameters={"share": SHARE}, changed=_changed,
    refit=_refit, optional=True,
)  # fmt: skip
