"""The whole: what stands out of a mix, how steady its bass is, how loud it is at one peak, what is left of it in mono.

No move is fitted on these figures, but Polish on what is masked, so they judge moves and stages. Sources are heard as
they arrive at the mix, behind a filterbank of their own (`measure.whole.gammatone`); what is common to all, the chain
of the mix bus, changes no relation between them. Level figures are those of the mix as it is printed.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even.figures.arriving import spectra
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.sharing.sharing import sharing
from all_even.figures.sources.units import Unit, units
from all_even.measure.level import zones
from all_even.measure.level.hops import Hops
from all_even.measure.recording.track import TrackMeasures
from all_even.measure.whole import standing, witness
from all_even.session.model import space
from all_even.session.model.strips import MIX
from all_even.session.song.hits import lane_hits_s
from all_even.session.tracks.importance import importance
from all_even.session.tracks.roles import family_of

Powers = NDArray[np.float32]
OF_MIX = frozenset({"plr_db", "true_peak_dbtp", "mono_db", "sides_db", "width_db", "zones_db"})
"""Figures that are read from the mix."""
KICKS, SNARES = frozenset({"kick", "kick out"}), frozenset({"snare top", "snare bottom"})


@dataclass(frozen=True, slots=True)
class Whole:
    """None where it can't be known: no such source, or too little of it.

    lead_db, lead_spread_db: over the rest between 300 and 3500 Hz while it plays; P90 less P10 over its phrases.
    kick_low_db, kick_click_db, snare_body_db, snare_crack_db: over the rest in their bands, on their hits.
    bass_spread_db: from note to note under 120 Hz; bass_to_kick_db: its usual level there against a hit of the kick.
    masked, masked_ours: 0 to 1, by importance: by the witness, and by the figure moves are fitted on.
    plr_db: true peak over integrated loudness; true_peak_dbtp. mono_db: what is lost when both sides are one; sides_db:
    left over right. width_db: sides against middle. room_db: returns against what is dry. zones_db: of the mix against
    its loudness (`measure.level.zones`).
    """

    lead_db: float | None = None
    lead_spread_db: float | None = None
    kick_low_db: float | None = None
    kick_click_db: float | None = None
    snare_body_db: float | None = None
    snare_crack_db: float | None = None
    bass_spread_db: float | None = None
    bass_to_kick_db: float | None = None
    masked: float | None = None
    masked_ours: float | None = None
    plr_db: float | None = None
    true_peak_dbtp: float | None = None
    mono_db: float | None = None
    sides_db: float | None = None
    width_db: float | None = None
    room_db: float | None = None
    zones_db: tuple[float | None, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Standing:
    """What the relations are read from. sources: (frames, bands) of each unit at the mix; rooms: of all returns."""

    units: tuple[Unit, ...]
    sources: tuple[Powers, ...]
    rooms: Powers | None
    hits_s: Mapping[str, tuple[float, ...]]
    sample_rate: int


def whole(look: Look) -> Whole:
    """Of the mix as it is."""
    return look.get(WHOLE)


def relations(look: Look) -> Whole:
    """The same without what is read from the mix: known without rendering it."""
    return look.get(RELATIONS)


def with_figure(look: Look, field: str) -> Whole:
    """With one figure, and no more than is worked out along with it: the mix is rendered only for what is read from
    it."""
    if field == "masked_ours":
        shared = sharing(look)
        return Whole(masked_ours=None if shared is None else shared.mean)
    return _with_levels(Whole(), look.mix) if field in OF_MIX else relations(look)


def stands(look: Look) -> Standing:
    """The sources at the mix, behind the filterbank of the whole."""
    arriving = spectra.arriving_powers(look, bank=spectra.SECOND_EAR)
    found = tuple(unit for unit in units(look) if any(lane.id in arriving for lane in unit.lanes))
    sources = tuple(_together([arriving[lane.id] for lane in unit.lanes if lane.id in arriving]) for unit in found)
    returned = [spectra.powers_of(look, bus.id, spectra.SECOND_EAR) for bus in space.returns(look.session)]
    heard = [power for power in returned if power is not None]
    hits = {unit.id: _hits_s(look, unit) for unit in found if unit.role in KICKS | SNARES}
    return Standing(found, sources, _together(heard) if heard else None, hits, look.session.sample_rate)


def _together(parts: list[Powers]) -> Powers:
    if len(parts) == 1:
        return parts[0]
    total = np.zeros((max(map(len, parts)), parts[0].shape[1]), dtype=np.float32)
    for part in parts:
        total[: len(part)] += part
    return total


def _hits_s(look: Look, unit: Unit) -> tuple[float, ...]:
    report = look.reports.get(unit.id)
    return () if report is None or report.character is None else lane_hits_s(unit.head, report.character)


def relations_of(found: Standing, weights: Mapping[str, float], *, masking: bool = True) -> Whole:
    """From powers alone. weights: of sources, by id. masking: also by the witness, which takes longest."""
    if not found.sources:
        return Whole()
    total = _together([*found.sources, *([] if found.rooms is None else [found.rooms])])
    lead, lead_rest = _part(found, total, lambda unit: unit.standing == "lead")
    kick, kick_rest = _part(found, total, lambda unit: unit.role in KICKS)
    snare, snare_rest = _part(found, total, lambda unit: unit.role in SNARES)
    bass, _ = _part(found, total, lambda unit: family_of(unit.role) == "bass")
    rate = found.sample_rate
    kicks, snares = (
        next((hits for unit in found.units if unit.role in roles and (hits := found.hits_s[unit.id])), ())
        for roles in (KICKS, SNARES)
    )
    long_s, short_s = standing.LONG_HIT_S, standing.SHORT_HIT_S
    masked = witness.masked(found.sources, found.rooms, rate) if masking else np.full(len(found.sources), np.nan)
    weight = np.array([max(weights.get(lane.id, 0.0) for lane in unit.lanes) for unit in found.units])
    known = ~np.isnan(masked)
    counts = float(weight[known].sum())
    dry = sum(float(part.sum(dtype=np.float64)) for part in found.sources)
    room = 0.0 if found.rooms is None else float(found.rooms.sum(dtype=np.float64))
    return Whole(
        lead_db=None if lead is None else standing.line_over_rest_db(lead, lead_rest, rate, standing.LEAD_HZ),
        lead_spread_db=None if lead is None
        else standing.spread_over_phrases_db(lead, lead_rest, rate, standing.LEAD_HZ),
        kick_low_db=_on_hits(kick, kick_rest, rate, standing.KICK_LOW_HZ, kicks, long_s),
        kick_click_db=_on_hits(kick, kick_rest, rate, standing.KICK_CLICK_HZ, kicks, short_s),
        snare_body_db=_on_hits(snare, snare_rest, rate, standing.SNARE_BODY_HZ, snares, long_s),
        snare_crack_db=_on_hits(snare, snare_rest, rate, standing.SNARE_CRACK_HZ, snares, short_s),
        bass_spread_db=None if bass is None else standing.spread_of_notes_db(bass, rate, kicks),
        bass_to_kick_db=_bass_to_kick(bass, kick, kicks, rate),
        masked=float(weight[known] @ masked[known]) / counts if counts > 0.0 else None,
        room_db=10.0 * math.log10(room / dry) if room > 0.0 and dry > 0.0 else None,
    )  # fmt: skip


def _part(
    found: Standing, total: Powers, belongs: Callable[[Unit], bool]
) -> tuple[Powers, Powers] | tuple[None, Powers]:
    """The sources that belong together, and all the rest; None where there are none."""
    own = [power for unit, power in zip(found.units, found.sources, strict=True) if belongs(unit)]
    if not own:
        return None, total
    summed = np.zeros_like(total)
    for power in own:
        summed[: len(power)] += power
    return summed, np.maximum(total - summed, 0.0)


def _on_hits(
    own: Powers | None,
    rest: Powers,
    rate: int,
    band_hz: tuple[float, float],
    hits_s: tuple[float, ...],
    length_s: float,
) -> float | None:
    return None if own is None else standing.hits_over_rest_db(own, rest, rate, band_hz, hits_s, length_s)


def _bass_to_kick(bass: Powers | None, kick: Powers | None, hits_s: tuple[float, ...], rate: int) -> float | None:
    """How much louder the bass usually is in the low than a hit of the kick, dB."""
    if bass is None or kick is None:
        return None
    hit = standing.hits_over_rest_db(
        kick, np.full_like(kick, standing.QUIET), rate, standing.KICK_LOW_HZ, hits_s, standing.LONG_HIT_S
    )
    level = standing.level_db(bass, rate, standing.BASS_HZ)
    silence_db = 10.0 * math.log10(standing.QUIET * standing.bands_in(standing.KICK_LOW_HZ))
    return None if hit is None or level is None else level - (hit + silence_db)


def _mono_and_width(hops: Hops) -> tuple[float | None, float | None]:
    """Level of both sides as one against both as they are, and of the sides against the middle, dB; of all of it, so
    that what is loud counts."""
    if hops.power.shape[1] != 2:
        return 0.0, None
    both, cross = float(hops.power.sum(dtype=np.float64)), float(hops.cross.sum(dtype=np.float64))
    middle, sides = both + 2.0 * cross, both - 2.0 * cross
    if both <= 0.0 or middle <= 0.0:
        return None, None
    width = 10.0 * math.log10(sides / middle) if sides > 1e-6 * middle else None
    return 10.0 * math.log10(middle / (2.0 * both)), width


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    lanes = [
        (lane.id, lane.role, lane.hidden, lane.importance, lane.hits, lane.id in look.reports)
        for lane in look.session.lanes
    ]
    return digest((prints.mix, lanes, look.session.settings))


def _relations(look: Look, _target: str) -> Whole:
    return relations_of(stands(look), importance(look.session))


def _whole(look: Look, _target: str) -> Whole:
    spectra.hear(look, ("levels", MIX))
    shared = sharing(look)
    found = replace(relations(look), masked_ours=None if shared is None else shared.mean)
    return _with_levels(found, look.mix)


def _with_levels(found: Whole, mix: TrackMeasures | None) -> Whole:
    """With what is read from the mix as it is printed."""
    if mix is None or mix.integrated_lufs is None or mix.plr_db is None:
        return found
    mono_db, width_db = _mono_and_width(mix.hops)
    return replace(
        found, plr_db=mix.plr_db, true_peak_dbtp=mix.true_peak_dbtp, mono_db=mono_db,
        sides_db=mix.balance_db, width_db=width_db,
        zones_db=zones.zone_levels(mix.third_octave_db, mix.integrated_lufs),
    )  # fmt: skip


RELATIONS = Figure("whole, relations", 1, "session", _rests_on, _relations)
WHOLE = Figure("whole", 1, "session", _rests_on, _whole)
