"""Wider: one side of a part a little later, through a group of its own, as far as mono allows.

Judged by the third octave that loses most in mono: of 10 to 20 ms the longest with which none loses 3 dB more than the
sum of powers says, the late side 6 dB down (equal level loses up to 16.7 dB, tried). A matter of taste.
"""

import math

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.parameter import LEVEL, Parameter, number
from all_even.dsp.processor import Single
from all_even.dsp.space.widener import Widener
from all_even.figures.book.look import Look
from all_even.measure.space import mono
from all_even.moves.buses.tracks import bus_named, free_bus_name
from all_even.moves.kind import Kind, measured_later, name_of, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.moves.space import who
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane
from all_even.session.tracks.importance import weight_of
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
FAMILIES = frozenset({"guitars", "keys", "strings"})
LATE_MS, LATE_DB = (20.0, 15.0, 12.0, 10.0), -6.0
CENTRAL = 0.15
MOST = 2
"""Where everything is wide nothing is."""
LATER = Parameter("Late by", "ms", 5.0, 40.0, 12.0, 0.5)
MEASURED_ON = ("strips", "levels", "routing", "files")


def propose(look: Look) -> list[Proposal]:
    made: list[Proposal] = []
    widened = sum(isinstance(item, Widener) for bus in look.session.buses for item in bus.chain)
    for unit in who.candidates(look) if widened < MOST else ():
        if made:
            break
        look.stop_if_cancelled()
        lane = unit.head
        mono_file = look.book.fingerprints(look.session).channels(lane.id) == 1
        if len(unit.lanes) > 1 or not mono_file or family_of(lane.role) not in FAMILIES or weight_of(lane) == "lead":
            continue
        if abs(lane.pan) > CENTRAL or lane.destination != MIX:
            continue
        found = proposal_for(look, lane)
        if found is not None:
            made.append(found)
    return made


def proposal_for(look: Look, lane: Lane, late_ms: float | None = None) -> Proposal | None:
    """One side of a track late by so much, or by the most that mono bears; None where nothing is borne."""
    sound = look.sound(lane.id)
    samples = sound.read(0, sound.frames).astype(np.float64)
    for ms in (late_ms,) if late_ms is not None else LATE_MS:
        worst = mono.worst_db(_wide(samples, look.session.sample_rate, ms), look.session.sample_rate)
        if worst is not None and (worst >= mono.WORST_DB or late_ms is not None):
            break
    else:
        return None
    name = free_bus_name(look.session, f"{lane.name} wide"[:200])
    return KIND.move(
        targets=(lane.id,), of=lane.id, title=f"{lane.name} wider: one side {number(ms, 0)} ms later",
        reason=f"It stands in the middle, of one channel. Its right side later, 6 dB down; in mono the worst third of "
        f"an octave loses {number(-worst)} dB (3 are told). Its loudness stays. Optional.",
        parameters={"late_ms": ms, "name": (name,)}, evidence={"late_ms": ms, "worst_in_mono_db": worst},
        metric=METRIC, arguments={"bus": name}, expected=worst, source="trial", weight=1.0,
    )  # fmt: skip


def _wide(samples: Array, sample_rate: int, late_ms: float) -> Array:
    """One channel through the widener, as a group hears it."""
    return Single(_station(late_ms), sample_rate)(np.repeat(samples[:, :1], 2, axis=1))


def _station(late_ms: float) -> Widener:
    return Widener(late_ms=late_ms, late_db=LATE_DB)


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    anew = proposal_for(look, look.session.lane(proposal.target), value_of(proposal, "late_ms"))
    return proposal if anew is None else replace(anew, rests_on=proposal.rests_on)


def edit(session: Session, proposal: Proposal) -> Session:
    session, bus = routing_edits.group_strips(session, (proposal.target,), name_of(proposal))
    session = chain_edits.add_station(session, bus, _station(value_of(proposal, "late_ms")))
    # Power of both sides together stays what it was.
    louder_db = -10.0 * math.log10(0.5 * (1.0 + 10.0 ** (LATE_DB / 10.0)))
    return edits.change_strips(session, (bus,), level_db=LEVEL.clamped(round(louder_db, 1)))


def worst_db(look: Look, arguments: Arguments) -> float | None:
    """What the third octave of a bus that loses most loses in mono, dB."""
    bus = bus_named(look.session, str(arguments.get("bus", "")))
    if bus is None or look.book.fingerprints(look.session).strips.get(bus.id) is None:
        return None
    sound = look.sound(bus.id)
    return mono.worst_db(sound.read(0, sound.frames).astype(np.float64), look.session.sample_rate)


METRIC = Metric("worst-in-mono", "worst third of an octave in mono", "dB", 1, 0.5, MEASURED_ON, worst_db)
KIND = Kind(
    "space.wider", ("files", "order", "names", "levels", "routing", "strips", "settings"), propose, edit,
    parameters={"late_ms": LATER}, refit=_refit, changed=measured_later,
    optional=True,
)  # fmt: skip
