"""A return at the level where it is just missed when it is muted; one that muddies the low end or the lead, less of it.

*Place*: a return that is heard by itself, or not at all, is moved to where 97 % of it are covered. *Less mud*: kick and
bass stop sending to it and it gets a high-pass: what is sent matters most (tried). *Out of the lead's way*: where it
hides over 2 % more of the lead, it comes down until it hides no more than that.
"""

from collections import Counter
from typing import Literal

from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.moves.accounts import standing
from all_even.moves.kind import Kind, measured_later, name_of, names_of, value_of
from all_even.moves.metric import Metric
from all_even.moves.space import who
from all_even.moves.space.figures import COVERED, DEPENDS_ON, LEAD, LOW
from all_even.moves.space.short_and_long import LOW_CUT, MOST_LEAD_HIDDEN, MOST_LOW_DB
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import routing, space
from all_even.session.model.ledger import Evidence, Parameters, Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus

OFF_BY, LEAST_DB = 0.01, 0.5
STEP_DB, MOST_STEPS = 0.5, 60
BY = Parameter("By", "dB", -30.0, 30.0, 0.0, 0.5)


def heard_returns(session: Session) -> list[Bus]:
    """Returns that are heard and judged by themselves: the rows of one room stand as they were placed together."""
    heard, found = routing.hearing(session).sounding, space.returns(session)
    rows = Counter(bus.destination for bus in found if bus.destination != MIX)
    return [bus for bus in found if bus.id in heard and rows[bus.destination] < 2]


def _moved(session: Session, bus: Bus, by_db: float) -> Session:
    level_db = LEVEL.clamped(round(bus.level_db + by_db, 1))
    return edits.change_strips(session, (bus.id,), level_db=level_db)


def _proposal(
    kind: Kind,
    bus: Bus,
    metric: Metric,
    before: float,
    expected: float | None,
    *,
    title: str,
    reason: str,
    parameters: Parameters,
    evidence: Evidence,
    weight: float,
    source: Literal["predicted", "trial"] = "predicted",
) -> Proposal:
    """A move of one return, judged by one of its figures."""
    return kind.move(
        targets=(bus.id,), of=bus.id, title=title, reason=reason, parameters=parameters, evidence=evidence,
        metric=metric, arguments={"bus": bus.name}, before=before, expected=expected, source=source, weight=weight,
    )  # fmt: skip


# Just missed.


def _aims(session: Session) -> dict[str, float]:
    """How far the moves that stand wanted their returns to be covered, by name."""
    made = [move for move in standing(session).values() if {"aim", "name"} <= set(move.parameters)]
    return {name_of(move): value_of(move, "aim") for move in made}


def propose_place(look: Look) -> list[Proposal]:
    made, aims = [], _aims(look.session)
    for bus in heard_returns(look.session):
        look.stop_if_cancelled()
        found = spaces.figures_of(look, bus.id)
        if found.covered is None or found.moves_to_db is None or (found.lead_hidden or 0.0) > MOST_LEAD_HIDDEN:
            continue
        if abs(found.covered - spaces.JUST_MISSED) <= OFF_BY or abs(found.moves_to_db) < LEAST_DB:
            continue
        aim = aims.get(bus.name, spaces.JUST_MISSED)
        if min(aim, spaces.JUST_MISSED) - OFF_BY <= found.covered <= max(aim, spaces.JUST_MISSED) + OFF_BY:
            continue  # further under, or further out, by intention
        then = spaces.figures_of(look.at(_moved(look.session, bus, found.moves_to_db)), bus.id)
        if (then.lead_hidden or 0.0) > MOST_LEAD_HIDDEN:
            continue
        loud = found.covered < spaces.JUST_MISSED
        heard = "It is heard by itself" if loud else "It is hardly audible when muted"
        made.append(
            _proposal(
                PLACE, bus, COVERED, found.covered, then.covered,
                title=f"{bus.name} {signed(found.moves_to_db, 1)} dB: just audible when muted",
                reason=f"{heard}: the dry sound covers {number(100.0 * found.covered)} % of it; at 97 % it is felt, "
                "not heard. Mute it to compare.",
                parameters={"by_db": round(found.moves_to_db, 1)},
                evidence={"covered": found.covered, "by_db": found.moves_to_db}, weight=3.0,
            )
        )  # fmt: skip
    return made


def _refit_place(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    bus = look.session.bus(proposal.target)
    then = spaces.figures_of(look.at(_moved(look.session, bus, value_of(proposal, "by_db"))), bus.id)
    return replace(proposal, expected=then.covered)


def _edit_place(session: Session, proposal: Proposal) -> Session:
    return _moved(session, session.bus(proposal.target), value_of(proposal, "by_db"))


PLACE = Kind(
    "space.place", DEPENDS_ON, propose_place, _edit_place, parameters={"by_db": BY}, refit=_refit_place,
    changed=measured_later,
)  # fmt: skip


# Less mud.


def propose_mud(look: Look) -> list[Proposal]:
    made = []
    for bus in heard_returns(look.session):
        found = spaces.figures_of(look, bus.id)
        if found.low_added_db is None or found.low_added_db <= MOST_LOW_DB:
            continue
        low = [lane.id for lane in spaces.senders(look.session, bus) if who.is_low(look, lane)]
        trial = _cleared(look.session, bus, low)
        if trial is look.session:
            continue
        after = spaces.figures_of(look.at(trial), bus.id).low_added_db
        names = ", ".join(look.session.strip_name(lane_id) for lane_id in low)
        what = " and ".join(
            text
            for text, there in (
                (f"{names} send nothing to it any more", bool(low)),
                (f"it gets a high-pass at {number(LOW_CUT.frequency_hz, 0)} Hz", not _has_high_pass(bus)),
            )
            if there
        )
        made.append(
            _proposal(
                MUD, bus, LOW, found.low_added_db, after, title=f"{bus.name}: out of the low end",
                reason=f"It adds {number(found.low_added_db, 2)} dB under 250 Hz, and over {number(MOST_LOW_DB)} is "
                f"mud: {what}.",
                parameters={"lanes": tuple(low)},
                evidence={"low_added_db": found.low_added_db, "low_senders": len(low)}, weight=4.0, source="trial",
            )
        )  # fmt: skip
    return made


def _has_high_pass(bus: Bus) -> bool:
    return any(isinstance(item, HighPass) and not item.bypass and item.frequency_hz >= 120.0 for item in bus.chain)


def _cleared(session: Session, bus: Bus, low: list[str]) -> Session:
    if low:
        session = routing_edits.remove_send(session, low, bus.id)
    return session if _has_high_pass(bus) else chain_edits.add_station(session, bus.id, LOW_CUT)


def _edit_mud(session: Session, proposal: Proposal) -> Session:
    lanes = names_of(proposal, "lanes")
    known = {lane.id for lane in session.lanes}
    return _cleared(session, session.bus(proposal.target), [lane_id for lane_id in lanes if lane_id in known])


MUD = Kind("space.less-mud", DEPENDS_ON, propose_mud, _edit_mud)


# Out of the lead's way.


def propose_lead(look: Look) -> list[Proposal]:
    made = []
    for bus in heard_returns(look.session):
        found = spaces.figures_of(look, bus.id)
        if found.lead_hidden is None or found.lead_hidden <= MOST_LEAD_HIDDEN:
            continue
        by_db, after = _until_clear(look, bus)
        if by_db is None:
            continue
        made.append(
            _proposal(
                CLEAR, bus, LEAD, 100.0 * found.lead_hidden, after,
                title=f"{bus.name} {signed(by_db, 1)} dB: out of the lead's way",
                reason=f"It masks {number(100.0 * found.lead_hidden)} % more of the lead than the dry mix does; over "
                f"{number(100.0 * MOST_LEAD_HIDDEN, 0)} % the lead drowns. Most of that is its own room: sending less "
                "of the lead is the other way.",
                parameters={"by_db": by_db},
                evidence={"lead_hidden_percent": 100.0 * found.lead_hidden, "covered": found.covered}, weight=3.5,
            )
        )  # fmt: skip
    return made


def _until_clear(look: Look, bus: Bus) -> tuple[float | None, float | None]:
    """By how much a return has to come down until it hides no more than it may, and how much it hides then, %."""

    def hidden(steps: int) -> float | None:
        return spaces.figures_of(look.at(_moved(look.session, bus, -STEP_DB * steps)), bus.id).lead_hidden

    low, high = 0, MOST_STEPS
    if (hidden(high) or 1.0) > MOST_LEAD_HIDDEN:
        return None, None
    while high - low > 1:
        middle = (low + high) // 2
        if (hidden(middle) or 0.0) <= MOST_LEAD_HIDDEN:
            high = middle
        else:
            low = middle
    return -STEP_DB * high, 100.0 * (hidden(high) or 0.0)


def _refit_lead(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    bus = look.session.bus(proposal.target)
    then = spaces.figures_of(look.at(_moved(look.session, bus, value_of(proposal, "by_db"))), bus.id).lead_hidden
    return replace(proposal, expected=None if then is None else 100.0 * then)


CLEAR = Kind(
    "space.clear-lead", DEPENDS_ON, propose_lead, _edit_place, parameters={"by_db": BY}, refit=_refit_lead,
    changed=measured_later,
)  # fmt: skip
