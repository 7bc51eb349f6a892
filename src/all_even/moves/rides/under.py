"""Instruments down where the lead enters: the few that hide it most step back by a decibel or three while it sounds.

Three parts hold most of what all others would give (tried: 64 %), and all three at -2 dB give the lead what 1.1 dB of
its own fader would, with the mix softer instead of louder: so ride the lead first; this is for where its ride or the
headroom is spent. Kick and bass stay, other leads too, and who is hidden for three quarters already. Who would be down
for over three quarters of the time it plays wants a fader. Predicted on the spectra of the ear; a keyed band that does
the same is in Share, where it saves loudness rather than hearing.
"""

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.parameter import Parameter, number
from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.figures.rides.rides import Riding
from all_even.figures.sources.units import Table, table
from all_even.measure.rides import riding
from all_even.moves.kind import Kind, left_out, measured_later, value_of
from all_even.moves.rides.figures import DEPENDS_ON, HIDDEN, is_lead, leads
from all_even.moves.rides.written import parameter_of
from all_even.session.editing import curves, ride_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.classes import is_low_end

BY = Parameter("Down by", "dB", 1.0, 3.0, 2.0, 0.5)
FEWEST, MOST_PARTS = 1, 3
WORTH = 0.03
"""Of the lead that comes out; less is not worth a ride (tried: .031 for three at -2 dB)."""
HIDDEN_ALREADY = 0.75
LONGEST_SHARE = 0.75
FADE_S = 0.3


def curve_of(line: Riding, by_db: float) -> list[tuple[float, float]]:
    return riding.dips(line.words.starts_s, line.words.ends_s, by_db, down_s=FADE_S, back_s=FADE_S)


def hidden_with(found: Table, lane_id: str, line: Riding, changes: Mapping[str, np.ndarray]) -> float | None:
    """Mean hidden share of a line over its units with other sources changed. changes: (frames,) power factors by id."""
    if lane_id not in found.tracks or not len(line):
        return None
    hidden = rides.hidden_in(found, lane_id, line.words, changes)
    return float(np.average(hidden, weights=line.words.ends_s - line.words.starts_s))


def _times_s(frames: int, frame_s: float) -> NDArray[np.float64]:
    return np.arange(frames, dtype=np.float64) * frame_s


def _factors(curve: list[tuple[float, float]], frames: int, frame_s: float) -> np.ndarray:
    return np.asarray(10.0 ** (curves.values_at(curve, _times_s(frames, frame_s)) / 10.0))


def may_step_back(look: Look, found: Table, lane: Lane, line: Riding) -> list[Lane]:
    """Sources that may: no bottom, no leads, not hidden already, and not down for most of the time they play."""
    down = curves.values_at(curve_of(line, 1.0), _times_s(len(found.tracks[lane.id].power), found.frame_s)) < -0.5
    kept = []
    for unit in found.units:
        share = found.shares.get(unit.id)
        if unit.id == lane.id or is_low_end(unit.role) or is_lead(unit.head) or share is None:
            continue
        playing = np.asarray(found.tracks[unit.id].weight.any(axis=1))
        count = min(len(down), len(playing))
        both = float((down[:count] & playing[:count]).sum()) / max(1, int(playing.sum()))
        if share < HIDDEN_ALREADY and 0.0 < both <= LONGEST_SHARE and len(unit.lanes) == 1:
            kept.append(unit.head)
    return kept


def propose(look: Look) -> list[Proposal]:
    made = []
    found = table(look)
    for lane, line in leads(look):
        if lane.id not in found.tracks:
            continue
        look.stop_if_cancelled()
        before = hidden_with(found, lane.id, line, {})
        if before is None:
            continue
        alone = {}
        for other in may_step_back(look, found, lane, line):
            after = _after(found, lane.id, line, [other.id], BY.default)
            if after is not None and before - after > 0.002:
                alone[other.id] = before - after
        chosen = sorted(alone, key=lambda lane_id: -alone[lane_id])[:MOST_PARTS]
        after = _after(found, lane.id, line, chosen, BY.default)
        if len(chosen) >= FEWEST and after is not None and before - after >= WORTH:
            made.append(_proposal(look, lane, line, chosen, before, after))
    return made


def _after(found: Table, lane_id: str, line: Riding, others: list[str], by_db: float) -> float | None:
    curve = curve_of(line, by_db)
    changes = {other: _factors(curve, len(found.tracks[other].spread), found.frame_s) for other in others}
    return hidden_with(found, lane_id, line, changes)


def _proposal(look: Look, lane: Lane, line: Riding, chosen: list[str], before: float, after: float) -> Proposal:
    names = [look.session.strip_name(other) for other in chosen]
    return KIND.move(
        targets=tuple(chosen), of=lane.id,
        title=f"{' and '.join(names) if len(names) < 3 else f'{len(names)} parts'} down where {lane.name} sounds",
        reason=f"{', '.join(names)} mask most of it. Down by {number(BY.default)} dB within {1000.0 * FADE_S:.0f} ms, "
        "there when it enters, back behind it. Ride the lead first: this is for where its ride or the headroom is "
        "spent.",
        parameters={"by_db": BY.default, "lead": (lane.id,), "by": (parameter_of(look.session),),
                    "starts_s": tuple(f"{value:.3f}" for value in line.words.starts_s),
                    "ends_s": tuple(f"{value:.3f}" for value in line.words.ends_s)},
        evidence={"parts": len(chosen), "of_the_lead_set_free": before - after},
        metric=HIDDEN, arguments={"strip": lane.id}, before=before, expected=after, source="predicted", weight=3.0,
    )  # fmt: skip


def _refit(look: Look, proposal: Proposal) -> Proposal:
    if proposal.expected is not None:
        return proposal
    lead = proposal.parameters.get("lead")
    lane_id = lead[0] if isinstance(lead, tuple) and lead else ""
    line = rides.riding_of(look, lane_id) if look.session.is_lane(lane_id) else None
    found = table(look)
    others = [other for other in proposal.targets if other not in left_out(proposal) and other in found.tracks]
    if line is None:
        return proposal
    return replace(proposal, expected=_after(found, lane_id, line, others, value_of(proposal, "by_db")))


def _parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    known = {strip.id for strip in session.strips}
    return [(target, session.strip_name(target)) for target in proposal.targets if target in known]


def _edit(session: Session, proposal: Proposal) -> Session:
    starts, ends = (np.array([float(text) for text in proposal.parameters[name]]) for name in ("starts_s", "ends_s"))  # type: ignore[union-attr]
    curve = riding.dips(starts, ends, value_of(proposal, "by_db"), down_s=FADE_S, back_s=FADE_S)
    by = proposal.parameters.get("by")
    parameter = by[0] if isinstance(by, tuple) and by else "level_db"
    for target in proposal.targets:
        if target not in left_out(proposal):
            session = ride_edits.add_ride(session, target, parameter, curve)
    return session


KIND = Kind(
    "rides.under", DEPENDS_ON, propose, _edit, parameters={"by_db": BY}, parts=_parts, refit=_refit, optional=True,
    changed=measured_later,
)  # fmt: skip
