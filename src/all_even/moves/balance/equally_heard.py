"""Sources of one class, equally heard: what is covered more comes up, what is covered less goes down, by 3 dB at most.

Loudness as it is heard: the source's own, less what the others cover of it (powers of what is left against the whole).
It brings evenness within a class, not a better mix; low end and what nobody could hear over the others (90 % covered:
pan or mute it) are left out. Refused where the one covered most gains next to nothing, or somebody else loses by it.
"""

import numpy as np

from all_even import decibels
from all_even.dsp.parameter import LEVEL, number
from all_even.figures.book.look import Look
from all_even.figures.sources.units import Table, Unit, table, unit_lufs
from all_even.measure.sharing import masking
from all_even.measure.sharing.masking import Excitation
from all_even.moves.balance.clearance import METRIC as COVERED
from all_even.moves.kind import Kind, per_strip
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import CLASSES, is_low_end

MOST_DB, ROUNDS, HALF = 3.0, 6, 0.5
HOPELESS = 0.90
LEAST_GAIN, MOST_RISE = 0.03, 0.10
WORTH_DB = 1.0
SCALES = (1.0, 0.7, 0.5)
"""Part of the way, where all of it would cost somebody too much."""


def heard_db(track: Excitation, total: np.ndarray, floor: float) -> float | None:
    """What the others leave of a track, against the whole of it, dB; over frames in which it plays."""
    masked = masking.masked_parts(track, total, floor)
    frame = track.weight.sum(axis=1)
    if not np.any(frame > 0.0):
        return None
    active = frame > np.percentile(frame[frame > 0.0], 95) * 10.0 ** (-25.0 * masking.COMPRESSION / 10.0)
    whole = float(track.weight[active].sum())
    left = float((track.weight * (1.0 - masked))[active].sum())
    return 10.0 * np.log10(max(left, 1e-9) / whole) if whole > 0.0 else None


def heard_levels(found: Table, tracks: dict[str, Excitation], lufs: dict[str, float]) -> dict[str, float]:
    """Loudness less what is covered, by unit."""
    total = np.zeros((max(len(track.spread) for track in tracks.values()), next(iter(tracks.values())).spread.shape[1]))
    for track in tracks.values():
        total[: len(track.spread)] += track.spread
    levels = {}
    for unit_id, value in lufs.items():
        heard = heard_db(tracks[unit_id], total, found.floor)
        if heard is not None:
            levels[unit_id] = value + heard
    return levels


def changes_db(found: Table, lufs: dict[str, float]) -> dict[str, float]:
    """Gains per unit that make each class even as it is heard."""
    groups = [
        [unit.id for unit in found.units if unit.standing == kind and unit.id in lufs and _counts(found, unit)]
        for kind in CLASSES
    ]
    gains = {unit_id: 0.0 for group in groups if len(group) > 1 for unit_id in group}
    tracks = dict(found.tracks)
    for _ in range(ROUNDS):
        moved = {i: track.scaled(gains[i]) if gains.get(i) else track for i, track in tracks.items()}
        now = heard_levels(found, moved, {i: lufs[i] + gains[i] for i in gains})
        for group in groups:
            inside = [i for i in group if i in now and i in gains]
            if len(inside) > 1:
                target = float(np.median([now[i] for i in inside]))
                for i in inside:
                    gains[i] = float(np.clip(gains[i] + HALF * (target - now[i]), -MOST_DB, MOST_DB))
    middle = float(np.median(list(gains.values()))) if gains else 0.0
    return {i: float(np.clip(gain - middle, -MOST_DB, MOST_DB)) for i, gain in gains.items()}


def _counts(found: Table, unit: Unit) -> bool:
    share = found.shares.get(unit.id)
    return share is not None and share < HOPELESS and not is_low_end(unit.role) and unit.role != "unknown"


def propose(look: Look) -> list[Proposal]:
    found = table(look)
    if not found.tracks:
        return []
    lufs = {unit.id: value for unit in found.units if (value := unit_lufs(look, unit)) is not None}
    whole = changes_db(found, lufs)
    shares = {i: share for i, share in found.shares.items() if share is not None}
    candidates = [i for i in whole if i in shares]
    if not candidates:
        return []
    worst = max(candidates, key=lambda i: shares[i])
    for scale in SCALES:
        gains = {i: round(gain * scale, 1) for i, gain in whole.items() if abs(gain * scale) >= 0.3}
        if not gains or max(abs(gain) for gain in gains.values()) < WORTH_DB:
            return []
        tracks = {i: track.scaled(gains[i]) if i in gains else track for i, track in found.tracks.items()}
        after = masking.find_masking(tracks, floor=found.floor).shares
        gained = shares[worst] - (after[worst] or 0.0)
        rises = max((after[i] or 0.0) - share for i, share in shares.items())
        if gained >= LEAST_GAIN and rises <= MOST_RISE:
            break
    else:
        return []
    levels = {}
    for unit in found.units:
        for lane in unit.lanes if unit.id in gains else ():
            if lane.level_db > decibels.OFF_DB:
                levels[lane.id] = LEVEL.clamped(lane.level_db + gains[unit.id])
    name = next(unit.name for unit in found.units if unit.id == worst)
    return [
        KIND.move(
            targets=tuple(levels),
            title=f"Equally heard within each class: {len(gains)} sources",
            reason=f"{name} is masked most, {100 * shares[worst]:.0f} %; then {100 * (after[worst] or 0.0):.0f} %. "
            f"Faders move by {number(min(gains.values()))} to {number(max(gains.values()))} dB. It is evenness, not a "
            "better mix.",
            parameters={"levels_db": levels},
            evidence={
                "worst": name,
                "worst_covered": shares[worst],
                "worst_covered_then": after[worst],
                "largest_rise": rises,
            },
            metric=COVERED,
            arguments={"lane": worst},
            before=100.0 * shares[worst],
            expected=100.0 * (after[worst] or 0.0),
            weight=2.5,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    levels = per_strip(proposal, "levels_db")
    return edits.set_levels(session, {i: level for i, level in levels.items() if session.is_lane(i)})


KIND = Kind("balance.equally-heard", ("files", "order", "names", "levels", "strips"), propose, edit, optional=True)
