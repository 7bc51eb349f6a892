"""High-pass: away with what lies under a part's lowest note, where the rumble or the room it takes is worth it.

Nobody is heard more by it (a twentieth of what bands do); it is justified by what it takes from the bottom of the mix,
and that stands on the card. School: on everything that is no bass part. In a small ensemble the lowest part is the
bass.
"""

import math
from collections.abc import Collection

import numpy as np

from all_even import texts
from all_even.dsp.filters import biquad
from all_even.dsp.parameter import number
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.figures.sources.units import Unit
from all_even.measure.level.third_octave import has_low_end
from all_even.measure.pitch.notes import own_notes
from all_even.measure.sharing import hearing, masking
from all_even.measure.sharing.scene import band_gains, bins_hz
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.moves.share import passes
from all_even.moves.share.figures import DEPENDS_ON
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.roles import family_of
from all_even.session.tracks.written_range import range_hz

UNDER_LOWEST = 0.75
LOWEST_HZ, HIGHEST_HZ = 20.0, 300.0
BOTTOM_HZ = 120.0
"""What is under this is where kick and bass need the room."""
WORTH_DB = -24.0
"""A lane that brings this to the bottom, against kick and bass there, is worth a high-pass..."""
COMES_OFF_DB = 1.0
"""...where it takes so much of that away. Our own rules."""
SUBSTANCE_DB = -26.0
COARSE = 0.1
"""Of what comes off: what is left deep under a corner is told from bands, and they are coarse."""
FEW_NOTES = 4
REGISTER = "each to its register"
ALWAYS = frozenset({"everything but the bass", REGISTER})
"""Schools of high-passing that ask for no reason."""


def lowest_hz(look: Look, unit: Unit, power: np.ndarray) -> float:
    """Where a part begins: the 5th percentile of its notes, else the lowest place within 26 dB of its strongest; of
    winds and strings not under what the instrument can play: lower notes are a neighbour's."""
    known = range_hz(unit.role) if family_of(unit.role) in ("winds & brass", "strings") else None
    return max(_lowest_heard_hz(look, unit, power), known[0] if known is not None else LOWEST_HZ)


def _lowest_heard_hz(look: Look, unit: Unit, power: np.ndarray) -> float:
    report = look.reports.get(unit.id)
    notes = own_notes(report.character.notes) if report is not None and report.character is not None else ()
    if len(notes) >= FEW_NOTES:
        return float(np.percentile([note.frequency_hz for note in notes], 5))
    centres = masking.centres_hz()
    density = power.mean(axis=0, dtype=np.float64) * centres / hearing.erb_hz(centres)
    strong = density > density.max(initial=0.0) * 10.0 ** (SUBSTANCE_DB / 10.0)
    return float(centres[int(np.argmax(strong))]) if strong.any() else LOWEST_HZ


def bottom_units(look: Look, found: Sharing) -> tuple[int, ...]:
    """Who the bottom belongs to, by place: kick and bass, with what they have there; in an ensemble without any the
    lowest part."""
    own = tuple(
        index
        for index, unit in enumerate(found.units)
        if is_low_end(unit.role)
        and ((measures := look.measures(unit.id)) is None or has_low_end(measures.third_octave_db))
    )
    if own or len(found.units) < 2 or seats.fitting(look.session) is None:
        return own
    lowest = [lowest_hz(look, unit, found.scene.power[index]) for index, unit in enumerate(found.units)]
    return (int(np.argmin(lowest)),)


def bottom_db(found: Sharing, owners: Collection[int], power: np.ndarray) -> float:
    """What something has under 120 Hz against those whom the bottom belongs to, dB. power: (bands,), summed over
    time."""
    low = masking.centres_hz() < BOTTOM_HZ
    own = sum(float(found.scene.power[i].sum(axis=0, dtype=np.float64)[low].sum()) for i in owners)
    return 10.0 * math.log10(max(float(power[low].sum()), 1e-20) / own) if own > 0.0 else -math.inf


def clutter_db(look: Look, _arguments: Arguments) -> float | None:
    """What all that is neither kick nor bass has under 120 Hz, against kick and bass there, dB."""
    found = sharing(look)
    if found is None:
        return None
    owners = bottom_units(look, found)
    rest = [i for i in range(len(found.units)) if i not in owners]
    if not rest or not owners:
        return None
    return bottom_db(found, owners, found.scene.power[rest].sum(axis=(0, 1), dtype=np.float64))


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    before = clutter_db(look, {})
    if found is None or before is None:
        return []
    always = look.session.settings.high_passing in ALWAYS
    owners = bottom_units(look, found)
    rate = look.session.sample_rate
    corners: dict[str, float] = {}
    told: list[tuple[float, str]] = []
    rest = [i for i in range(len(found.units)) if i not in owners]
    low = masking.centres_hz() < BOTTOM_HZ
    after = np.zeros(len(masking.centres_hz()))
    for index in rest:
        unit, power = found.units[index], found.scene.power[index].sum(axis=0, dtype=np.float64)
        after += power
        if unit.role in ("tom", "unknown") or any(isinstance(s, HighPass) and not s.bypass for s in unit.head.chain):
            continue
        corner = float(np.clip(UNDER_LOWEST * lowest_hz(look, unit, found.scene.power[index]), LOWEST_HZ, HIGHEST_HZ))
        gains = _gains(corner, rate)
        brings = bottom_db(found, owners, power)
        off = -10.0 * math.log10(max(float((power * gains)[low].sum()), 1e-20) / max(float(power[low].sum()), 1e-20))
        if power.any() and (always or (brings >= WORTH_DB and off >= COMES_OFF_DB)):
            corners.update({lane.id: round(corner, 0) for lane in unit.lanes})
            told.append((brings, f"{unit.name} {number(brings)} dB, {number(off)} less"))
            after += power * gains - power
    if not corners:
        return []
    then = bottom_db(found, owners, after)
    lanes = ", ".join(text for _, text in sorted(told, reverse=True)[:3])
    return [
        KIND.move(
            targets=tuple(corners),
            title=f"High-pass under the lowest note: {texts.count(len(told), 'source')}",
            reason=f"Under 120 Hz they stand in the way of {_names(found, owners)} (against that: {lanes}). Nobody is "
            "heard much more by it; it is headroom, and rumble gone.",
            parameters={passes.FREQUENCY: corners},
            evidence={"clutter_db": before, "clutter_then_db": then, "sources": len(told)},
            metric=METRIC,
            before=before,
            expected=then,
            tolerance=max(METRIC.tolerance, COARSE * abs(before - then)),
            weight=4.0,
        )
    ]


def _names(found: Sharing, owners: Collection[int]) -> str:
    """Whom the bottom belongs to, in words."""
    if any(is_low_end(found.units[index].role) for index in owners):
        return "kick and bass"
    return f"{found.units[min(owners)].name}, the lowest part"


def _gains(corner_hz: float, rate: int) -> np.ndarray:
    sections = HighPass(frequency_hz=corner_hz).sections(rate)
    return band_gains(biquad.magnitude(sections, np.maximum(bins_hz(rate), 1.0), rate), rate)


def edit(session: Session, proposal: Proposal) -> Session:
    return passes.put_first(session, proposal, lambda hz: HighPass(frequency_hz=hz))


def changed(proposal: Proposal) -> Proposal:
    return passes.promised(proposal, "clutter_then_db")


KIND = Kind("share.high-pass", DEPENDS_ON, propose, edit, parts=passes.parts, changed=changed)
METRIC = Metric(
    "bottom-clutter", "under 120 Hz beside kick and bass, against them", "dB", 1, 1.0, DEPENDS_ON, clutter_db
)
