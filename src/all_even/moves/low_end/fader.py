"""The bass's fader at Low end: what ducks and cuts could not clear is taken from the level, and its cost is said.

Only while the kick is not audible enough, only as far as it needs, 3 dB at once, and only where nothing that clears is
offered: a fader scores 0 by construction, and the sum is softer at the same peak behind it. Where the bass leads, that
is not given up for the kick: then it goes down as far as it costs nothing, or not at all.
"""

from msgspec.structs import replace

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.ceiling import bass_lanes, ceiling
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.moves.balance.bass_ceiling import MOST_STEP_DB, by_fader, edit
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom, guards
from all_even.moves.low_end.clearing import dynamic_clearing
from all_even.moves.low_end.ducks import duck
from all_even.moves.low_end.guards import Offer, anyway, on_offer, recommended
from all_even.session.model.ledger import Proposal

LEAST_DB = 0.5
STEPS = (1.0, 0.6, 0.3)
"""Shares of the step that are tried, where a smaller one costs less."""


def _offer(look: Look) -> Offer:
    said = verdict(look)
    if said is None or said.limit_db is None or said.limit_db > -LEAST_DB:
        return Offer()
    if look.get(duck.OFFER).move is not None or look.get(dynamic_clearing.OFFER).move is not None:
        return Offer()
    most = max(said.limit_db, -MOST_STEP_DB)
    stopped: Proposal | None = None
    why = ""
    for share in STEPS:
        move = _lowered(look, share * most) if share * most <= -LEAST_DB else None
        if move is None:
            continue
        session = edit(look.session, move)
        leader, both = guards.harms_to_leader(look, session), guards.harms_to_sum(look, session)
        if said.leader != "bass" and not leader:
            given = f" Given up for it: {'; '.join(both)}." if both else ""
            return Offer(replace(move, reason=move.reason + given))
        if not leader and not both:
            return Offer(move)
        if stopped is None:
            stopped, why = move, "; ".join((*leader, *both))
    return Offer(None, stopped, why)


def _lowered(look: Look, change_db: float) -> Proposal | None:
    found, said = ceiling(look), verdict(look)
    if found is None or said is None:
        return None
    title = f"Bass {number(-change_db)} dB down: nothing else clears the kick"
    reason = f"{said.sentence()}. Ducks and cuts have nothing to add here. Less is as good: listen to the kick."
    return by_fader(look, KIND, bass_lanes(look), round(change_db, 1), found, title, reason, weight=5.1)


OFFER = on_offer("bass's fader on offer", _offer)
KIND = Kind("low-end.fader", bottom.DEPENDS_ON, recommended(OFFER), edit)
ANYWAY = anyway("low-end.fader-anyway", OFFER, edit)
