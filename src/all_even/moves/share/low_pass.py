"""Low-pass: away with what lies above a part's own range, where that is nothing but hiss.

Only hiss: over a place the part is as loud in its pauses as while it plays. A part that never pauses is left alone:
nothing tells its own top from its noise. It is worth it where the hiss is over what counts as heard in this mix.
"""

import contextlib
import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from all_even import texts
from all_even.dsp.filters import biquad
from all_even.dsp.parameter import number
from all_even.dsp.tone.passes import LowPass
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.figures.sources.units import Unit
from all_even.measure.faults import hiss
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import band_gains, bins_hz
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.moves.share import passes
from all_even.moves.share.figures import DEPENDS_ON
from all_even.moves.share.high_pass import REGISTER
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of

PLACES_HZ: Final = (4000.0, 5000.0, 6300.0, 8000.0, 10_000.0)
SLOPE: Final = 24
NOTHING_DB = -50.0
"""A part has nothing of its own over a place where it stays this far under all it has. Our own rule."""
CLEAR = 0.8
"""What is above this part of the cutoff has to be hiss already: the corner itself takes nothing of the part."""
NOT_JUDGED = frozenset({"drums", "percussion", "bass", "buses"})
"""Struck sounds pause between any two hits; a bass belongs to the low end."""
Bands = NDArray[np.float32]


def hiss_of(power: Bands, over_hz: float) -> NDArray[np.float64] | None:
    """(bands,) median power over a place while a part pauses, where that is all there is; 0 below. power: (frames,
    bands)."""
    above = masking.centres_hz() > over_hz
    whole = power.sum(axis=1, dtype=np.float64)
    if not hiss.is_only_noise(whole, power[:, above].sum(axis=1, dtype=np.float64)):
        return None
    _, pausing = hiss.playing_and_pausing(whole)
    return np.where(above, np.median(power[pausing], axis=0), 0.0)


def _cutoff_hz(unit: Unit, power: Bands, floor: float, *, register: bool = False) -> float | None:
    """The lowest place above which is only hiss, and that heard; register: above which it has nothing of its own."""
    if family_of(unit.role) in NOT_JUDGED or any(isinstance(s, LowPass) and not s.bypass for s in unit.head.chain):
        return None
    if register:
        return next((hz for hz in PLACES_HZ if _own_top_db(power, CLEAR * hz) < NOTHING_DB), None)
    for hz in PLACES_HZ:
        found = hiss_of(power, CLEAR * hz)
        if found is not None:
            return hz if bool((found > floor).any()) else None
    return None


def _own_top_db(power: Bands, over_hz: float) -> float:
    """What a part has over a place while it plays loud, against all it has then, dB: what others bleed in counts only
    where it is loud itself."""
    whole = power.sum(axis=1, dtype=np.float64)
    loud, _ = hiss.playing_and_pausing(whole)
    over = float(power[loud][:, masking.centres_hz() > over_hz].sum(dtype=np.float64))
    return 10.0 * math.log10(max(over, 1e-20) / max(float(whole[loud].sum()), 1e-20))


def hiss_db(look: Look, arguments: Arguments) -> float | None:
    """What sources have over their cutoffs, against all there is of all sources, dB. lanes: `id=Hz`, by spaces."""
    found = sharing(look)
    if found is None:
        return None
    cutoffs, centres, over = _cutoffs(arguments), masking.centres_hz(), 0.0
    for unit, power in zip(found.units, found.scene.power, strict=True):
        hz = next((cutoffs[lane.id] for lane in unit.lanes if lane.id in cutoffs), None)
        if hz is not None:
            over += float(power[:, centres > CLEAR * hz].sum(dtype=np.float64))
    return _beside(found, over)


def _cutoffs(arguments: Arguments) -> dict[str, float]:
    """Hz by lane; what a file holds that is none is left out."""
    found = {}
    for part in str(arguments.get("lanes", "")).split():
        lane_id, _, hz = part.rpartition("=")
        with contextlib.suppress(ValueError):
            found[lane_id] = float(hz)
    return found


def _beside(found: Sharing, power: float) -> float:
    whole = float(found.scene.power.sum(dtype=np.float64))
    return 10.0 * math.log10(max(power, 1e-20) / max(whole, 1e-20))


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    if found is None:
        return []
    rate, centres = look.session.sample_rate, masking.centres_hz()
    register = look.session.settings.high_passing == REGISTER
    corners: dict[str, float] = {}
    heads: list[str] = []
    told: list[str] = []
    before = after = 0.0
    for unit, power in zip(found.units, found.scene.power, strict=True):
        hz = _cutoff_hz(unit, power, found.scene.floor, register=register)
        if hz is None:
            continue
        corners.update({lane.id: hz for lane in unit.lanes})
        heads.append(f"{unit.id}={hz:.0f}")
        own = np.where(centres > CLEAR * hz, power.sum(axis=0, dtype=np.float64), 0.0)
        before += float(own.sum())
        after += float((own * _gains(hz, rate)).sum())
        told.append(f"{unit.name} over {number(hz / 1000.0)} kHz")
    if not corners:
        return []
    now, then = _beside(found, before), _beside(found, after)
    title = f"Low-pass where only hiss is above: {texts.count(len(told), 'source')}"
    why = (
        "as loud there in the pauses as while it plays, and over what counts as heard. Nothing of the instruments "
        "goes; it is hiss that adds up."
    )
    if register:
        title = f"Low-pass over the register: {texts.count(len(told), 'source')}"
        why = "nothing of their own lies there while they play loud; it takes what others bleed in."
    return [
        KIND.move(
            targets=tuple(corners),
            title=title,
            reason=f"{', '.join(told)}: {why}",
            parameters={passes.FREQUENCY: corners},
            evidence={"hiss_db": now, "hiss_then_db": then, "sources": len(told)},
            metric=METRIC,
            arguments={"lanes": " ".join(heads)},
            before=now,
            expected=then,
            weight=2.0,
        )
    ]


def _gains(cutoff_hz: float, rate: int) -> NDArray[np.float64]:
    sections = LowPass(frequency_hz=cutoff_hz, slope=SLOPE).sections(rate)
    return band_gains(biquad.magnitude(sections, np.maximum(bins_hz(rate), 1.0), rate), rate)


def edit(session: Session, proposal: Proposal) -> Session:
    return passes.put_first(session, proposal, lambda hz: LowPass(frequency_hz=hz, slope=SLOPE))


def changed(proposal: Proposal) -> Proposal:
    return passes.promised(proposal, "hiss_then_db")


KIND = Kind("share.low-pass", DEPENDS_ON, propose, edit, parts=passes.parts, changed=changed)
METRIC = Metric("top-hiss", "over their own range, against all there is", "dB", 1, 1.5, DEPENDS_ON, hiss_db)
