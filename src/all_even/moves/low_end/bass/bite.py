"""Bite: a broad bell at 0.7 to 1.5 kHz, by which a small speaker carries the bass and its notes are told apart.

Common practice: lower is nasal, higher is the pick. Which place is a matter of taste; offered is the one at which the
rest of the mix leaves most of the bass to be heard, and only where a small speaker loses the bass. What has nothing
there gains nothing: then harmonics have to be made (`harmonics`).
"""

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number
from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import sounding_basses
from all_even.figures.sources.units import table
from all_even.measure.sharing import masking
from all_even.moves.kind import Kind, value_of
from all_even.moves.low_end.bass import harmonics
from all_even.moves.low_end.bass.harmonics import LEAST_LU, LOST_LU, METRIC
from all_even.moves.low_end.bottom import on_each, with_stations
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
PLACES_HZ = (700.0, 850.0, 1000.0, 1200.0, 1500.0)
GAIN_DB, Q = 3.0, 0.8


def station(place_hz: float) -> Equaliser:
    return Equaliser(bands=(Band(frequency_hz=place_hz, gain_db=GAIN_DB, q=Q),))


def propose(look: Look) -> list[Proposal]:
    lanes = sounding_basses(look.session)
    bass = harmonics.basses_heard(look) if lanes else None
    rate = look.session.sample_rate
    now = harmonics.lost_lu(bass, rate) if bass is not None else None
    if bass is None or now is None or now > -LOST_LU or any(_has_bite(lane) for lane in lanes):
        return []
    left = audible(look, {lane.id for lane in lanes})
    place_hz = max(PLACES_HZ, key=lambda hz: left[int(np.argmin(np.abs(masking.centres_hz() - hz)))])
    after = harmonics.lost_lu(Single(station(place_hz), rate)(bass.astype(np.float64)).astype(np.float32), rate)
    if after is None or after - now < LEAST_LU:
        return []
    return [
        KIND.move(
            targets=tuple(lane.id for lane in lanes),
            title=f"Bite for the bass: {number(GAIN_DB, 0)} dB around {place_hz:.0f} Hz",
            reason=f"On a small speaker the bass loses {number(-now)} LU, then {number(-after)}. At {place_hz:.0f} Hz "
            "the rest of the mix masks it least; lower would sound more nasal, higher more of the pick. Optional.",
            parameters={"place_hz": place_hz},
            evidence={"small_speaker_lu": now, "small_speaker_then_lu": after},
            metric=METRIC,
            before=now,
            expected=after,
            weight=2.0,
        )
    ]


def audible(look: Look, basses: set[str]) -> Array:
    """(bands,) what is to be heard of the basses beside all others in the mix, power as the ear weighs it."""
    found = table(look)
    total = sum(np.asarray(track.spread, dtype=np.float64) for track in found.tracks.values())
    heard = np.zeros(len(masking.centres_hz()))
    for unit in found.units:
        if any(lane.id in basses for lane in unit.lanes):
            track = found.tracks[unit.id]
            heard += ((1.0 - masking.masked_parts(track, np.asarray(total), found.floor)) * track.weight).sum(axis=0)
    return heard


def _has_bite(lane: Lane) -> bool:
    return any(
        isinstance(item, Equaliser)
        and any(band.on and band.gain_db > 0.0 and 600.0 <= band.frequency_hz <= 1700.0 for band in item.bands)
        for item in lane.chain
    )


def edit(session: Session, proposal: Proposal) -> Session:
    place_hz = value_of(proposal, "place_hz")
    return with_stations(session, on_each(proposal.targets, station(place_hz)))


KIND = Kind("low-end.bite", ("files", "order", "mix", "strips", "routing", "settings"), propose, edit, optional=True)
