"""The lead back where the balance had it: what dynamics, rooms and equalisers took from it since, its fader gives back.

What the balance made of it stands with its moves: the last of them that set faders says how far the lead stood over the
rest then. Judged in the mix, not on the lane: a lead that is as loud as before stands less far out where others came
up, or a room was put around it. Where its fader was moved by hand since, nothing is proposed: somebody wanted it so.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.figures.book.look import Look
from all_even.figures.sources.units import units
from all_even.figures.whole.whole import relations
from all_even.moves.accounts import standing
from all_even.moves.kind import Kind, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

STOOD = "lead_db"
"""What evidence of moves of the balance tells of the lead as they leave it."""
LEAST_DB, MOST_DB = 0.3, 2.0
SAME_DB = 0.05
BY = Parameter("By", "dB", 0.0, 6.0, 1.0, 0.1)


def propose(look: Look) -> list[Proposal]:
    stood, levels = _as_balanced(look.session)
    now = relations(look).lead_db
    if stood is None or now is None or stood - now < LEAST_DB:
        return []
    lanes = [lane for unit in units(look) if unit.standing == "lead" for lane in unit.lanes]
    if any(abs(lane.level_db - levels.get(lane.id, lane.level_db)) > SAME_DB for lane in lanes):
        return []
    by_db = round(min(MOST_DB, stood - now), 1)
    return [
        KIND.move(
            targets=tuple(lane.id for lane in lanes),
            title=f"Lead {signed(by_db, 1)} dB: back where the balance had it",
            reason=f"It stood {number(stood)} dB over the rest, 300 to 3500 Hz, when it was balanced; now it is "
            f"{number(now)} dB, since others came up or a room lies around it.",
            parameters={"by_db": by_db},
            evidence={STOOD: now + by_db, "lead_now_db": now},
            metric=METRIC, before=now, expected=now + by_db, weight=0.5,
        )
    ]  # fmt: skip


def _as_balanced(session: Session) -> tuple[float | None, dict[str, float]]:
    """How far the lead stood out behind the last move of the balance that says so, and the faders that such moves
    set."""
    stood: float | None = None
    levels: dict[str, float] = {}
    for move in standing(session).values():
        set_to = move.parameters.get("levels_db")
        if isinstance(set_to, dict):
            levels |= set_to
        told = move.evidence.get(STOOD)
        if isinstance(told, int | float):
            stood = float(told)
        by_db = move.parameters.get("by_db")
        if move.kind == KIND.id and isinstance(by_db, int | float):
            levels |= {lane: levels[lane] + by_db for lane in move.targets if lane in levels}
    return stood, levels


def _edit(session: Session, proposal: Proposal) -> Session:
    by_db = value_of(proposal, "by_db")
    wanted = {lane.id: lane.level_db for lane in session.lanes if lane.id in proposal.targets}
    return edits.set_levels(session, {lane: LEVEL.clamped(level + by_db) for lane, level in wanted.items()})


def _changed(proposal: Proposal) -> Proposal:
    before = proposal.before
    return replace(proposal, expected=None if before is None else before + value_of(proposal, "by_db"))


def _read(look: Look, _arguments: Arguments) -> float | None:
    return relations(look).lead_db


DEPENDS_ON = ("files", "order", "names", "levels", "strips", "chains", "routing", "settings", "mix")
METRIC = Metric("lead-over-rest", "lead over the rest", "dB", 1, 0.2, DEPENDS_ON, _read)
KIND = Kind("balance.lead-back", DEPENDS_ON, propose, _edit, parameters={"by_db": BY}, changed=_changed)
