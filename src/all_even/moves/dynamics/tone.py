"""Tone of the mix bus: one broad move for the whole, within 3 dB, before its compression or last.

A gentle shelf on the whole may save a move on twenty channels. What is asked for is read from finished mixes at equal
loudness (`figures.elsewhere.tonal_balance`): only where a zone of the mix lies outside what they all do. First in the
chain, the compression hears it; last, it does not: two schools, a setting.
"""

from collections.abc import Sequence

import numpy as np

from all_even.dsp.filters import biquad
from all_even.dsp.parameter import number, signed
from all_even.dsp.tone.equaliser import Band, Equaliser, Shape
from all_even.figures.book.look import Look
from all_even.figures.elsewhere.tonal_balance import tonal
from all_even.measure.level import zones
from all_even.measure.level.hops import k_weighting
from all_even.measure.level.third_octave import NOMINAL_HZ
from all_even.moves.kind import Kind, numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

MOST_DB, LEAST_DB = 3.0, 1.0
"""Common practice: broad bands within about 3 dB."""
BROAD_Q = 0.6
LAST = len(zones.NAMES) - 1


def band_of(index: int, gain_db: float) -> Band:
    """A broad band for a zone: shelves at the ends, bells between."""
    low, high = zones.EDGES_HZ[index : index + 2]
    shape: Shape = "low shelf" if index == 0 else "high shelf" if index == LAST else "bell"
    at_hz = high if index == 0 else low if index == LAST else float(np.sqrt(low * high))
    return Band(shape=shape, frequency_hz=round(at_hz, 0), gain_db=gain_db, q=BROAD_Q)


def propose(look: Look) -> list[Proposal]:
    mix = look.mix
    found = tonal(look)
    if found is None or mix is None or mix.integrated_lufs is None or _has_tone(look.session):
        return []
    made = []
    for index, beside in found.flags[:1]:
        before = found.mix[index]
        gain_db = float(np.clip(round(-beside, 1), -MOST_DB, MOST_DB))
        if before is None or abs(gain_db) < LEAST_DB:
            continue
        then = _behind(mix.third_octave_db, band_of(index, gain_db), mix.integrated_lufs, look.session.sample_rate)[
            index
        ]
        where = look.session.settings.bus_tone
        made.append(
            KIND.move(
                targets=(MIX,),
                title=f"Tone of the mix: {zones.NAMES[index]} {signed(gain_db, 1)} dB, broad",
                reason=f"At equal loudness the mix has {number(abs(beside))} dB {'more' if beside > 0.0 else 'less'} "
                f"there than all {len(found.references)} references. One broad band for the whole, {where} in the mix "
                f"bus, 3 dB at most; look at single tracks first if one of them makes it.",
                parameters={"zone": float(index), "gain_db": gain_db, "first": float(where == "first")},
                evidence={"beside_db": beside, "references": len(found.references)},
                metric=ZONE,
                arguments={"zone": index},
                before=before,
                expected=then,
                weight=2.0,
            )
        )
    return made


def _behind(third_octave_db: Sequence[float | None], band: Band, lufs: float, rate: int) -> zones.Levels:
    """Zones behind a band: their powers, against the loudness that is left (K-weighted, from the third octaves)."""
    at_hz = np.array(NOMINAL_HZ)
    gains_db = 20.0 * np.log10(np.maximum(band.prototype(at_hz), 1e-6))
    powers = np.array([0.0 if level is None else 10.0 ** (level / 10.0) for level in third_octave_db])
    weighted = powers * biquad.magnitude(k_weighting(rate), at_hz, rate) ** 2
    louder = 10.0 * np.log10((weighted * 10.0 ** (gains_db / 10.0)).sum() / max(float(weighted.sum()), 1e-20))
    turned = [None if level is None else level + float(gain)
              for level, gain in zip(third_octave_db, gains_db, strict=True)]  # fmt: skip
    return zones.zone_levels(turned, lufs + float(louder))


def _has_tone(session: Session) -> bool:
    return any(isinstance(station, Equaliser) and not station.bypass for station in session.mix.chain)


def _edit(session: Session, proposal: Proposal) -> Session:
    p = numbers_of(proposal)
    station = Equaliser(bands=(band_of(int(p["zone"]), p["gain_db"]),))
    at = 0 if p["first"] else len(session.mix.chain)
    return chain_edits.add_station(session, MIX, station, at)


def _zone(look: Look, arguments: Arguments) -> float | None:
    found, index = tonal(look), arguments.get("zone")
    if found is None or not isinstance(index, int | float) or not 0 <= index <= LAST:
        return None
    return found.mix[int(index)]


ZONE = Metric("zone", "zone of the mix against its loudness", "dB", 1, 0.7, ("mix", "files"), _zone)
KIND = Kind("dynamics.tone", ("mix", "files", "chains", "settings"), propose, _edit)
