"""What is to be said of a session's bands, and of its sharing, before anything is moved: checks, never moves; and what
Share answers where it proposes nothing."""

import math
from itertools import combinations

import numpy as np

from all_even.dsp.parameter import number
from all_even.dsp.tone.equaliser import GAINLESS, Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import sharing
from all_even.figures.sources.stereo_placement import alike, stand
from all_even.figures.sources.units import units
from all_even.measure.pitch import evenness
from all_even.moves import accounts
from all_even.moves.answer import Answer, cant_judge, nothing_needed, unknown
from all_even.moves.share.bands import BUSES, bus_dynamics
from all_even.moves.share.search import is_near
from all_even.session.model.remark import Remark
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane, MixSettings, Strip
from all_even.session.tracks.roles import family_of

SINGLE_NOTES = "low-end.single-notes"
"""The move that takes single notes of a bass on purpose."""
COUNTS_DB = 1.5
"""A smaller band is not spoken of."""
PILE, BRIGHT_HZ, BRIGHT_DB = 3, 5000.0, 2.0
FEW_LANES = 4
PEAK_DB = 1.0
MOST_ON_MIX_DB = 3.0
"""Common practice: broad bands on the mix bus stay within about 3 dB."""


def remarks(look: Look) -> tuple[Remark, ...]:
    """All of them, what may be a mistake first."""
    session = look.session
    found = [*_narrow_on_bass(look), *_undone(session), *_same_cut(look), *_peaks(look), *_later_dynamics(session)]
    return (*found, *_piles(look), *_bright(look), *_large(session))


def answer(look: Look) -> Answer:
    """What Share answers where it proposes nothing."""
    found = sharing(look)
    if found is None or len(found.units) < 2:
        return cant_judge("fewer than two tracks are heard together")
    return unknown(look) or nothing_needed(
        f"{number(100.0 * found.mean)} % of what matters is masked, and no few bands bring enough back"
    )


def raised(look: Look, session: Session) -> list[Remark]:
    """What the rules about bands would say of another state and do not say now; without peaks, which only sound
    tells."""
    now, then = ({(one.kind, one.lanes): one for one in _of_bands(look.at(state))} for state in (look.session, session))
    return [remark for key, remark in then.items() if key not in now]


def _of_bands(look: Look) -> list[Remark]:
    return [*_narrow_on_bass(look), *_undone(look.session), *_same_cut(look), *_piles(look), *_bright(look)]


def is_warned_of(look: Look, session: Session) -> bool:
    """Whether another state would be warned of for its bands, and this one is not."""
    known: dict[str, set[str]] = {}
    for remark in (*_of_bands(look), *_peaks(look)):
        known.setdefault(remark.kind, set()).update(remark.lanes)
    then = look.at(session)
    return any(set(remark.lanes) - known.get(remark.kind, set()) for remark in (*_of_bands(then), *_peaks(then)))


def bands_of(strip: Strip | MixSettings) -> list[Band]:
    """The bands of a strip's equalisers that do something."""
    return [
        band
        for station in strip.chain
        if isinstance(station, Equaliser) and not station.bypass
        for band in station.bands
        if band.on and band.shape not in GAINLESS and abs(band.gain_db) >= COUNTS_DB
    ]


def _narrow_on_bass(look: Look) -> list[Remark]:
    """A band that takes single notes out of a bass (`measures`: over 3 dB between notes, and few get half of it)."""
    told = []
    standing = accounts.standing(look.session).values()
    on_purpose = {target for move in standing if move.kind == SINGLE_NOTES for target in move.targets}
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        if lane.id in on_purpose or family_of(lane.role) != "bass" or report is None or report.character is None:
            continue
        if not report.character.notes:
            continue
        hz = np.array([note.frequency_hz for note in report.character.notes])
        for band in bands_of(lane):
            if band.gain_db < 0.0:
                gains = 20.0 * np.log10(np.maximum(band.prototype(hz), 1e-6))
                judged = evenness.narrow_band(tuple(gains.tolist()), band.gain_db)
                if judged.too_narrow:
                    text = (
                        f"the cut at {number(band.frequency_hz, 0)} Hz takes {judged.takes} of {judged.notes} notes: "
                        "too narrow for a bass"
                    )
                    told.append(Remark((lane.id,), "narrow-on-bass", band.gain_db, text))
    return told


def _undone(session: Session) -> list[Remark]:
    """Two bands of one way through the mix that take each other back."""
    told = []
    for lane in session.lanes:
        buses = {bus.id: bus for bus in session.buses}
        way: list[Strip] = [lane]
        while way[-1].destination in buses and len(way) <= len(buses):
            way.append(buses[way[-1].destination])
        for a, b in combinations([band for strip in way for band in bands_of(strip)], 2):
            if is_near(a, b) and a.gain_db * b.gain_db < 0.0:
                text = (
                    f"{number(a.gain_db)} dB at {number(a.frequency_hz, 0)} Hz and {number(b.gain_db)} dB at "
                    f"{number(b.frequency_hz, 0)} Hz undo each other"
                )
                told.append(Remark((lane.id,), "undone", min(abs(a.gain_db), abs(b.gain_db)), text))
                break
    return told


def _same_cut(look: Look) -> list[Remark]:
    """The same cut on two that are alike: it makes room for neither."""
    cuts = {lane.id: [one for one in bands_of(lane) if one.gain_db < 0.0] for lane in _heads(look)}
    pairs = list(combinations(cuts.values(), 2))
    if not any(is_near(one, two) for first, second in pairs for one in first for two in second):
        return []
    standing = stand(look)
    if standing is None:
        return []
    told = []
    for a, b in alike(standing, range(len(standing.units))):
        first, second = standing.units[a].head.id, standing.units[b].head.id
        for one in cuts.get(first, ()):
            if any(is_near(one, two) for two in cuts.get(second, ())):
                text = f"the same cut at {number(one.frequency_hz, 0)} Hz on two alike: it makes room for neither"
                told.append(Remark((first, second), "same-cut", one.gain_db, text))
                break
    return told


def _peaks(look: Look) -> list[Remark]:
    """Equalisers behind which the peak is higher though the loudness is not."""
    lifted = [lane for lane in _heads(look) if any(band.gain_db > 0.0 for band in bands_of(lane))]
    look.hear(*(("flow", lane.id) for lane in lifted))
    rises: dict[str, float] = {}
    for lane in lifted:
        flow = look.strip_flow(lane.id)
        there = None if flow is None else flow.strip(look.session, lane.id)
        if there is None:
            continue
        for index, station in enumerate(lane.chain):
            if isinstance(station, Equaliser) and not station.bypass and index < len(there.stations):
                before = there.entered if index == 0 else there.stations[index - 1].level
                after = there.stations[index].level
                if before.peak_dbfs is not None and after.peak_dbfs is not None:
                    rises[lane.id] = max(rises.get(lane.id, 0.0), after.peak_dbfs - before.peak_dbfs)
    high = sorted((lane_id for lane_id, rise in rises.items() if rise >= PEAK_DB), key=lambda i: -rises[i])
    if not high:
        return []
    most = rises[high[0]]
    each = f"by {number(most)} dB" if len(high) == 1 else f"the first by {number(most)} dB"
    return [Remark(tuple(high), "raised-peak", most, f"lifts raise the peak, {each}: headroom that nobody hears")]


def _later_dynamics(session: Session) -> list[Remark]:
    """What compresses a bus came after the bands were found: they are to be listened to again."""
    now = set(bus_dynamics(session))
    for move in accounts.standing(session).values():
        then = move.parameters.get(BUSES)
        if move.stage == "share" and isinstance(then, tuple) and now - set(then):
            kinds = sorted({item.partition(" ")[0] for item in now - set(then)})
            text = f"{' and '.join(kinds)} on a bus came after the bands were found: listen to them again"
            return [Remark((), "later-dynamics", float(len(kinds)), text, aside=True)]
    return []


def _heads(look: Look) -> list[Lane]:
    """One lane of each source: its microphones have the same bands."""
    return [unit.head for unit in units(look)]


def _piles(look: Look) -> list[Remark]:
    """Lifts of several sources in one place."""
    lifts = [(lane, band) for lane in _heads(look) for band in bands_of(lane) if band.gain_db > 0.0]
    best: list[tuple[Lane, Band]] = []
    for _, centre in lifts:
        near = {lane.id: (lane, band) for lane, band in lifts if is_near(band, centre)}
        if len(near) > len(best):
            best = list(near.values())
    if len(best) < PILE:
        return []
    hz = float(np.exp(np.mean([math.log(band.frequency_hz) for _, band in best])))
    text = f"{len(best)} sources are lifted at about {number(hz, 0)} Hz: what is lifted everywhere stands out nowhere"
    return [Remark(tuple(lane.id for lane, _ in best), "pile-of-lifts", float(len(best)), text)]


def _bright(look: Look) -> list[Remark]:
    """Most of the equalised lanes are lifted at the top."""
    with_bands = [lane for lane in _heads(look) if bands_of(lane)]
    bright = [
        lane for lane in with_bands
        if sum(band.gain_db for band in bands_of(lane) if band.frequency_hz >= BRIGHT_HZ) >= BRIGHT_DB
    ]  # fmt: skip
    if len(bright) < FEW_LANES or 2 * len(bright) <= len(with_bands):
        return []
    text = f"{len(bright)} of {len(with_bands)} equalised sources are lifted over 5 kHz: all bright is nobody bright"
    return [Remark(tuple(lane.id for lane in bright), "all-bright", float(len(bright)), text)]


def _large(session: Session) -> list[Remark]:
    told = []
    strips: list[tuple[tuple[str, ...], str, Strip | MixSettings, float]] = [
        ((lane.id,), "", lane, session.settings.noted_over_db) for lane in session.lanes
    ]
    strips.append(((), "Mix: ", session.mix, MOST_ON_MIX_DB))
    for lanes, whose, strip, limit in strips:
        for band in bands_of(strip):
            if abs(band.gain_db) > limit:
                text = (
                    f"{whose}{number(band.gain_db)} dB at {number(band.frequency_hz, 0)} Hz: more than usual, no fault"
                )
                told.append(Remark(lanes, "large-band", band.gain_db, text, aside=True))
    return told
