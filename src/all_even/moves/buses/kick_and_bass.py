"""Kick and bass as one group, with a limiter that only their sum reaches."""

import numpy as np
from msgspec.structs import replace

from all_even import decibels
from all_even.dsp.limiter import Limiter
from all_even.dsp.processor import Single, numbers
from all_even.engine.figures.look import Look
from all_even.measure.level.true_peak import true_peak
from all_even.moves.buses.finding import STRONGEST_GAIN
from all_even.moves.buses.tracks import bus_named, ids, kicks, of_family, present, shared_bus
from all_even.moves.kind import Kind
from all_even.session import chain_edits, edits, routing_edits
from all_even.session.model import MIX, Proposal, Session

NAME = "Kick & bass"
SUM_OVER_KICK_DB = 0.3
"""How far over the kick's own peak the safety ceiling stands."""


CEILING = numbers(Limiter)["ceiling_db"]


def propose(look: Look) -> list[Proposal]:
    session = look.session
    kick, bass = kicks(session), of_family(session, "bass")
    if not kick or not bass or shared_bus(session, kick, bass) or bus_named(session, NAME) is not None:
        return []
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="buses",
            targets=ids([*kick, *bass]),
            title="Kick and bass as one group with a safety limiter",
            reason="A tame sum of kick and bass is what allows a loud master. The ceiling stands just over the peak of "
            "the kick alone: the kick never touches it, only both together do.",
            parameters={"basses": ids(bass)},
            evidence={"kick_tracks": len(kick), "bass_tracks": len(bass)},
            metric=STRONGEST_GAIN.id,
            arguments={"bus": NAME, "station": "Limiter"},
            before=0.0,
            tolerance=STRONGEST_GAIN.tolerance,
            source="trial",
            weight=5.0,
        )
    ]


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """The ceiling, and what the limiter will then do, from the loudest part of kick alone and of both."""
    basses = proposal.parameters["basses"]
    assert isinstance(basses, tuple)
    trial = edit(look.session, proposal)
    bus = bus_named(trial, NAME)
    assert bus is not None
    trial = chain_edits.set_chain(trial, bus.id, [])
    kick = look.at(edits.change_strips(trial, present(trial, basses), mute=True)).loudest(bus.id)
    peak = true_peak(kick.astype(np.float32), look.session.sample_rate)
    ceiling = min(0.0, decibels.level_db(peak) + SUM_OVER_KICK_DB) if peak > 0.0 else 0.0
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
    return Limiter(ceiling_db=ceiling_db, release_ms=60.0)


def _is_empty(session: Session, bus_id: str) -> bool:
    """Whether nothing leads to a group any more and nothing was done to it."""
    bus = next((bus for bus in session.buses if bus.id == bus_id), None)
    return bus is not None and not bus.chain and not bus.sends and not routing_edits.receives(session, bus_id)


KIND = Kind(
    "buses.kick-and-bass", ("order", "names", "routing", "levels", "strips"), propose, edit, prepare,
    parameters={"ceiling_db": CEILING}, changed=lambda proposal: replace(proposal, expected=None),
)  # fmt: skip
