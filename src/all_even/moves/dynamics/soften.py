"""Soften sibilants: a high shelf that steps down on each of them and nowhere else.

A compressed band lowers vowels as much as sibilants, so a band is ridden: sibilants are found
(`measure.dynamics.sibilants`), listed, and the shelf is automated over each, the loud ones further. On speech whose
sounds are known every sibilant was found, but a quarter of what is found are other hissing consonants: leave out what
should stay. Refused where sibilants can't be told from vowels.
"""

from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from all_even import texts
from all_even.dsp.parameter import Parameter, number, time_text
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import now_signal, place_of
from all_even.measure.dynamics import sibilants
from all_even.measure.dynamics.sibilants import Sibilants
from all_even.measure.dynamics.signal import Signal
from all_even.measure.dynamics.units import HOP_S
from all_even.moves.dynamics.figures import DEPENDS_ON
from all_even.moves.dynamics.trying import lanes
from all_even.moves.kind import Kind, left_out, measured_later, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

WITHIN_DB = 12.0
"""Softer ones than this under the loud are left alone: on speech with known sounds 93 % of the sibilants are kept."""
LOUD_DB = -16.0
"""The median sibilant is worth softening from here on, treble against the whole vowel. Our own rule."""
MOST_DB = 10.0
RAMP_S = 0.012
SHELF = Band(shape="high shelf", frequency_hz=5000.0, q=0.7)
GAIN = "bands.0.gain_db"
LISTED = 12
REST = "rest"
AMOUNT = Parameter("Softer by", "dB", 1.0, 8.0, 4.0, 0.5)
Span = tuple[float, float, float]


def spans(found: Sibilants, amount_db: float) -> list[Span]:
    """(start s, end s, gain dB) of those that are ridden: `amount_db` at the median, louder ones further."""
    if not len(found):
        return []
    loud = float(np.percentile(found.over_db, 90))
    middle = float(np.median(found.over_db))
    gains = np.clip(amount_db + (found.over_db - middle), 0.0, MOST_DB)
    return [
        (float(start), float(end), -round(float(gain), 1))
        for start, end, over, gain in zip(found.starts_s, found.ends_s, found.over_db, gains, strict=True)
        if over > loud - WITHIN_DB and gain >= 0.5
    ]


def over_vowels_db(signal: Signal, places: list[tuple[float, float]]) -> float | None:
    """Median treble of some places against everything else that sounds, dB."""
    treble = sibilants.band_power(signal.samples, signal.sample_rate, sibilants.TREBLE_HZ)
    power = signal.power
    inside = np.zeros(len(power), dtype=bool)
    levels = []
    for start, end in places:
        first, last = round(start / HOP_S), max(round(start / HOP_S) + 1, round(end / HOP_S))
        inside[first:last] = True
        if treble[first:last].any():
            levels.append(float(treble[first:last].mean()))
    counted = power[~inside & (power > power.max(initial=0.0) * 10.0 ** (-sibilants.SOUNDING_DB / 10.0))]
    if not levels or not len(counted):
        return None
    return float(10.0 * np.log10(np.median(levels) / np.median(counted)))


def voices(look: Look) -> list[tuple[Lane, Sibilants]]:
    """Voices that no band rides yet, with what hisses in them."""
    found = []
    for lane in lanes(look, struck=False):
        if family_of(lane.role) == "voices" and not ridden(look.session, lane.id):
            found.append((lane, look.get(HISSING, lane.id)))
    return found


def _hissing(look: Look, target: str) -> Sibilants:
    signal = now_signal(look, target)
    return sibilants.find_sibilants(signal.samples, signal.sample_rate)


HISSING = Figure(
    "sibilants", 1, "strip", lambda _look, prints, target: str(prints.strips.get(target)), _hissing
)  # fmt: skip


def propose(look: Look) -> list[Proposal]:
    made = []
    for lane, found in voices(look):
        if not found.sure or np.median(found.over_db) < LOUD_DB:
            continue
        wanted = spans(found, AMOUNT.default)
        if len(wanted) >= sibilants.FEWEST:
            made.append(_proposal(look, lane, found, wanted, AMOUNT.default))
    return made


def _proposal(look: Look, lane: Lane, found: Sibilants, wanted: list[Span], amount_db: float) -> Proposal:
    signal = now_signal(look, lane.id)
    before = over_vowels_db(signal, [span[:2] for span in wanted])
    proposal = KIND.move(
        targets=(lane.id,), of=lane.id, title=f"Soften {texts.count(len(wanted), 'sibilant')} of {lane.name}",
        reason=f"They stand {number(found.clear_db)} dB clear of the vowels, treble against the rest. A shelf from 5 "
        f"kHz steps down on each for as long as it lasts, {number(amount_db)} dB at the median, louder ones further; "
        "vowels pass untouched. About one in four is another hissing consonant: leave out what should stay.",
        parameters={"amount_db": amount_db, "starts_s": tuple(f"{span[0]:.3f}" for span in wanted),
                    "ends_s": tuple(f"{span[1]:.3f}" for span in wanted),
                    "gains_db": tuple(f"{span[2]:.1f}" for span in wanted)},
        evidence={"sibilants": len(wanted), "clear_db": found.clear_db}, metric=METRIC,
        arguments={"strip": lane.id}, before=before, source="trial", weight=1.7,
    )  # fmt: skip
    return _with_trial(look, proposal)


def _with_trial(look: Look, proposal: Proposal) -> Proposal:
    """What comes of it, through the real chain."""
    trial = _edit(look.session, proposal)
    return replace(proposal, expected=hiss_db(look.at(trial), proposal.arguments))


def _spans_of(proposal: Proposal) -> list[tuple[str, Span]]:
    """Those that are to be ridden, each with its id among the parts."""
    columns = [proposal.parameters.get(name, ()) for name in ("starts_s", "ends_s", "gains_db")]
    numbers = [[float(text) for text in column] if isinstance(column, tuple) else [] for column in columns]
    found = [(start, end, gain) for start, end, gain in zip(*numbers, strict=True)]
    order = sorted(range(len(found)), key=lambda index: found[index][2])
    listed = {index: f"{place}" for place, index in enumerate(order[:LISTED])}
    return [(listed.get(index, REST), span) for index, span in enumerate(found)]


def starts_s(proposal: Proposal) -> tuple[float, ...]:
    """Where those that are ridden begin."""
    out = set(left_out(proposal))
    return tuple(span[0] for name, span in _spans_of(proposal) if name not in out)


def _parts(_session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """The furthest ones by themselves, the others together."""
    found = _spans_of(proposal)
    single = sorted((int(name), span) for name, span in found if name != REST)
    told = [(str(place), f"{time_text(start)}, {number(1000.0 * (end - start), 0)} ms, {number(gain)} dB")
            for place, (start, end, gain) in single]  # fmt: skip
    rest = sum(name == REST for name, _ in found)
    return [*told, (REST, f"the other {rest}")] if rest else told


def _edit(session: Session, proposal: Proposal) -> Session:
    out = set(left_out(proposal))
    wanted = [span for name, span in _spans_of(proposal) if name not in out]
    lane_id = proposal.targets[0]
    at = place_of(session, lane_id)
    session = chain_edits.add_station(session, lane_id, Equaliser(bands=(SHELF,)), at)
    station = session.lane(lane_id).chain[at]
    return chain_edits.automate(session, lane_id, f"{station.id}.{GAIN}", _points(wanted)) if wanted else session


def _points(wanted: list[Span]) -> list[tuple[float, float]]:
    """Breakpoints: down before each, back behind it."""
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    for start, end, gain in sorted(wanted):
        down = max(points[-1][0] + 0.001, start - RAMP_S)
        points += [(down, 0.0), (max(down + 0.001, start), gain), (max(down + 0.002, end), gain)]
        points.append((points[-1][0] + RAMP_S, 0.0))
    return points


def ridden(session: Session, lane_id: str) -> list[tuple[float, float]]:
    """Where a shelf of a lane is ridden down, (start s, end s)."""
    lane = session.lane(lane_id)
    shelves = {
        station.id for station in lane.chain
        if isinstance(station, Equaliser) and len(station.bands) == 1 and station.bands[0].shape == SHELF.shape
    }  # fmt: skip
    for item in lane.automation:
        station_id, _, path = item.parameter.partition(".")
        if station_id in shelves and path == GAIN:
            points = item.points
            return [(a.time_s, b.time_s) for a, b in pairwise(points)
                    if a.value < 0.0 and b.value < 0.0]  # fmt: skip
    return []


def hiss_db(look: Look, arguments: Arguments) -> float | None:
    """Median treble of the ridden sibilants against the vowels, dB."""
    lane_id = str(arguments.get("strip", ""))
    if not look.session.is_lane(lane_id):
        return None
    places = ridden(look.session, lane_id)
    return over_vowels_db(now_signal(look, lane_id), places) if places else None


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Another amount, or others left out, is tried anew."""
    if proposal.expected is not None:
        return proposal
    lane_id, amount_db = proposal.targets[0], value_of(proposal, "amount_db")
    for lane, found in voices(look):
        if lane.id == lane_id:
            anew = _proposal(look, lane, found, spans(found, amount_db), amount_db)
            kept = {**anew.parameters, "left_out": left_out(proposal)}
            return _with_trial(look, replace(anew, parameters=kept, rests_on=proposal.rests_on))
    return proposal


METRIC = Metric("sibilants", "sibilants against vowels", "dB", 1, 0.7, ("strips", "files"), hiss_db)
KIND = Kind(
    "dynamics.sibilants", DEPENDS_ON, propose, _edit, refit=_refit, parameters={"amount_db": AMOUNT}, parts=_parts,
    changed=measured_later, optional=True,
)  # fmt: skip
