"""The highest peaks of the mix held, so that it is louder at the same peak.

A limiter last on the mix bus, its ceiling where the mix peaks already, and before it as much gain as a limiter takes
without being heard: loudness lost, hits, pump and ripple (`figures.dynamics.limited`) well under what a loud copy may
do, and none of what dynamics are warned of. So the mix peaks where it did, and everything under its highest peaks comes
up. Common practice: two or three dB of the very highest peaks; more is mastering. Where the mix bus has a limiter,
or peaks over its window, nothing is proposed.
"""

from collections.abc import Iterator

from all_even import decibels
from all_even.audio.sides import highest_of
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.processor import numbers
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import moving
from all_even.figures.dynamics.limited import LOOKAHEAD_MS, Tried, judged, limited, pump_db, struck_hits
from all_even.measure.level.true_peak import true_peak
from all_even.moves.dynamics.effects import flags
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.metric import Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

GAINS_DB = (4.0, 3.5, 3.0, 2.5, 2.0, 1.5, 1.0)
RELEASE_MS = 40.0
"""Tried on three mixes: 80 ms pump by a fifth more, under 20 the gain shakes with the wave."""
MOST_LOST_LU, MOST_HITS_DB, MOST_PUMP_DB, MOST_RIPPLE_DB = 0.4, 1.0, 0.3, -30.0
WORTH_LU = 0.7
LONGEST_S = 60.0
"""Tried on so much of a longer song, around its highest peak."""


def propose(look: Look) -> list[Proposal]:
    session = look.session
    if any(isinstance(item, Limiter) and not item.bypass for item in session.mix.chain):
        return []
    mix = look.mix
    if mix is None or mix.true_peak_dbtp is None or mix.plr_db is None:
        return []
    back_db = _back_db(look)
    for found in tries(look):
        if found.gain_db - found.lost_lu < WORTH_LU:
            break
        move = _proposal(found, mix.true_peak_dbtp, mix.plr_db, back_db)
        then = moving(look.at(_edit(session, move)), MIX)
        if then is None or not flags(then.side):
            return [move]
    return []


def _back_db(look: Look) -> float:
    """By how much a mix that peaks over its window is brought back, dB and not positive."""
    work, peak_dbfs = look.session.settings, look.mix.sample_peak_dbfs if look.mix is not None else None
    if peak_dbfs is None or peak_dbfs <= work.peak_window_dbfs[1]:
        return 0.0
    return round(work.mix_peak_dbfs - peak_dbfs, 1)


def _proposal(found: Tried, peak_dbtp: float, plr: float, back_db: float = 0.0) -> Proposal:
    where = "where the mix peaks now" if not back_db else f"{number(-back_db)} dB under where the mix peaks now"
    hits = "" if found.hits_db is None else f"Hits stand {number(max(0.0, found.hits_db))} dB less far out. "
    return KIND.move(
        targets=(MIX,),
        title=f"Limit the highest peaks of the mix: {number(found.gain_db - found.lost_lu)} LU louder at one peak",
        reason=f"A limiter last on the mix bus, at {number(peak_dbtp + back_db)} dBTP, {where}. "
        f"Before it {number(found.gain_db + back_db)} dB. {hits}It pumps by {number(found.pump_db)} dB, and "
        f"{number(found.lost_lu)} LU of the gain are lost. Leave it out where the mix is to keep all its peaks.",
        parameters={"gain_db": found.gain_db + back_db, "ceiling_db": round(peak_dbtp + back_db, 1)},
        evidence={"hits_lost_db": found.hits_db, "pump_db": found.pump_db, "ripple_db": found.ripple_db,
                  "lost_lu": found.lost_lu},
        metric=METRIC, before=plr, expected=plr - found.gain_db + found.lost_lu, source="trial", weight=1.0,
    )  # fmt: skip


def tries(look: Look) -> Iterator[Tried]:
    """Gains that keep all limits, the most first, tried on the minute around the highest peak."""
    sound, rate = look.sound(MIX), look.session.sample_rate
    whole = sound.read(0, sound.frames)
    length = round(LONGEST_S * rate)
    start = 0
    if len(whole) > length:
        start = min(max(0, int(highest_of(whole).argmax()) - length // 2), len(whole) - length)
    part = whole[start : start + length].astype(float)
    hits_s = [time - start / rate for time in struck_hits(look) if 0.0 <= time - start / rate < len(part) / rate]
    ceiling_db = decibels.level_db(true_peak(part.astype("float32"), rate))
    for gain_db in GAINS_DB:
        look.stop_if_cancelled()
        out, gain = limited(part, rate, gain_db, ceiling_db, RELEASE_MS)
        if pump_db(gain, rate) > MOST_PUMP_DB:  # by far the quickest to know
            continue
        found = judged(part, out, gain, rate, hits_s, gain_db)
        if is_kept(found):
            yield found


def is_kept(found: Tried) -> bool:
    """Whether nobody should hear it at work."""
    return (
        found.lost_lu <= MOST_LOST_LU
        and (found.hits_db is None or found.hits_db <= MOST_HITS_DB)
        and found.pump_db <= MOST_PUMP_DB
        and found.ripple_db <= MOST_RIPPLE_DB
    )


def _edit(session: Session, proposal: Proposal) -> Session:
    station = Limiter(
        ceiling_db=value_of(proposal, "ceiling_db"), input_db=value_of(proposal, "gain_db"), release_ms=RELEASE_MS,
        lookahead_ms=LOOKAHEAD_MS,
    )  # fmt: skip
    return chain_edits.add_station(session, MIX, station)


def plr_db(look: Look) -> float | None:
    """True peak over integrated loudness."""
    return None if look.mix is None else look.mix.plr_db


GAIN = numbers(Limiter)["input_db"]
METRIC = Metric("plr", "PLR", "dB", 1, 0.5, ("mix",), lambda look, _arguments: plr_db(look))
KIND = Kind(
    "buses.mix-peaks", ("files", "levels", "chains", "routing", "strips", "mix"), propose, _edit,
    parameters={"gain_db": GAIN}, changed=measured_later, afterwards=True,
)  # fmt: skip
