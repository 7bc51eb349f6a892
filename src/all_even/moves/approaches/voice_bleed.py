"""Bleed in a voice: an expander that steps back between phrases, and stays open through them.

Phrases are the units of the voice, joined over short gaps. What lies between them is bleed, breath and room; the
threshold stands between the loud of that and the soft words. It holds for a quarter of a second, so that no word's end
is lost, and takes 10 dB at most: the room stays.
"""

from collections.abc import Iterator

import numpy as np

from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.parameter import number
from all_even.dsp.processor import Processor, numbers
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import now_signal, part, place_of
from all_even.measure.dynamics import side_effects
from all_even.measure.dynamics.movement import Part
from all_even.measure.dynamics.signal import Signal
from all_even.measure.dynamics.units import HOP_S
from all_even.moves.approaches.trial import Draft, Numbers, on_trial
from all_even.moves.dynamics.trying import lanes
from all_even.moves.kind import numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of

RANGE_DB, APART_DB, AUDIBLE_DB = 10.0, 4.0, -48.0
AROUND_S, LEAST_S = 0.3, 1.0
FLOOR = 1e-12


def between_phrases(found: Part) -> np.ndarray:
    """(hops,) which hops of 10 ms lie 0.3 s and more from every phrase."""
    outside = np.ones(len(found.signal.power), dtype=bool)
    parts = side_effects.phrases(found.units.starts_s, found.units.ends_s)
    for start, stop in parts:
        begin_s, end_s = found.units.starts_s[start] - AROUND_S, found.units.ends_s[stop - 1] + AROUND_S
        outside[max(0, round(begin_s / HOP_S)) : round(end_s / HOP_S)] = False
    return outside


def bleed_db(found: Part, signal: Signal) -> float | None:
    """Level between the phrases against the words, dB; None with less than a second of it."""
    outside = between_phrases(found)[: len(signal.power)]
    if np.count_nonzero(outside) * HOP_S < LEAST_S or not len(found.units):
        return None
    quiet = float(np.mean(signal.power[: len(outside)][outside]))
    words = float(np.median(found.units.levels_in(signal.power)))
    return 10.0 * float(np.log10(quiet + FLOOR)) - words


def _bleed(look: Look, arguments: Arguments) -> float | None:
    lane_id = str(arguments.get("strip", ""))
    found = part(look, lane_id) if look.session.is_lane(lane_id) else None
    return None if found is None else bleed_db(found, now_signal(look, lane_id))


def expander(p: Numbers) -> tuple[Processor, ...]:
    return (Gate(threshold_db=p["threshold_db"], ratio=2.0, range_db=p["range_db"], attack_ms=5.0, hold_ms=250.0,
                 release_ms=250.0, lookahead_ms=2.0, character="expander"),)  # fmt: skip


def _drafts(look: Look) -> Iterator[Draft]:
    for lane in lanes(look, struck=False):
        found = part(look, lane.id) if family_of(lane.role) == "voices" else None
        if found is None or any(isinstance(item, Gate) for item in lane.chain):
            continue
        now = bleed_db(found, found.signal)
        if now is None or now < AUDIBLE_DB:
            continue
        outside = between_phrases(found)
        peaks = 20.0 * np.log10(np.maximum(found.signal.peaks, 1e-6))
        loud = float(np.percentile(peaks[: len(outside)][outside], 95))
        tops = found.signal.tops_db(zip(found.units.starts_s, found.units.ends_s, strict=True))
        soft = float(np.percentile(tops, 10))
        if soft - loud < APART_DB:
            continue
        threshold_db = round(0.5 * (soft + loud), 1)
        yield Draft(
            (lane.id,), f"Expander on {lane.name}, {RANGE_DB:.0f} dB down between phrases",
            f"Between phrases it stands {number(-now)} dB under the words, its loud moments {number(soft - loud)} dB "
            f"under soft words. From {number(threshold_db)} dB on it is open, and stays so for 250 ms.",
            {"threshold_db": threshold_db, "range_db": RANGE_DB}, of=lane.id, arguments={"strip": lane.id},
            evidence={"apart_db": soft - loud},
        )  # fmt: skip


def _edit(session: Session, move: Proposal) -> Session:
    lane_id = move.targets[0]
    return chain_edits.add_station(session, lane_id, expander(numbers_of(move))[0], place_of(session, lane_id))


BLEED = Metric("voice-bleed", "sound between phrases, of the words", "dB", 1, 1.0, ("strips", "files"), _bleed)
KIND = on_trial(
    "dynamics.voice-bleed",
    "voice_bleed",
    BLEED,
    _drafts,
    _edit,
    parameters={name: numbers(Gate)[name] for name in ("threshold_db", "range_db")},
    weight=1.4,
)
