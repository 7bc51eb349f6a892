"""Control peaks: where a few notes or hits stand out with their peaks, these are held and the rest is left alone.

A limiter puts the peaks at its ceiling exactly; the crest falls by less, since the loudness falls too, so it is a
trial. The other way is a fast compressor: its threshold is scanned down from the peak, and the first that does it is
taken, because the crest does not fall steadily with the threshold (deeper it rises again).
"""

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.processor import Processor, numbers
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import with_station
from all_even.measure.dynamics.movement import Part
from all_even.measure.level.true_peak import true_peak
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.figures import CREST, DEPENDS_ON
from all_even.moves.dynamics.linking import strip_for
from all_even.moves.dynamics.trying import Rule, Tried, behind, matched, source_by_source, try_out
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

STAND_OUT_DB = 3.0
"""How far the highest peak has to stand over the 90th percentile of them to be worth holding. Our own rule."""
FEWEST = 8
ABOVE_DB = 0.5
USUAL_PERCENT = 90
STEP_DB, MOST_DB = 0.5, 18.0
RELEASE_MS = 60.0
FAST_RATIO = 10.0


def unit_peaks_db(found: Part) -> np.ndarray:
    """The highest sample of each unit, dBFS."""
    return found.signal.tops_db(zip(found.units.starts_s, found.units.ends_s, strict=True))


def stand_out(found: Part) -> tuple[float, float] | None:
    """(where the usual peaks end in dBFS, by how much the highest stands over that); None where none stands out."""
    peaks = unit_peaks_db(found)
    if len(peaks) < FEWEST:
        return None
    usual = float(np.percentile(peaks, USUAL_PERCENT))
    over = found.signal.peak_dbfs - usual
    return (usual, over) if over >= STAND_OUT_DB else None


def _rule(_look: Look, lane: Lane, found: Part) -> Proposal | None:
    standing = stand_out(found)
    if standing is None:
        return None
    # The limiter holds true peaks, which stand over the samples: usual hits are to pass.
    samples = found.signal.samples
    between = 20.0 * np.log10(max(true_peak(samples, found.signal.sample_rate), 1e-9)) - found.signal.peak_dbfs
    ceiling_db = standing[0] + max(0.0, between) + ABOVE_DB
    station = Limiter(ceiling_db=float(np.clip(round(ceiling_db, 1), -40.0, 0.0)), release_ms=RELEASE_MS)
    tried = try_out(found, [station])
    if effects.flags(tried.movement.side):
        return None  # it would be warned of afterwards
    return _proposal(KIND, lane, found, tried, standing[1], station.ceiling_db)


def _rule_fast(_look: Look, lane: Lane, found: Part) -> Proposal | None:
    standing = stand_out(found)
    tried = scanned(found, standing[0]) if standing is not None else None
    if standing is None or tried is None:
        return None
    station = tried.stations[0]
    assert isinstance(station, Compressor)
    return _proposal(FAST, lane, found, tried, standing[1], station.threshold_db)


def _of_all(name: str, rule: Rule) -> Callable[[Look], list[Proposal]]:
    """For struck lanes and all others."""
    struck, lines = (source_by_source(name, rule, struck=one) for one in (True, False))
    return lambda look: [*struck(look), *lines(look)]


def fast(threshold_db: float) -> Compressor:
    return Compressor(
        threshold_db=threshold_db, ratio=FAST_RATIO, knee_db=0.0, attack_ms=0.1, release_ms=RELEASE_MS, lookahead_ms=1.0
    )  # fmt: skip


def scanned(found: Part, ceiling_db: float) -> Tried | None:
    """The first threshold from the top down that brings the peak to a ceiling; None where none does."""
    for under in np.arange(0.0, MOST_DB, STEP_DB):
        station = fast(round(ceiling_db - float(under), 1))
        samples, _ = behind(found.signal.samples, found.signal.sample_rate, [station])
        if np.abs(samples).max(initial=0.0) <= 10.0 ** ((ceiling_db + STEP_DB) / 20.0):
            return matched(found, [station])
    return None


def _proposal(kind: Kind, lane: Lane, found: Part, tried: Tried, over: float, at_db: float) -> Proposal:
    now, limiter = tried.movement, isinstance(tried.stations[0], Limiter)
    how = (
        f"A limiter puts them at {number(at_db)} dBTP exactly"
        if limiter
        else f"A fast compressor, {number(FAST_RATIO, 0)}:1 from {number(at_db)} dB on, the first from the top that "
        f"does it, brings the peak to {number(now.peak_now_dbfs)} dBFS"
    )
    return kind.move(
        targets=(lane.id,), of=lane.id,
        title=f"Limit the few high peaks of {lane.name}{'' if limiter else ' with a fast compressor'}",
        reason=f"One in ten of its peaks stands up to {number(over)} dB over the others. {how}; everything else passes "
        f"as it is.{effects.told(now.side)}",
        parameters={"at_db": at_db, "makeup_db": getattr(tried.stations[0], "makeup_db", 0.0)},
        evidence={"over_db": over, "peak_now_dbfs": now.peak_now_dbfs, **effects.evidence(now.side)},
        metric=CREST, arguments={"strip": lane.id}, before=found.crest_db, expected=now.crest_now_db,
        source="trial", weight=2.0 + 0.1 * min(10.0, over),
    )  # fmt: skip


def _edit(session: Session, proposal: Proposal) -> Session:
    at_db, makeup_db = (value_of(proposal, name) for name in ("at_db", "makeup_db"))
    station: Processor = replace(fast(at_db), makeup_db=makeup_db)
    if proposal.kind == KIND.id:
        station = Limiter(ceiling_db=at_db, release_ms=RELEASE_MS)
    session, strip_id = strip_for(session, proposal.targets)
    return with_station(session, strip_id, station)


CEILING = numbers(Limiter)["ceiling_db"]
KIND = Kind(
    "dynamics.peaks",
    DEPENDS_ON,
    _of_all("dynamics.peaks", _rule),
    _edit,
    parameters={"at_db": CEILING},
    changed=measured_later,
)
FAST = Kind("dynamics.peaks-fast", DEPENDS_ON, _of_all("dynamics.peaks-fast", _rule_fast), _edit, optional=True)
