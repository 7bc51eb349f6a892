"""Trying stations on a part with the real kernels, and finding the one number at which they do what is asked for."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Processor
from all_even.figures.arriving.contribution import Samples, processed
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import PART, is_dynamic, part
from all_even.figures.sources.units import units
from all_even.measure.dynamics.movement import Movement, Part, movement
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_struck
from all_even.session.tracks.importance import weight_of

Array = NDArray[np.float64]
Rule = Callable[[Look, Lane, Part], Proposal | None]
LONGEST_MAKEUP_DB = 24.0
MOST_STEPS = 12


@dataclass(frozen=True, slots=True, eq=False)
class Tried:
    """What came of some stations: the sound behind them, and its figures."""

    stations: tuple[Processor, ...]
    signal: Signal
    movement: Movement


def lanes(look: Look, *, struck: bool) -> Iterator[Lane]:
    """Lanes that take part and are no guides: struck ones, or all others."""
    for unit in units(look):
        for lane in unit.lanes:
            look.stop_if_cancelled()
            if is_struck(lane.role) == struck and weight_of(lane) != "guide":
                yield lane


def is_free(lane: Lane) -> bool:
    """Whether nothing works on its level yet."""
    return not any(is_dynamic(station) for station in lane.chain)


def lane_by_lane(name: str, rule: Rule, *, struck: bool, heads_only: bool = False) -> Callable[[Look], list[Proposal]]:
    """What a rule proposes for each lane that nothing works on yet; known again as long as that lane stays as it is.

    name: of the kind. struck: for struck lanes, or for all others. heads_only: of several microphones the main one.
    """

    def rests_on(look: Look, prints: Fingerprints, lane_id: str) -> str:
        lane = look.session.lane(lane_id)
        others = [(one.id, one.role, one.hits) for one in look.session.lanes]
        return digest((PART.rests_on(look, prints, lane_id), lane.name, lane.role, look.session.settings, others))

    def compute(look: Look, lane_id: str) -> tuple[Proposal, ...]:
        found = part(look, lane_id)
        made = rule(look, look.session.lane(lane_id), found) if found is not None else None
        return () if made is None else (made,)

    figure = Figure(f"{name} of a lane", 1, "strip", rests_on, compute)

    def propose(look: Look) -> list[Proposal]:
        heads = {unit.id for unit in units(look)}
        wanted = [lane for lane in lanes(look, struck=struck) if is_free(lane)]
        return [move for lane in wanted if lane.id in heads or not heads_only for move in look.get(figure, lane.id)]

    return propose


def behind(samples: Samples, sample_rate: int, stations: Sequence[Processor]) -> tuple[Samples, Array]:
    """A sound behind some stations, and the gain they applied together, dB per frame."""
    total = np.zeros(len(samples))
    for station in stations:
        samples, gain_db = processed(station, sample_rate, samples, None)
        total += gain_db
    return samples, total


def through(signal: Signal, stations: Sequence[Processor]) -> tuple[Signal, Array]:
    """The same with its levels."""
    samples, gain_db = behind(signal.samples, signal.sample_rate, stations)
    return signal_of(samples, signal.sample_rate), gain_db


def try_out(found: Part, stations: Sequence[Processor]) -> Tried:
    """Some stations on a part, with all figures."""
    now, gain_db = through(found.signal, stations)
    return Tried(tuple(stations), now, movement(found, now, gain_db))


def matched(found: Part, stations: Sequence[Processor]) -> Tried:
    """The same with a make-up in the last that gives back the loudness that was taken."""
    last = stations[-1]
    if isinstance(last, Compressor | TransientShaper):
        plain, before = through(found.signal, stations)[0].lufs, found.signal.lufs
        if plain is not None and before is not None:
            wanted_db = round(last.makeup_db - (plain - before), 1)
            makeup_db = float(np.clip(wanted_db, -LONGEST_MAKEUP_DB, LONGEST_MAKEUP_DB))
            stations = (*stations[:-1], replace(last, makeup_db=makeup_db))
    return try_out(found, stations)


def solved(
    figure: Callable[[float], float], aim: float, low: float, high: float, *, within: float, most: int = MOST_STEPS
) -> float | None:
    """The highest number found at which a figure is at its aim or under; None where it is not even at `low`.

    figure: rises with its number, as a spread does with the threshold. Found by false position, each second step by
    halving, until the figure is under the aim by less than `within`.
    """
    best, at_low, at_high = low, figure(low) - aim, figure(high) - aim
    if at_high <= 0.0:
        return high
    if at_low > 0.0:
        return None
    for step in range(most):
        if at_low >= -within:
            break
        share = -at_low / (at_high - at_low) if step % 2 == 0 else 0.5
        middle = low + min(0.95, max(0.05, share)) * (high - low)
        there = figure(middle) - aim
        if there <= 0.0:
            best, low, at_low = middle, middle, there
        else:
            high, at_high = middle, there
    return best
