"""What no mixing repairs, said before anything else is proposed: parts out of tune, parts off the beat.

Claimed only of parts with enough notes that agree with each other. Correcting them note by note is not our work.
"""

from all_even.measure.time.timing import Timing
from all_even.session.model.remark import Remark
from all_even.session.model.session import Session
from all_even.session.song.hits import is_struck
from all_even.session.song.song import Song

FEWEST_ONSETS, MOST_SPREAD_MS = 16, 15.0
LATE_MS = 15.0
"""Nearer than this nobody calls it late (common practice)."""
FLAT_CENTS = 15.0
"""Under this a part may just be played freely; `measure.pitch.tuning` calls a held part out of tune from 10 on."""


def remarks(session: Session, song: Song) -> tuple[Remark, ...]:
    """All that is to be said, largest first within each kind: `tuning` in cents, `kick` and `grid` in ms (positive:
    late)."""
    present = {lane.id for lane in session.lanes if not lane.hidden and not lane.mute}
    found = [
        Remark((lane,), "tuning", cents, _tuned(cents))
        for lane, cents in song.tuning_cents.items()
        if lane in present and abs(cents) >= FLAT_CENTS
    ]
    # Only what is struck begins when it is heard to begin: notes that swell would all be called late.
    struck = {lane.id for lane in session.lanes if is_struck(lane.role)}
    on_grid = {lane: timing for lane, timing in song.grid_timing.items() if lane in struck}
    for kind, words, timings in (("grid", "the beat", on_grid), ("kick", "the kick", song.bass_timing)):
        found += [_off(lane, kind, words, item) for lane, item in timings.items() if lane in present and _sure(item)]
    order = ("tuning", "kick", "grid")
    return tuple(sorted(found, key=lambda remark: (order.index(remark.kind), -abs(remark.size))))


def _tuned(cents: float) -> str:
    return f"{abs(cents):.0f} cents {'sharp' if cents > 0.0 else 'flat'} against the others"


def _sure(timing: Timing) -> bool:
    late_ms = abs(timing.late_ms) if timing.late_ms < 0.0 else timing.late_ms - timing.attack_ms
    return (
        timing.count >= FEWEST_ONSETS and timing.spread_ms < MOST_SPREAD_MS and late_ms >= LATE_MS
        and late_ms > timing.spread_ms
    )  # fmt: skip


def _off(lane: str, kind: str, words: str, timing: Timing) -> Remark:
    side = "after" if timing.late_ms > 0.0 else "before"
    text = f"{abs(timing.late_ms):.0f} ms {side} {words} (± {timing.spread_ms:.0f} ms, {timing.count} onsets)"
    return Remark((lane,), kind, timing.late_ms, text)
