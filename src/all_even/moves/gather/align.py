"""Microphones of one source brought together: polarity, and the earlier one later by what sound takes to the other.

The gain is that of their low sum, hit by hit; it is proposed only where it also holds on hits it was not chosen on.
Overheads and rooms are left: their distance is a choice.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.dsp.utility import Delay
from all_even.figures.book.look import Look
from all_even.figures.sources.low_sum import low_sum_of
from all_even.figures.sources.relations import Relation, candidate_groups, relations, spare_copies
from all_even.measure.sharing.phase import Sum
from all_even.moves.kind import Kind, left_out, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import alternatives, chain_edits, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

LEAST_MS = 0.03
BY_START_MS = 30.0
"""Further apart files were exported with different starts: then the clip is moved, and not delayed by a station."""
HEADS = ("kick", "snare top", "bass DI", "bass")
"""Whose polarity is taken as right, and the others are held against."""
POLARITY, DELAY = "polarity", "delay"


def head_first(session: Session, relation: Relation) -> tuple[Lane, Lane]:
    """The two lanes, the one that the other is held against first."""
    a, b = session.lane(relation.a), session.lane(relation.b)
    ranks = [HEADS.index(lane.role) if lane.role in HEADS else len(HEADS) for lane in (a, b)]
    return (b, a) if ranks[1] < ranks[0] else (a, b)


def propose(look: Look) -> list[Proposal]:
    found = relations(look)
    aside = set(spare_copies(look.session, found)) | _candidates(look.session, found)
    proposals = []
    for relation in found:
        if relation.kind == "source" and not {relation.a, relation.b} & aside:
            move = asked(look, relation)
            if move is not None:
                proposals.append(move)
    return _one_each(proposals)


def _candidates(session: Session, found: tuple[Relation, ...]) -> set[str]:
    """Lanes that only wait to play another one's part: those are no second microphones."""
    waiting = {lane_id for group in candidate_groups(session, found) for lane_id in group[1:]}
    return waiting | alternatives.waiting(session)


def _one_each(proposals: list[Proposal]) -> list[Proposal]:
    """Not more than one for each lane that is held against another."""
    kept: dict[str, Proposal] = {}
    for move in proposals:
        kept.setdefault(move.targets[1], move)
    return list(kept.values())


def asked(look: Look, relation: Relation, *, proven: bool = True) -> Proposal | None:
    """The move for one relation; None where nothing is to be gained. proven: whether the gain has to hold on held-out
    hits, as it has where nobody asked."""
    session = look.session
    head, other = head_first(session, relation)
    if relation.offset_ms is None:
        return None
    later_ms = relation.offset_ms if head.id == relation.a else -relation.offset_ms  # the other after the head
    polarity = relation.polarity or 1
    together = low_sum_of(look, head.id, other.id)
    if together is None or (abs(later_ms) < LEAST_MS and polarity > 0):
        return None
    if proven and together.proven_db(later_ms, polarity) is None:
        return None
    return _proposal(session, head, other, later_ms, polarity, together)


def _proposal(session: Session, head: Lane, other: Lane, later_ms: float, polarity: int, together: Sum) -> Proposal:
    now = together.gains()
    delay_ms = later_ms if abs(later_ms) >= LEAST_MS else 0.0
    frames = round(abs(delay_ms) * 0.001 * session.sample_rate)
    late, early = (other, head) if delay_ms > 0.0 else (head, other)
    gains = {
        "now": now,
        POLARITY: together.gains(0.0, polarity),
        DELAY: together.gains(delay_ms, 1),
        "both": together.gains(delay_ms, polarity),
    }
    what = []
    if polarity < 0:
        what.append(f"{other.name} polarity inverted")
    if frames:
        what.append(f"{early.name} {number(abs(delay_ms), 2)} ms later")
    away = f" {late.name} comes {number(abs(later_ms), 2)} ms later ({abs(later_ms) * 34.3:.0f} cm)." if frames else ""
    return KIND.move(
        targets=(head.id, other.id),
        of=f"{head.id}.{other.id}",
        title=f"{head.name} and {other.name} together: {', '.join(what)}",
        reason=f"They are one source.{away} Over {len(now.gains_db)} hits their sum below 250 Hz then gains "
        f"{number(gains['both'].mean_db - now.mean_db)} dB (now {number(now.mean_db)} ± {number(now.spread_db)}, then "
        f"{number(gains['both'].mean_db)} ± {number(gains['both'].spread_db)}).",
        parameters={"delay_ms": delay_ms, "polarity": float(polarity)},
        evidence={
            "offset_ms": later_ms,
            "samples": frames,
            "distance_cm": abs(later_ms) * 34.3,
            "polarity": polarity,
            "hits": len(now.gains_db),
            **{f"low_sum_{name}_db": item.mean_db for name, item in gains.items()},
        },
        metric=METRIC,
        arguments={"a": head.id, "b": other.id},
        before=now.mean_db,
        expected=gains["both"].mean_db,
        weight=7.1,
    )


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Polarity and delay, each by itself."""
    head, other = (session.lane(lane_id) for lane_id in proposal.targets)
    delay_ms = value_of(proposal, "delay_ms")
    found = []
    if proposal.parameters["polarity"] == -1.0:
        found.append((POLARITY, f"Polarity of {other.name} inverted"))
    if delay_ms:
        early = head if delay_ms > 0.0 else other
        found.append((DELAY, f"{early.name} {number(abs(delay_ms), 3)} ms later"))
    return found


def changed(proposal: Proposal) -> Proposal:
    out = set(left_out(proposal))
    kept = {POLARITY, DELAY} - out
    name = "both" if len(kept) == 2 else next(iter(kept)) if kept else "now"
    expected = proposal.evidence.get(f"low_sum_{name}_db")
    return replace(proposal, expected=float(expected) if isinstance(expected, int | float) else None)


def edit(session: Session, proposal: Proposal) -> Session:
    head_id, other_id = proposal.targets
    out = left_out(proposal)
    if proposal.parameters["polarity"] == -1.0 and POLARITY not in out:
        inverted = session.lane(other_id).polarity_inverted
        session = edits.change_strips(session, (other_id,), polarity_inverted=not inverted)
    delay_ms = value_of(proposal, "delay_ms")
    if delay_ms and DELAY not in out:
        session = later(session, head_id if delay_ms > 0.0 else other_id, abs(delay_ms))
    return session


def later(session: Session, lane_id: str, by_ms: float) -> Session:
    """A lane later by some ms, to a whole sample: by a delay at the head of its chain, or by its start."""
    lane = session.lane(lane_id)
    frames = round(by_ms * 0.001 * session.sample_rate)
    exact_ms = 1000.0 * frames / session.sample_rate
    if by_ms > BY_START_MS:
        return edits.change_strips(session, (lane_id,), start_s=lane.start_s + exact_ms / 1000.0)
    first = lane.chain[0] if lane.chain else None
    if isinstance(first, Delay) and not first.bypass:
        longer = {"delay_ms": first.delay_ms + exact_ms}
        return chain_edits.change_station(session, lane_id, first.id, **longer)
    return chain_edits.add_station(session, lane_id, Delay(delay_ms=exact_ms), 0)


def low_sum_db(look: Look, arguments: Arguments) -> float | None:
    """Mean gain of two lanes' low sum over the hits, dB."""
    together = low_sum_of(look, str(arguments["a"]), str(arguments["b"]))
    return together.gains().mean_db if together is not None else None


KIND = Kind(
    "gather.align", ("files", "order", "names", "levels", "strips"), propose, edit, changed=changed, parts=parts
)  # fmt: skip
METRIC = Metric(
    "low-sum", "gain summed below 250 Hz", "dB", 1, 0.3, ("files", "order", "levels", "strips"), low_sum_db
)  # fmt: skip
