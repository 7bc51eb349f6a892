"""Rumble: what lies under the lowest tone of kick or bass is taken away, where there is anything.

Any phase type can raise the peak: both are rendered and the better one is offered, or none. Minimum phase has no
latency; linear phase costs latency and rings before the hit. Common practice: 30 Hz.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number, signed
from all_even.dsp.processor import Processor, Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import low_copy
from all_even.measure.sharing.low_pair import energy_db
from all_even.moves.kind import Kind, text_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

CUTOFF_HZ = 30.0
UNDER_HZ, OVER_HZ = (8.0, 24.0), (30.0, 250.0)
LEAST_DB = -26.0
"""Level, re 30 to 250 Hz, from which it is worth a filter."""
MOST_PEAK_DB = 1.0


def minimum() -> Processor:
    return HighPass(frequency_hz=CUTOFF_HZ, slope=12)


def linear() -> Processor:
    return Equaliser(bands=(Band(shape="high-pass", frequency_hz=CUTOFF_HZ, q=2.0**-0.5),), phase="linear")


STATIONS = {"minimum": minimum, "linear": linear}


def under_db(low: NDArray[np.float64]) -> float:
    """Energy under 24 Hz re 30 to 250 Hz of a 4 kHz copy, dB."""
    return energy_db(low, UNDER_HZ) - energy_db(low, OVER_HZ)


def propose(look: Look) -> list[Proposal]:
    found = copies(look)
    if found is None:
        return []
    proposals = []
    for lane_id in (*found.kicks, *found.basses):
        lane = look.session.lane(lane_id)
        now = under_db(found.lanes[lane_id])
        if now >= LEAST_DB and not any(cuts_lows(item) for item in lane.chain):
            proposals += _proposal(look, lane, now, lane_id in found.kicks)
    return proposals


def cuts_lows(item: Processor) -> bool:
    """Whether a station is a high-pass, or has one among its bands."""
    if isinstance(item, HighPass):
        return True
    return isinstance(item, Equaliser) and any(band.on and band.shape == "high-pass" for band in item.bands)


def _proposal(look: Look, lane: Lane, now: float, is_kick: bool) -> list[Proposal]:
    rate = look.session.sample_rate
    kept = look.sound(lane.id)
    sound = kept.read(0, kept.frames).astype(np.float64)
    peak = float(np.abs(sound).max(initial=0.0))
    if peak <= 0.0:
        return []
    changes: dict[str, float] = {}
    behind: dict[str, float] = {}
    for phase, make in STATIONS.items():
        station = make()
        out = Single(station, rate)(np.pad(sound, ((0, station.latency_frames(rate)), (0, 0))))
        changes[phase] = 20.0 * float(np.log10(float(np.abs(out).max()) / peak))
        behind[phase] = under_db(low_copy(out[station.latency_frames(rate) :].astype(np.float32), rate))
    allowed = 0.0 if is_kick else MOST_PEAK_DB
    phase = "minimum" if changes["minimum"] <= max(allowed, changes["linear"]) else "linear"
    if changes[phase] > MOST_PEAK_DB:
        return []
    late_ms = 1000.0 * STATIONS[phase]().latency_frames(rate) / rate
    cost = (
        "No latency; it turns the phase above a little"
        if phase == "minimum"
        else f"{number(late_ms, 0)} ms of latency, which are made up for, and a faint ringing before each hit"
    )
    other = "linear" if phase == "minimum" else "minimum"
    return [
        KIND.move(
            targets=(lane.id,),
            of=lane.id,
            title=f"High-pass {lane.name} at {CUTOFF_HZ:.0f} Hz, {phase} phase",
            reason=f"Under 24 Hz it has {number(now)} dB of its low sound: not heard, but it takes headroom. With "
            f"{phase} phase its peak changes by {signed(changes[phase], 1)} dB, with {other} phase by "
            f"{signed(changes[other], 1)}. {cost}.",
            parameters={"phase": phase},
            evidence={"peak_change_minimum_db": changes["minimum"], "peak_change_linear_db": changes["linear"]},
            metric=METRIC,
            arguments={"lane": lane.id},
            before=now,
            expected=behind[phase],
            source="trial",
            weight=3.0,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    make = STATIONS[text_of(proposal, "phase")]
    return with_stations(session, {lane_id: (make(),) for lane_id in proposal.targets})


def _under(look: Look, arguments: Arguments) -> float | None:
    found = copies(look)
    sound = found.lanes.get(str(arguments["lane"])) if found is not None else None
    return under_db(sound) if sound is not None else None


KIND = Kind("low-end.rumble", bottom.DEPENDS_ON, propose, edit, optional=True)
METRIC = Metric("rumble", "energy under 24 Hz", "dB", 1, 1.0, bottom.MEASURED, _under)
