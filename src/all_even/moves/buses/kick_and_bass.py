"""Kick and bass as one group, with a limiter that only their sum reaches.

Tried on their sum as it arrives before it is proposed: where the sum hardly passes the kick's own peak there is nothing
to hold; where the gain moves with the wave, or the limiter works all the time (a slapped bass peaks over the kick), it
would do harm: then a higher ceiling is tried, and if that does not help, none is proposed. Nor where it would be warned
of afterwards: side effects are part of the offer.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from all_even import decibels
from all_even.audio.sides import middle_of
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.processor import Single, numbers
from all_even.figures.arriving.contribution import applied, parts
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import moving
from all_even.measure.level.true_peak import true_peak
from all_even.measure.sharing.duck import RIPPLE_CLEAN_DB, ripple_db
from all_even.moves.buses.finding import STRONGEST_GAIN
from all_even.moves.buses.tracks import bus_named, ids, kicks, of_family, present, shared_bus
from all_even.moves.dynamics.effects import flags
from all_even.moves.kind import Kind, measured_later
from all_even.moves.low_end import guards
from all_even.moves.side_by_side import side_by_side
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane

NAME = "Kick & bass"
OVER_KICK_DB = (0.3, 1.0, 2.0, 3.0)
"""How far over the kick's own peak the safety ceiling stands: the lowest that does no harm."""
MOST_OF_THE_TIME, WORKING_DB = 0.15, 0.1
RELEASE_MS = 80.0

CEILING = numbers(Limiter)["ceiling_db"]


def propose(look: Look) -> list[Proposal]:
    session = look.session
    kick, bass = kicks(session), of_family(session, "bass")
    if not kick or not bass or shared_bus(session, kick, bass) or bus_named(session, NAME) is not None:
        return []
    for trial in tried(look, kick, bass):
        if trial.is_clean:
            move = _proposal(kick, bass, trial)
            if not harms_of(look, edit(session, prepare(look, move))):
                return [move]
    return []


def harms_of(look: Look, session: Session) -> list[str]:
    """What the limiter would be warned of behind it: side effects of its group, and what kick and bass would lose."""
    bus = bus_named(session, NAME)

    def of_group() -> list[str]:
        moved = moving(look.at(session), bus.id) if bus is not None else None
        return flags(moved.side) if moved is not None else []

    both = (of_group, lambda: guards.harms(look, session))
    return [harm for harms in side_by_side(look, lambda find: find(), both) for harm in harms]


def _proposal(kick: list[Lane], bass: list[Lane], trial: "Trial") -> Proposal:
    just = "just" if trial.over_kick_db == OVER_KICK_DB[0] else f"{number(trial.over_kick_db)} dB"
    return KIND.move(
        targets=ids([*kick, *bass]),
        title="Kick and bass as one group with a safety limiter",
        reason="A tame sum of kick and bass is what allows a loud master. The ceiling stands "
        f"{just} over the peak of the kick alone. The kick never touches it, only both together do, by "
        f"{number(trial.strongest_db)} dB at most and {number(100.0 * trial.share, 0)} % of the time.",
        parameters={"basses": ids(bass), "over_kick_db": trial.over_kick_db},
        evidence={
            "kick_tracks": len(kick),
            "bass_tracks": len(bass),
            "ripple_db": trial.ripple_db,
            "working_share": trial.share,
        },
        metric=STRONGEST_GAIN,
        arguments={"bus": NAME, "station": "Limiter"},
        before=0.0,
        expected=-trial.strongest_db,
        source="trial",
        weight=5.0,
    )


@dataclass(frozen=True, slots=True)
class Trial:
    """over_kick_db: where its ceiling stands; strongest_db: the most it takes; share: of the time while anything plays
    in which it works; ripple_db: what its gain adds at the rate of the wave, where it works so little."""

    over_kick_db: float
    strongest_db: float
    share: float
    ripple_db: float | None

    @property
    def is_clean(self) -> bool:
        return self.share <= MOST_OF_THE_TIME and (self.ripple_db is None or self.ripple_db <= RIPPLE_CLEAN_DB)


def tried(look: Look, kick: list[Lane], bass: list[Lane]) -> Iterator[Trial]:
    """The limiter on kick and bass as they arrive, the lowest ceiling first; nothing where one of them does not."""
    sides = {"kick": ids(kick), "bass": ids(bass)}
    found = parts(look, sides)
    if "kick" not in found or "bass" not in found:
        return
    rate = look.session.sample_rate
    peak = true_peak(found["kick"], rate)
    if peak <= 0.0:
        return
    both = found.pop("kick")
    both += found.pop("bass")
    mono = middle_of(both)
    playing = np.abs(mono) > 1e-3 * np.abs(mono).max(initial=0.0)
    for over_db in OVER_KICK_DB:
        look.stop_if_cancelled()
        ceiling_db = CEILING.clamped(decibels.level_db(peak) + over_db)
        gain_db = applied(_safety(ceiling_db), rate, both)
        share = float(np.mean(gain_db[playing] < -WORKING_DB)) if playing.any() else 0.0
        ripple = ripple_db(mono, gain_db, rate) if share <= MOST_OF_THE_TIME else None
        yield Trial(over_db, -float(gain_db.min(initial=0.0)), share, ripple)


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """The ceiling, and what the limiter will then do, from the loudest part of kick alone and of both."""
    basses, over_db = proposal.parameters["basses"], proposal.parameters.get("over_kick_db", OVER_KICK_DB[0])
    assert isinstance(basses, tuple)
    assert isinstance(over_db, float)
    trial = edit(look.session, proposal)
    bus = bus_named(trial, NAME)
    assert bus is not None
    trial = chain_edits.set_chain(trial, bus.id, [])
    kick = look.at(edits.change_strips(trial, present(trial, basses), mute=True)).loudest(bus.id)
    peak = true_peak(kick.astype(np.float32), look.session.sample_rate)
    ceiling = min(0.0, decibels.level_db(peak) + over_db) if peak > 0.0 else 0.0
    ceiling = max(CEILING.low, ceiling)
    both = look.at(trial).loudest(bus.id)
    gain = np.zeros(len(both))
    Single(_safety(ceiling), look.session.sample_rate)(both, None, gain)
    return replace(
        proposal,
        parameters={**proposal.parameters, "ceiling_db": ceiling},
        evidence={**proposal.evidence, "ceiling_dbtp": round(ceiling, 2)},
        expected=float(gain.min(initial=0.0)),
    )


def edit(session: Session, proposal: Proposal) -> Session:
    wanted = present(session, proposal.targets)
    left = {session.lane(lane_id).destination for lane_id in wanted} - {MIX}
    session, bus = routing_edits.group_strips(session, wanted, NAME)
    session = routing_edits.remove_strips(session, [item for item in left if _is_empty(session, item)])
    ceiling_db = proposal.parameters.get("ceiling_db", 0.0)
    return chain_edits.add_station(session, bus, _safety(float(ceiling_db)))  # type: ignore[arg-type]


def _safety(ceiling_db: float) -> Limiter:
    return Limiter(ceiling_db=ceiling_db, release_ms=RELEASE_MS)


def _is_empty(session: Session, bus_id: str) -> bool:
    """Whether nothing leads to a group any more and nothing was done to it."""
    bus = next((bus for bus in session.buses if bus.id == bus_id), None)
    return bus is not None and not bus.chain and not bus.sends and not routing_edits.receives(session, bus_id)


DEPENDS_ON = ("files", "order", "names", "routing", "levels", "strips", "settings")
KIND = Kind(
    "buses.kick-and-bass", DEPENDS_ON, propose, edit, prepare,
    parameters={"ceiling_db": CEILING}, changed=measured_later,
)  # fmt: skip
