"""Throws: single words at the end of a phrase sent into an echo, where there is room behind them.

A gap of a beat is not yet room: the backing there is usually as loud as under the phrase. Offered are ends behind which
it is at least 3 LU softer. The echo's own return is made for it; the send opens for the word only. Its level against
the backing is set on the sound; whether it is heard can't be promised. A matter of taste.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from all_even import decibels, texts
from all_even.dsp.parameter import LEVEL, Parameter, number, time_text
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.arriving import spectra
from all_even.figures.book.look import Look
from all_even.figures.rides import rides
from all_even.figures.rides.rides import Riding
from all_even.figures.song import SONG
from all_even.measure.rides import riding
from all_even.measure.sharing.scene import loudness_weights
from all_even.moves.buses.tracks import bus_named, free_bus_name
from all_even.moves.kind import Kind, left_out, measured_later, name_of, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.moves.rides.figures import DEPENDS_ON, MEASURED_ON, leads
from all_even.moves.space.echoes import station
from all_even.session.editing import edits, ride_edits, routing_edits, space_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

NAME = "Throws"
SOFTER_LU = 3.0
UNDER = Parameter("Echo under the backing", "dB", 0.0, 18.0, 6.0, 1.0)
MOST = 8
LONGEST_WORD_S, OPEN_S, CLOSE_S = 1.2, 0.02, 0.05
ROOM_BEATS, HEARD_BEATS = 2.0, 4.0
LATE_S = 0.1


@dataclass(frozen=True, slots=True)
class Throw:
    """start_s, end_s: of the word; until_s: as long as there is room; softer_lu: the backing behind it."""

    start_s: float
    end_s: float
    until_s: float
    softer_lu: float


def ends(look: Look, lane: Lane, line: Riding, beat_s: float) -> list[Throw]:
    """Words with room behind them, the roomiest first."""
    found = rides.levels(look)
    place = found.place(lane.id)
    if place is None:
        return []
    backing, last_s = found.backing(place), found.power.shape[1] * found.frame_s
    starts, stops = line.words.starts_s.tolist(), line.words.ends_s.tolist()
    told = []
    for start_s, end_s, following in zip(starts, stops, [*starts[1:], last_s], strict=True):
        if following - end_s < beat_s:
            continue
        under = _mean(backing, found.frame_s, max(0.0, end_s - riding.BACKING_S), end_s)
        behind = _mean(backing, found.frame_s, end_s + LATE_S, min(following, end_s + ROOM_BEATS * beat_s))
        if under > 0.0 and behind > 0.0:
            softer = 10.0 * float(np.log10(under / behind))
            if softer >= SOFTER_LU:
                until = min(following, end_s + HEARD_BEATS * beat_s)
                told.append(Throw(max(start_s, end_s - LONGEST_WORD_S), end_s, until, softer))
    return sorted(told, key=lambda item: -item.softer_lu)[:MOST]


def _mean(power: np.ndarray, frame_s: float, start_s: float, end_s: float) -> float:
    first, last = riding.span(start_s, end_s, frame_s, len(power))
    return float(power[first:last].mean()) if last > first else 0.0


def propose(look: Look) -> list[Proposal]:
    tempo = look.get(SONG).tempo
    if tempo is None or not 40.0 <= tempo.bpm <= 300.0 or bus_named(look.session, NAME) is not None:
        return []
    for lane, line in leads(look):
        thrown = ends(look, lane, line, 60.0 / tempo.bpm)
        found = _proposal(look, lane, thrown, tempo.bpm, UNDER.default) if thrown else None
        if found is not None:
            return [found]
    return []


def _proposal(look: Look, lane: Lane, thrown: Sequence[Throw], bpm: float, under_db: float) -> Proposal | None:
    first = min(thrown, key=lambda item: item.start_s)
    name = free_bus_name(look.session, NAME)
    proposal = KIND.move(
        targets=(lane.id,),
        title=f"Throw {texts.count(len(thrown), 'word')} of {lane.name} into an echo",
        reason=f"Behind them the backing is {number(thrown[-1].softer_lu)} LU softer or more, for a beat at least; "
        f"first at {time_text(first.start_s)}. The send opens for the word alone. Whether it is heard "
        "can't be promised. Optional.",
        parameters={"under_db": under_db, "bpm": bpm, "level_db": 0.0, "name": (name,),
                    "starts_s": tuple(f"{item.start_s:.3f}" for item in thrown),
                    "ends_s": tuple(f"{item.end_s:.3f}" for item in thrown),
                    "until_s": tuple(f"{item.until_s:.3f}" for item in thrown)},
        evidence={"throws": len(thrown), "least_softer_lu": min(item.softer_lu for item in thrown)},
        metric=METRIC, source="trial", weight=1.2,
    )  # fmt: skip
    return _placed(look, proposal)


def _placed(look: Look, proposal: Proposal) -> Proposal | None:
    """With the return's level set on the sound; None where nothing comes of it."""
    kept = [item for index, item in enumerate(_throws(proposal)) if str(index) not in left_out(proposal)]
    arguments = {"bus": name_of(proposal), "windows": " ".join(f"{item.end_s:.3f}-{item.until_s:.3f}" for item in kept)}
    plain = replace(proposal, parameters={**proposal.parameters, "level_db": 0.0})
    at_rest = echo_over_backing_db(look.at(_edit(look.session, plain)), arguments)
    if at_rest is None:
        return None
    level_db = LEVEL.clamped(round(-value_of(proposal, "under_db") - at_rest, 1))
    return replace(
        proposal, arguments=arguments, expected=at_rest + level_db,
        parameters={**proposal.parameters, "level_db": level_db},
    )  # fmt: skip


def _throws(proposal: Proposal) -> list[Throw]:
    columns = [proposal.parameters.get(name, ()) for name in ("starts_s", "ends_s", "until_s")]
    numbers = [[float(text) for text in column] if isinstance(column, tuple) else [] for column in columns]
    return [Throw(start, end, until, 0.0) for start, end, until in zip(*numbers, strict=False)]


def _parts(_session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    return [(str(index), f"{time_text(item.start_s)} to {time_text(item.end_s)}")
            for index, item in enumerate(_throws(proposal))]  # fmt: skip


def _refit(look: Look, proposal: Proposal) -> Proposal:
    return proposal if proposal.expected is not None else (_placed(look, proposal) or proposal)


def send_curve(thrown: Sequence[Throw]) -> list[tuple[float, float]]:
    """(seconds, dB) of a send that is open for the words only."""
    points = [(0.0, decibels.OFF_DB)]
    for item in sorted(thrown, key=lambda one: one.start_s):
        opens = max(points[-1][0], item.start_s - OPEN_S)
        points += [(opens, decibels.OFF_DB), (max(opens, item.start_s), 0.0), (item.end_s, 0.0),
                   (item.end_s + CLOSE_S, decibels.OFF_DB)]  # fmt: skip
    return points


def _edit(session: Session, proposal: Proposal) -> Session:
    lane_id = proposal.targets[0]
    session.lane(lane_id)
    kept = [item for index, item in enumerate(_throws(proposal)) if str(index) not in left_out(proposal)]
    stations = (station(value_of(proposal, "bpm")), HighPass(frequency_hz=300.0), LowPass(frequency_hz=6000.0))
    session, bus = space_edits.add_return(session, name_of(proposal), stations, ())
    session = routing_edits.set_send(session, (lane_id,), bus, level_db=decibels.OFF_DB)
    session = ride_edits.set_curve(session, lane_id, f"send:{bus}", send_curve(kept))
    return edits.change_strips(session, (bus,), level_db=value_of(proposal, "level_db"))


def echo_over_backing_db(look: Look, arguments: Arguments) -> float | None:
    """Level of the return over all sources in the gaps behind its words, median, K-weighted, dB."""
    bus = bus_named(look.session, str(arguments.get("bus", "")))
    windows = times_in(str(arguments.get("windows", "")))
    if bus is None or not windows:
        return None
    power = spectra.powers_of(look, bus.id)
    if power is None:
        return None
    found = rides.levels(look)
    echo = power @ loudness_weights(look.session.sample_rate)
    everything = found.power.sum(axis=0, dtype=np.float64)
    over = []
    for start_s, end_s in windows:
        own, rest = (_mean(part, found.frame_s, start_s + LATE_S, end_s) for part in (echo, everything))
        if own > 0.0 and rest > 0.0:
            over.append(10.0 * np.log10(own / rest))
    return float(np.median(over)) if over else None


def times_in(text: str) -> list[tuple[float, float]]:
    """From a session file, which may say anything."""
    found = []
    for part in text.split():
        start, _, end = part.partition("-")
        try:
            found.append((float(start), float(end)))
        except ValueError:
            continue
    return [(start, end) for start, end in found if 0.0 <= start < end]


METRIC = Metric(
    "echo-over-backing", "echo over the backing in the gaps", "dB", 1, 1.0, MEASURED_ON, echo_over_backing_db
)
KIND = Kind(
    "rides.throws", DEPENDS_ON, propose, _edit, parameters={"under_db": UNDER}, parts=_parts, refit=_refit,
    optional=True, changed=measured_later,
)  # fmt: skip
