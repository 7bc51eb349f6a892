"""Dynamic clearing: where the kick is strong the bass steps back a few dB, only while the kick sounds.

A bell on the bass at the kick's own peak, keyed by the kick: its sub and its harmonics stay, so do its notes between
the hits. Of all clearings that were tried it is worth most beside a fader (1.6 dB in the middle, static cuts 0.5).
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.parameter import number
from all_even.dsp.processor import Key, Processor, numbers
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import Copies
from all_even.late import scipy
from all_even.measure.pitch.pitch import named
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.low_pair import PairFigures
from all_even.moves.kind import Kind, measured_later
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import ROOM, Bottom, beside_a_fader, evidence, on_each, with_stations
from all_even.moves.low_end.clearing import low_spectra
from all_even.moves.low_end.guards import Offer, anyway, first_harmless, on_offer, recommended
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
LOW_HZ, HIGH_HZ = 38.0, 160.0
QS = (0.7, 1.0)
RANGES_DB = (-3.0, -4.0, -6.0)
RATIO, ATTACK_MS, RELEASE_MS = 3.0, 1.0, 60.0
UNDER_HITS_DB = 12.0
"""The threshold lies this much under the kick's usual peak in the band."""
RANGE = numbers(DynamicBand)["range_db"]
PLACE = numbers(DynamicBand)["frequency_hz"]


def in_band(sound: Array, frequency_hz: float, q: float) -> Array:
    """A copy at 4 kHz as the band's detector hears it."""
    b, a = scipy.signal.iirpeak(frequency_hz, q, fs=RATE)
    return np.asarray(scipy.signal.lfilter(b, a, sound))


def threshold_db(copies: Copies, frequency_hz: float, q: float) -> float:
    """Under the median peak of the kick's hits in a band."""
    kick = in_band(copies.lanes[copies.heard.kick_id], frequency_hz, q)
    peaks = copies.hit_peaks(kick)
    usual = float(np.median(peaks)) if len(peaks) else 0.0
    return float(np.clip(20.0 * np.log10(max(usual, 1e-6)) - UNDER_HITS_DB, -80.0, 0.0))


def station(kick_id: str, frequency_hz: float, q: float, range_db: float, at_db: float) -> DynamicEqualiser:
    band = DynamicBand(
        frequency_hz=frequency_hz, q=q, threshold_db=at_db, range_db=range_db, ratio=RATIO, attack_ms=ATTACK_MS,
        release_ms=RELEASE_MS,
    )  # fmt: skip
    return DynamicEqualiser(bands=(band,), key=Key(source=kick_id))


def is_cleared(lane: Lane) -> bool:
    """Whether a bass steps back in a band already."""
    return any(isinstance(item, DynamicEqualiser) and item.key is not None and not item.bypass for item in lane.chain)


def _offer(look: Look) -> Offer:
    """The setting that is worth most beside a fader, weighs up what the bass loses, and harms nobody (`guards`)."""
    found = bottom.colliding(look)
    if found is None or any(is_cleared(lane) for lane in found.lanes(found.basses)):
        return Offer()
    worth = _worth(found)
    before = found.copies.before
    weighing = [item for item in worth if bottom.weighs(before, item[1])]
    if not weighing and worth:
        return Offer(None, _proposal(look, found, *worth[0]), bottom.price(before, worth[0][1]))
    return first_harmless(look, (_proposal(look, found, *item) for item in weighing), edit)


def _proposal(look: Look, found: Bottom, cut: DynamicEqualiser, after: PairFigures) -> Proposal:
    band = cut.bands[0]
    before, copies = found.copies.before, found.copies
    net = copies.net_db(after)
    assert net is not None
    note = named(band.frequency_hz).name
    return KIND.move(
        targets=found.basses,
        title=f"Bass {number(-band.range_db, 0)} dB back at {number(band.frequency_hz, 0)} Hz while the kick sounds",
        reason=f"The kick has its peak there ({note}). {beside_a_fader(before, after)} Sidechain from "
        f"{look.session.strip_name(copies.heard.kick_id)}; between the hits the bass is as it was.",
        parameters={
            "frequency_hz": band.frequency_hz,
            "range_db": band.range_db,
            "q": band.q,
            "threshold_db": band.threshold_db,
            "key": copies.heard.kick_id,
        },
        evidence=evidence(look, after, before),
        metric=ROOM,
        before=found.room_db,
        expected=found.room_db + net,
        tolerance=bottom.tolerance_db(net, bottom.DYNAMIC_TOLERANCE_DB),
        weight=5.6,
    )


def _worth(found: Bottom) -> list[tuple[DynamicEqualiser, PairFigures]]:
    """The settings that are worth it, the one that is worth most beside a fader first."""
    copies = found.copies
    place = low_spectra.peak_hz(low_spectra.kick_spectrum(copies), LOW_HZ, HIGH_HZ)
    tried: list[tuple[float, DynamicEqualiser, PairFigures]] = []
    for q in QS:
        at_db = threshold_db(copies, place, q)
        for range_db in RANGES_DB:
            cut = station(copies.heard.kick_id, round(place, 1), q, range_db, at_db)
            after = copies.tried(on_each(copies.basses, cut))
            net = copies.net_db(after)
            if net is not None and net >= bottom.WORTH_DB:
                tried.append((net, cut, after))
    return [(cut, after) for _, cut, after in sorted(tried, key=lambda item: -item[0])]


def made(proposal: Proposal) -> Processor:
    p: dict[str, Any] = dict(proposal.parameters)
    return station(
        str(p["key"]), float(p["frequency_hz"]), float(p["q"]), float(p["range_db"]), float(p["threshold_db"])
    )


def edit(session: Session, proposal: Proposal) -> Session:
    key = proposal.parameters["key"]
    if not isinstance(key, str) or not session.is_lane(key):
        raise KeyError(key)
    return with_stations(session, on_each(proposal.targets, made(proposal)))


OFFER = on_offer("dynamic cut on offer", _offer)
KIND = Kind(
    "low-end.dynamic-clearing", bottom.DEPENDS_ON, recommended(OFFER), edit,
    parameters={"frequency_hz": PLACE, "range_db": RANGE}, changed=measured_later,
)  # fmt: skip
ANYWAY = anyway("low-end.clearing-anyway", OFFER, edit)
