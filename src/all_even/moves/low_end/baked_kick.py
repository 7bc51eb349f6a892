"""A kick baked into a bass: low peaks on the bass track at the kick's hits, found with the kick away, taken down by a
look-ahead limiter.

A bass that is *played* with the kick also starts at its hits; so only hits count at which no bass note begins.
"""

from dataclasses import dataclass

import numpy as np

from all_even import decibels
from all_even.audio.sides import highest_of
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.processor import Single, numbers
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.measure.sharing import duck
from all_even.measure.sharing.focus import RATE
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

BEFORE_S, AFTER_S = (-0.060, -0.012), (0.005, 0.060)
CLEAR_S = 0.070
"""No bass note begins nearer than this to a hit that counts."""
FEWEST_HITS = 12
RISES_DB, SHARE = 3.0, 0.6
USUAL_PERCENTILE = 90
RELEASE_MS, LOOKAHEAD_MS = 60.0, 3.0
CEILING = numbers(Limiter)["ceiling_db"]


@dataclass(frozen=True, slots=True)
class Baked:
    """rise_db: median rise of the low band at hits at which nothing begins; share: of these hits at which it rises by
    3 dB."""

    rise_db: float
    share: float
    hits: int


def baked(low: duck.Array, hits_s: tuple[float, ...], notes_s: tuple[float, ...]) -> Baked | None:
    """low: a bass lane at 4 kHz. None where too few hits are free of bass notes, or the bass is silent there."""
    power = duck.smoothed_power(duck.low_band(low, RATE))
    quiet = float(np.percentile(power, 95)) * 1e-3
    begins = np.array(notes_s)
    rises = []
    for hit in hits_s:
        if len(begins) and float(np.abs(begins - hit).min()) < CLEAR_S:
            continue
        before, after = (_stretch(power, hit, span) for span in (BEFORE_S, AFTER_S))
        if len(before) and len(after) and float(before.mean()) > quiet:
            rises.append(10.0 * np.log10(float(after.max()) / float(before.mean())))
    if len(rises) < FEWEST_HITS:
        return None
    found = np.array(rises)
    return Baked(float(np.median(found)), float(np.mean(found > RISES_DB)), len(found))


def _stretch(power: duck.Array, hit_s: float, span_s: tuple[float, float]) -> duck.Array:
    return power[max(0, round((hit_s + span_s[0]) * duck.RATE)) : round((hit_s + span_s[1]) * duck.RATE)]


def _begins(look: Look, lane_id: str) -> tuple[float, ...]:
    report = look.reports.get(lane_id)
    lane = look.session.lane(lane_id)
    if report is None or report.character is None:
        return ()
    return tuple(note.start_s + lane.start_s for note in report.character.notes)


def propose(look: Look) -> list[Proposal]:
    found = copies(look)
    if found is None:
        return []
    hits = found.heard.hits_s
    proposals = []
    for lane_id in found.basses:
        low = found.lanes[lane_id]
        begins = _begins(look, lane_id)
        now = baked(low, hits, begins)
        if now is None or now.rise_db < RISES_DB or now.share < SHARE:
            continue
        if any(isinstance(item, Limiter) for item in look.session.lane(lane_id).chain):
            continue
        ceiling = _ceiling(look, lane_id, hits)
        if ceiling is None:
            continue
        limited = Single(_limiter(ceiling), RATE)(low[:, np.newaxis])[_limiter(ceiling).latency_frames(RATE) :, 0]
        after = baked(np.pad(limited, (0, len(low) - len(limited))), hits, begins)
        if after is None or now.rise_db - after.rise_db < 1.0:
            continue
        name = look.session.strip_name(lane_id)
        proposals.append(
            KIND.move(
                targets=(lane_id,),
                of=lane_id,
                title=f"Take down the kick that is baked into {name}",
                reason=f"With the kick away, {name} rises by {number(now.rise_db)} dB at "
                f"{number(100.0 * now.share, 0)} % of the {now.hits} hits at which no bass note begins. A limiter "
                "that looks ahead holds what is over its usual peaks.",
                parameters={"ceiling_db": ceiling},
                evidence={"hits": now.hits, "share": now.share},
                metric=METRIC,
                arguments={"lane": lane_id},
                before=now.rise_db,
                expected=after.rise_db,
                weight=6.2,
            )
        )
    return proposals


def _ceiling(look: Look, lane_id: str, hits_s: tuple[float, ...]) -> float | None:
    """The lane's usual peaks away from the hits, dBTP."""
    kept = look.sound(lane_id)
    sound = highest_of(kept.read(0, kept.frames))
    hop = max(1, round(0.02 * look.session.sample_rate))
    peaks = sound[: len(sound) // hop * hop].reshape(-1, hop).max(axis=1)
    times = (np.arange(len(peaks)) + 0.5) * 0.02
    nearest = np.min(np.abs(times[:, np.newaxis] - np.array(hits_s)[np.newaxis, :]), axis=1) if hits_s else times
    away = peaks[(nearest > 0.1) & (peaks > 1e-3 * peaks.max(initial=0.0))]
    if not len(away):
        return None
    return CEILING.clamped(decibels.level_db(float(np.percentile(away, USUAL_PERCENTILE))))


def _limiter(ceiling_db: float) -> Limiter:
    return Limiter(ceiling_db=ceiling_db, release_ms=RELEASE_MS, lookahead_ms=LOOKAHEAD_MS)


def edit(session: Session, proposal: Proposal) -> Session:
    ceiling = value_of(proposal, "ceiling_db")
    return with_stations(session, {lane_id: (_limiter(ceiling),) for lane_id in proposal.targets})


def _rise(look: Look, arguments: Arguments) -> float | None:
    found, lane_id = copies(look), str(arguments["lane"])
    if found is None or lane_id not in found.lanes:
        return None
    told = baked(found.lanes[lane_id], found.heard.hits_s, _begins(look, lane_id))
    return told.rise_db if told is not None else None


KIND = Kind(
    "low-end.baked-kick", bottom.DEPENDS_ON, propose, edit, optional=True, parameters={"ceiling_db": CEILING},
    changed=measured_later,
)  # fmt: skip
METRIC = Metric("baked-kick", "rise of the bass at the kick's hits", "dB", 1, 1.0, bottom.MEASURED, _rise)
