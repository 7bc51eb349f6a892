"""Tail against gap: a kick that rings over the bass is closed earlier by a gate.

*Contested* is the time per hit in which neither of the two stands 6 dB over the other while the kick is within 20 dB of
its top. The gate hears only the low end of the kick, so that the tail decides and not the click. Refused where the
tail stays over three quarters of what it was, or where less of the kick is heard. Another kick file is the better way
where there is one (Gather). A transient shaper was tried and only looks good: the tail stays.
"""

import numpy as np

from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import Copies
from all_even.figures.low_end.low_end import heard
from all_even.measure.sharing import duck
from all_even.measure.sharing.focus import RATE
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import evidence, on_each, with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

WITHIN_DB, DOWN_DB = 6.0, 20.0
LONG_MS, CONTESTED_MS = 200.0, 60.0
AIM, REFUSED = 0.6, 0.75
CLEAR_S = 0.03
"""How long before the next hit its own rise begins to show in a smoothed envelope."""
RATIO, RANGE_DB, ATTACK_MS, HEARS_HZ = 4.0, 30.0, 0.3, 250.0
THRESHOLDS_DB, HOLDS_MS, RELEASES_MS = (-6.0, -9.0, -12.0, -16.0, -20.0), (0.0, 20.0, 40.0), (20.0, 40.0, 80.0)


def contested_ms(kick: duck.Array, bass: duck.Array, hits_s: tuple[float, ...]) -> float:
    """kick, bass: (frames,) at 4 kHz; median over hits."""
    own, other = (duck.smoothed_power(duck.low_band(side, RATE)) for side in (kick, bass))
    found = []
    for start_s, end_s in zip(hits_s, (*hits_s[1:], hits_s[-1] + 1.0), strict=True):
        a, b = round(start_s * duck.RATE), round(end_s * duck.RATE)
        k, other_power = own[a:b] + 1e-20, other[a:b] + 1e-20
        if len(k):
            near = np.abs(10.0 * np.log10(k / other_power)) < WITHIN_DB
            found.append(float(np.count_nonzero(near & (k > k.max() * 10.0 ** (-DOWN_DB / 10.0)))))
    return float(np.median(found)) if found else 0.0


def tail_ms(kick: duck.Array, hits_s: tuple[float, ...]) -> float:
    """Median time from a hit until the low band has fallen by 20 dB for good, before the next."""
    power = duck.smoothed_power(duck.low_band(kick, RATE))
    found = []
    for start_s, end_s in zip(hits_s, (*hits_s[1:], hits_s[-1] + 1.0), strict=True):
        hit = power[round(start_s * duck.RATE) : round((end_s - CLEAR_S) * duck.RATE)]
        if len(hit) and hit.max() > 0.0:
            over = np.flatnonzero(hit > hit.max() * 10.0 ** (-DOWN_DB / 10.0))
            found.append(float(over[-1] + 1))
    return float(np.median(found)) if found else 0.0


def _gate(threshold_db: float, hold_ms: float, release_ms: float) -> Gate:
    return Gate(
        threshold_db=float(np.clip(threshold_db, -90.0, 0.0)), ratio=RATIO, range_db=RANGE_DB, attack_ms=ATTACK_MS,
        hold_ms=hold_ms, release_ms=release_ms, key_low_pass_hz=HEARS_HZ,
    )  # fmt: skip


def _usual_peak_db(copies: Copies, lane_id: str) -> float:
    peaks = copies.hit_peaks(copies.lanes[lane_id])
    return float(20.0 * np.log10(max(float(np.median(peaks)) if len(peaks) else 0.0, 1e-6)))


def propose(look: Look) -> list[Proposal]:
    found = bottom.colliding(look)
    if found is None or any(isinstance(item, Gate) for lane in found.lanes(found.kicks) for item in lane.chain):
        return []
    copies = found.copies
    hits = copies.heard.hits_s
    kick, bass = copies.sums(copies.lanes)
    now_ms, contested = tail_ms(kick, hits), contested_ms(kick, bass, hits)
    if now_ms < LONG_MS or contested < CONTESTED_MS:
        return []
    peaks = {lane_id: _usual_peak_db(copies, lane_id) for lane_id in found.kicks}
    tried = []
    for under in THRESHOLDS_DB:
        for hold in HOLDS_MS:
            look.stop_if_cancelled()
            for release in RELEASES_MS:
                gates = {lane_id: (_gate(peak + under, hold, release),) for lane_id, peak in peaks.items()}
                shorter = tail_ms(copies.sums(copies.through(gates))[0], hits)
                tried.append((abs(shorter - AIM * now_ms), shorter, (under, hold, release)))
    _, shorter, (under, hold, release) = min(tried)
    gates = {lane_id: (_gate(peak + under, hold, release),) for lane_id, peak in peaks.items()}
    lanes = copies.through(gates)
    after = copies.figures(lanes)
    before = copies.before
    if shorter > REFUSED * now_ms or before.focus is None or after.focus is None:
        return []
    if (
        after.focus.at_present < before.focus.at_present
        or (after.kick_masked or 0.0) > (before.kick_masked or 0.0) + 0.03
    ):
        return []
    expected = contested_ms(*copies.sums(lanes), hits)
    present = _contested(look, {})
    if present is None or expected > 0.9 * contested:
        return []
    return [
        KIND.move(
            targets=found.kicks,
            title=f"Kick's tail from {number(now_ms, 0)} to {number(shorter, 0)} ms",
            reason=f"For {number(contested, 0)} ms of each hit neither kick nor bass stands over the other. A gate "
            f"closes the kick earlier; {number(100.0 * after.focus.at_present, 0)} % of it are heard then, "
            f"{number(100.0 * before.focus.at_present, 0)} now. Before the duck, which is fitted anew after it; a "
            "shorter kick file is the better way.",
            parameters={
                "thresholds_db": {lane_id: peak + under for lane_id, peak in peaks.items()},
                "hold_ms": hold,
                "release_ms": release,
            },
            evidence={"tail_ms": now_ms, "tail_after_ms": shorter, **evidence(look, after, before)},
            metric=METRIC,
            before=present,
            expected=present + expected - contested,
            tolerance=max(METRIC.tolerance, 0.3 * (contested - expected)),
            weight=6.0,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    p = proposal.parameters
    thresholds = p["thresholds_db"]
    assert isinstance(thresholds, dict)
    hold, release = float(p["hold_ms"]), float(p["release_ms"])  # type: ignore[arg-type]
    for lane_id, threshold in thresholds.items():
        session = with_stations(session, on_each((lane_id,), _gate(threshold, hold, release)))
    return session


def _contested(look: Look, _arguments: Arguments) -> float | None:
    found = heard(look)
    return contested_ms(found.kick, found.bass, found.hits_s) if found is not None else None


KIND = Kind("low-end.tail", bottom.DEPENDS_ON, propose, edit, optional=True)
METRIC = Metric("contested", "time in which neither stands out", "ms", 0, 10.0, bottom.MEASURED, _contested)
