"""What the saturations of a strip do besides: quiet sound that comes up, hits that go flat, a level that moves, read as
for a compressor (`measure.dynamics.side_effects`).

*Before* is the strip without its saturations, all else as it is. The gain they apply is their change of level over
50 ms; that a curve bends the wave itself is its work, no ripple.
"""

from dataclasses import replace

import numpy as np

from all_even.dsp.tone.saturation import Saturation
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import hits_of, only_source, strip_signal
from all_even.measure.dynamics.movement import Movement, movement, part_of
from all_even.measure.dynamics.side_effects import frames_per_hop
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session

LOWEST, HOPS = 1e-10, 5
"""Under the one there is silence; over so many hops of 10 ms the level is read, since a curve bends the wave itself."""


def coloured(look: Look, strip_id: str) -> Movement | None:
    """None where a strip has no saturation that works, or nothing of it is heard."""
    found = look.get(COLOURED, strip_id)
    return found if isinstance(found, Movement) else None


def without_saturation(session: Session, strip_id: str) -> Session:
    """Without the saturations of a strip; where they were latency is kept."""
    for station in session.chain(strip_id):
        if isinstance(station, Saturation) and not station.bypass:
            session = chain_edits.change_station(session, strip_id, station.id, bypass=True, matched_db=0.0)
    return session


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    plain = look.book.fingerprints(without_saturation(look.session, target)).strips.get(target)
    lanes = [(lane.id, lane.role, lane.hits, lane.id in look.reports) for lane in look.session.lanes]
    return digest((prints.strips.get(target), plain, lanes))


def _compute(look: Look, target: str) -> Movement | str:
    session = look.session
    plain = without_saturation(session, target)
    if plain is session or look.book.fingerprints(session).strips.get(target) is None:
        return "nothing colours it"
    before, now = (strip_signal(look, one, target) for one in (plain, session))
    if before.lufs is None or now.lufs is None:
        return "silent"
    count = min(len(before.power), len(now.power))
    was, is_now = (np.convolve(one.power[:count], np.full(HOPS, 1.0 / HOPS), "same") for one in (before, now))
    hops_db = 10.0 * np.log10((is_now + LOWEST) / (was + LOWEST))
    gain_db = np.repeat(hops_db - (now.lufs - before.lufs), frames_per_hop(session.sample_rate))
    found = part_of(before, hits_of(look, target), is_sum=only_source(look, target) is None)
    made = movement(found, now, gain_db)
    return replace(made, side=replace(made.side, ripple_db=None))


COLOURED = Figure("what saturation does besides", 1, "strip", _rests_on, _compute)
