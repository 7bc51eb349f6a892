"""Trying stations on a part with the real kernels, and finding the one number at which they do what is asked for."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Processor, Single
from all_even.figures.arriving.contribution import BLOCK_FRAMES, Samples, processed
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import PART, is_dynamic, part
from all_even.figures.sources.units import units
from all_even.measure.dynamics.movement import Movement, Part, movement
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.measure.level.levels import LevelMeter
from all_even.moves.dynamics.linking import Place, place_of
from all_even.moves.kind import LONGEST_ID
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
    figure = _figure_of(name, rule, lambda look, lane_id: Place(look, look.session.lane(lane_id), (lane_id,)))

    def propose(look: Look) -> list[Proposal]:
        heads = {unit.id for unit in units(look)}
        wanted = [lane for lane in lanes(look, struck=struck) if is_free(lane)]
        return [move for lane in wanted if lane.id in heads or not heads_only for move in look.get(figure, lane.id)]

    return propose


def source_by_source(name: str, rule: Rule, *, struck: bool) -> Callable[[Look], list[Proposal]]:
    """The same for each source: one of several microphones gets one station on their sum (`linking`)."""

    def place(look: Look, unit_id: str) -> Place:
        found = place_of(look, next(unit for unit in units(look) if unit.id == unit_id))
        assert found is not None
        return found

    figure = _figure_of(name, rule, place)

    def propose(look: Look) -> list[Proposal]:
        wanted = {lane.id for lane in lanes(look, struck=struck)}
        found = [unit for unit in units(look) if unit.id in wanted and place_of(look, unit) is not None]
        return [move for unit in found for move in look.get(figure, unit.id)]

    return propose


def _figure_of(name: str, rule: Rule, place: Callable[[Look, str], Place]) -> Figure[tuple[Proposal, ...]]:
    """What a rule proposes at a place."""

    def rests_on(look: Look, _prints: Fingerprints, target: str) -> str:
        at = place(look, target)
        there = PART.rests_on(at.look, at.look.book.fingerprints(at.look.session), at.lane.id)
        others = [(one.id, one.role, one.hits) for one in look.session.lanes]
        return digest((there, at.targets, at.lane.id, at.lane.name, at.lane.role, look.session.settings, others))

    def compute(look: Look, target: str) -> tuple[Proposal, ...]:
        at = place(look, target)
        found = part(at.look, at.lane.id)
        made = rule(at.look, at.lane, found) if found is not None else None
        return () if made is None else (with_targets(made, at),)

    return Figure(f"{name} of a track", 2, "strip", rests_on, compute)


def with_targets(made: Proposal, at: Place) -> Proposal:
    """The proposal for the microphones of its place; what tells it from others is the first of them."""
    if at.targets == made.targets:
        return made
    told = f" One for its {len(at.targets)} microphones, on their sum: they move together."
    return replace(made, id=f"{made.kind}.{at.targets[0]}"[:LONGEST_ID], targets=at.targets, reason=made.reason + told)


def behind(samples: Samples, sample_rate: int, stations: Sequence[Processor]) -> tuple[Samples, Array]:
    """A sound behind some stations, and the gain they applied together, dB per frame."""
    if not stations:
        return samples, np.zeros(len(samples))
    samples, total_db = processed(stations[0], sample_rate, samples, None)
    for station in stations[1:]:
        samples, gain_db = processed(station, sample_rate, samples, None)
        total_db += gain_db
    return samples, total_db


def through(signal: Signal, stations: Sequence[Processor]) -> tuple[Signal, Array]:
    """The same with its levels."""
    samples, gain_db = behind(signal.samples, signal.sample_rate, stations)
    return signal_of(samples, signal.sample_rate), gain_db


def power_behind(signal: Signal, stations: Sequence[Processor]) -> Array:
    """(hops,) mean square of each 10 ms of a sound behind some stations, without the sound itself."""
    rate = signal.sample_rate
    if any(station.latency_frames(rate) for station in stations):
        return through(signal, stations)[0].power
    runs, meter = [Single(station, rate) for station in stations], LevelMeter(rate)
    for start in range(0, len(signal.samples), BLOCK_FRAMES):
        block: NDArray[np.floating] = signal.samples[start : start + BLOCK_FRAMES]
        for run in runs:
            block = run(block)
        meter.add(block)
    return meter.hops[:, 0]


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
