"""The snare's room ends at the next kick: the decay time of a return that the snare sends to.

The rule: so that the room has dropped by 20 dB at the distance from snare to kick that a quarter of the hits fall short
of, T = 3 (D - pre-delay + 10 ms) (`measure.space.ending`). A snare lasts itself, and its microphone hears others; so
the time is found on its sound, around where the rule puts it.
"""

import math
from collections.abc import Callable

from msgspec.structs import replace

from all_even.dsp.parameter import Parameter, number
from all_even.dsp.processor import Processor
from all_even.dsp.space.reverb import Reverb
from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.figures.space.space_response import steady
from all_even.measure.space.ending import decay_for_drop_s
from all_even.moves.kind import Kind, measured_later, names_of, value_of
from all_even.moves.space.figures import DEPENDS_ON, DROP
from all_even.session.editing import chain_edits
from all_even.session.model import routing, space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus

DROP_DB, SHORT_OF_DB = 20.0, 3.0
TRIAL_S = 12.0
PLACES, GUESSES = 64, 3
"""Decay times that are looked at: so many, each 2 % longer than the one before. Guesses before the rest is halved."""
SHORTEST_S = 0.2
LASTS = Parameter("Decay time", "s", SHORTEST_S, 6.0, 1.0, 3.0, decimals=2, scale="log")


def ends_at_kick_s(look: Look, reverb: Reverb, chain: Callable[[Reverb], tuple[Processor, ...]]) -> float:
    """The decay time in which the snare's room has dropped by 20 dB when the next kick comes. chain: of the return with
    this reverb. There has to be a wall."""
    found = spaces.wall(look)
    assert found is not None
    rule_s = max(SHORTEST_S, decay_for_drop_s(found.typical_s, reverb.predelay_ms / 1000.0, DROP_DB))
    shortest, ratio = max(SHORTEST_S, 0.4 * rule_s), 1.4 * rule_s / max(SHORTEST_S, 0.4 * rule_s)
    low, high, step = 0, PLACES, 0
    guess = round(PLACES * math.log(rule_s / shortest) / math.log(ratio))
    while high - low > 1:
        guess = min(high - 1, max(low + 1, guess if step < GUESSES else (low + high) // 2))
        time_s = shortest * ratio ** (guess / PLACES)
        drop = spaces.drop_db(look, "", chain(replace(reverb, decay_s=time_s)), longest_s=TRIAL_S)
        low, high = (guess, high) if drop is not None and drop >= DROP_DB else (low, guess)
        # A room of twice the time drops by half as much.
        aim_s = time_s * max(0.1, drop or 0.0) / DROP_DB
        guess, step = math.floor(PLACES * math.log(aim_s / shortest) / math.log(ratio)), step + 1
    return round(shortest * ratio ** ((low + 0.5) / PLACES), 2)


def propose(look: Look) -> list[Proposal]:
    found = spaces.wall(look)
    if found is None:
        return []
    snare, heard = look.session.lane(found.lane_id), routing.hearing(look.session).sounding
    made = []
    for bus in space.returns(look.session):
        reverb = space.reverb_of(bus)
        if reverb is None or bus.id not in heard or space.send_to(snare, bus.id) is None:
            continue
        drop = spaces.drop_at_kick_db(look, bus.id)
        if drop is not None and drop < DROP_DB - SHORT_OF_DB:
            made.append(_proposal(look, bus, reverb, found, drop))
    return made


def _proposal(look: Look, bus: Bus, reverb: Reverb, found: spaces.Wall, drop: float) -> Proposal:
    time_s = ends_at_kick_s(look, reverb, lambda one: _chain(bus, one))
    after = spaces.drop_db(look, bus.id, _chain(bus, replace(reverb, decay_s=time_s)))
    return KIND.move(
        targets=(bus.id,), of=bus.id, title=f"{bus.name}: the snare's room ends at the next kick",
        reason=f"The kick comes {1000.0 * found.typical_s:.0f} ms after the snare, and {number(reverb.decay_s, 2)} s "
        f"leave its room at {number(drop, 0)} dB under its start there; {number(time_s, 2)} s bring it down.",
        parameters={"station": (reverb.id,), "decay_s": time_s},
        evidence={"snare_to_kick_s": found.typical_s, "decay_before_s": reverb.decay_s, "decay_s": time_s},
        metric=DROP, arguments={"bus": bus.name}, before=drop, expected=after, source="trial", weight=4.5,
    )  # fmt: skip


def _chain(bus: Bus, reverb: Reverb) -> tuple[Processor, ...]:
    """The steady stations of a return with another reverb."""
    return tuple(reverb if item.id == reverb.id else item for item in steady(bus.chain))


def _refit(look: Look, proposal: Proposal) -> Proposal:
    bus = look.session.bus(proposal.target)
    reverb = space.reverb_of(bus)
    if reverb is None or proposal.expected is not None:
        return proposal
    now = replace(reverb, decay_s=value_of(proposal, "decay_s"))
    return replace(proposal, expected=spaces.drop_db(look, bus.id, _chain(bus, now)))


def _edit(session: Session, proposal: Proposal) -> Session:
    stations = names_of(proposal, "station")
    decay_s = value_of(proposal, "decay_s")
    return chain_edits.change_station(session, proposal.target, stations[0], decay_s=decay_s)


KIND = Kind(
    "space.snare-time", DEPENDS_ON, propose, _edit, parameters={"decay_s": LASTS}, refit=_refit,
    changed=measured_later,
)  # fmt: skip
