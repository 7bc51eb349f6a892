"""Tracks as they arrive in the mix, heard in one pass: what masks what, and how kick and bass share the bottom.

Every lane is taken behind its chain, fader and pan, with the levels of the groups it goes through. What
the chains of groups do on the way is left aside: dynamics there answer to all their members together.
The gap that a duck leaves is the difference of two passes, with and without the stations that duck.
"""

import threading
from collections.abc import Callable, Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducker import Ducker
from all_even.engine.plan import Sources, edge_gains, make_plan
from all_even.engine.render import WORKERS, render_stems
from all_even.measure import duck, focus, masking
from all_even.measure.character import Character
from all_even.measure.masking import Excitation, ExcitationMeter, Masking
from all_even.session import routing
from all_even.session.hits import is_kick, lane_hits_s, struck
from all_even.session.model import MIX, NOWHERE, Lane, Session, Strip
from all_even.session.roles import family_of

Array = NDArray[np.float64]
OWNER_HZ = (30.0, 80.0)
OWNER_DB = 1.5
"""Under this difference nobody owns the bottom."""
BLOCKS = 8
"""Rendered blocks that are judged together."""


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """excitations: by lane id. kick, bass: (frames, 2) sums of their lanes, float32; None where there are none."""

    excitations: dict[str, Excitation]
    kick: NDArray[np.float32] | None
    bass: NDArray[np.float32] | None


@dataclass(frozen=True, slots=True)
class LowEnd:
    """owner: kick or bass, None where neither has more of 30 to 80 Hz. gap, pile-up: `measure.duck`.

    focus: share of the kick that is heard, 0 to 1; bass_limit_db: change of the bass at which 0.70 is left.
    """

    owner: str | None
    gap_db: float | None
    gap_ms: float | None
    pile_up_db: float | None
    focus: float | None
    bass_limit_db: float | None
    bass_suggestion_db: float | None
    sum_peak_dbfs: float | None


NO_LOW_END = LowEnd(None, None, None, None, None, None, None, None)


def path_gains(session: Session, lane: Lane) -> Array | None:
    """(2, 2) gains from what a lane gives to its destination to the mix; None where it does not get there."""
    gains = np.eye(2)
    strip: Strip = lane
    passed: set[str] = set()
    while strip.destination != MIX:
        if strip.destination == NOWHERE or strip.id in passed:
            return None
        passed.add(strip.id)
        strip = session.bus(strip.destination)
        gains = gains @ edge_gains(session, strip, routing.Edge(strip.id, strip.destination, "destination"), 2)
    return gains


def hear_lanes(
    session: Session,
    sources: Sources,
    *,
    lanes: Collection[str] | None = None,
    excite: bool = True,
    progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
) -> Heard:
    """Renders once and gathers what arrives. lanes: only these ids; excite: False leaves the spectra out."""
    wanted = [lane for lane in session.lanes if lanes is None or lane.id in lanes]
    plan = make_plan(session, sources, taps=True)
    paths = {lane.id: gains for lane in wanted if (gains := path_gains(session, lane)) is not None}
    kicks = {lane.id for lane in wanted if lane.role.startswith("kick")}
    basses = {lane.id for lane in wanted if family_of(lane.role) == "bass"}
    meters = {lane_id: ExcitationMeter(session.sample_rate) for lane_id in paths if lane_id in plan.taps and excite}
    sums: dict[str, list[NDArray[np.float32]]] = {"kick": [], "bass": []}
    waiting: list[dict[str, Array]] = []

    def gather(pool: ThreadPoolExecutor) -> None:
        blocks = {lane_id: np.concatenate([stems[lane_id] for stems in waiting]) for lane_id in paths if waiting and
                  lane_id in waiting[0]}  # fmt: skip
        for lane_id, block in blocks.items():
            blocks[lane_id] = block @ paths[lane_id]
        jobs = [pool.submit(meters[lane_id].add, block) for lane_id, block in blocks.items() if lane_id in meters]
        for name, members in (("kick", kicks), ("bass", basses)):
            own = [blocks[lane_id] for lane_id in members if lane_id in blocks]
            if own:
                sums[name].append(np.sum(own, axis=0).astype(np.float32))
        for job in jobs:
            job.result()
        waiting.clear()

    with ThreadPoolExecutor(WORKERS, thread_name_prefix="judge") as pool:
        for _, stems in render_stems(plan, progress=progress, cancelled=cancelled):
            waiting.append(stems)
            if len(waiting) == BLOCKS:
                gather(pool)
        if waiting:
            gather(pool)
    kick, bass = (np.concatenate(parts) if parts else None for parts in (sums["kick"], sums["bass"]))
    return Heard({lane_id: meter.result() for lane_id, meter in meters.items()}, kick, bass)


def change_masking(before: Masking, session: Session, sources: Sources, lane_id: str) -> Masking:
    """The table after one lane changed: only that lane is rendered again, the others silent."""
    lanes = tuple(lane if lane.id == lane_id else replace(lane, mute=True, solo=False) for lane in session.lanes)
    alone = replace(session, lanes=lanes, mix=replace(session.mix, chain=(), automation=()))
    heard = hear_lanes(alone, sources, lanes={lane_id})
    silent = masking.excitation_of(np.zeros((1, 2)), session.sample_rate)
    return masking.with_track(before, lane_id, heard.excitations.get(lane_id, silent))


def low_end(session: Session, sources: Sources, heard: Heard, characters: Mapping[str, Character]) -> LowEnd:
    """How kick and bass share the bottom; hits of the first kick with any."""
    if heard.kick is None or heard.bass is None:
        return NO_LOW_END
    main = _main_kick(session, characters)
    if main is None:
        return NO_LOW_END
    lane, hits_s = main
    rate = session.sample_rate
    kick, bass = (side.mean(axis=1).astype(np.float64) for side in (heard.kick, heard.bass))
    peak = float(np.abs(heard.kick + heard.bass).max(initial=0.0))
    owner = _owner(kick, bass, rate)
    focused = focus.focus(kick, bass, rate, hits_s)
    gap_db = gap_ms = pile_up_db = None
    if len(hits_s) >= 3 and np.any(bass) and np.any(kick):
        found = struck(characters[lane.id], lane.role).tail
        meeting = duck.meet(kick, bass, rate, hits_s, found.ms if found else 150.0)
        powers = _with_and_without(session, sources, bass, rate)
        gain_db = 10.0 * np.log10((powers[1] + 1e-20) / (powers[0] + 1e-20)) if powers else np.zeros(len(bass))
        figures = duck.low_figures(meeting, np.minimum(0.0, gain_db), powers=powers)
        gap_db, gap_ms, pile_up_db = figures.gap_db, figures.gap_ms, figures.pile_up_db
    return LowEnd(
        owner, gap_db, gap_ms, pile_up_db,
        focused.at_present if focused else None,
        focused.limit_db if focused else None,
        focused.suggestion_db if focused else None,
        float(20.0 * np.log10(peak)) if peak > 0.0 else None,
    )  # fmt: skip


def _main_kick(session: Session, characters: Mapping[str, Character]) -> tuple[Lane, tuple[float, ...]] | None:
    """The first sounding kick that has hits."""
    for lane in session.lanes:
        if is_kick(lane.role) and lane.id in characters and routing.is_sounding(session, lane):
            hits_s = lane_hits_s(lane, characters[lane.id])
            if hits_s:
                return lane, hits_s
    return None


def _owner(kick: Array, bass: Array, rate: int) -> str | None:
    """Who has more of the bottom."""
    energies = []
    for side in (kick, bass):
        spectrum = np.abs(np.fft.rfft(side)) ** 2
        frequency = np.fft.rfftfreq(len(side), 1.0 / rate)
        energies.append(float(spectrum[(frequency >= OWNER_HZ[0]) & (frequency <= OWNER_HZ[1])].sum()))
    if min(energies) <= 0.0 and max(energies) <= 0.0:
        return None
    difference = 10.0 * np.log10((energies[0] + 1e-30) / (energies[1] + 1e-30))
    return None if abs(difference) < OWNER_DB else "kick" if difference > 0.0 else "bass"


def _with_and_without(session: Session, sources: Sources, bass: Array, rate: int) -> tuple[Array, Array] | None:
    """Low-band power of the bass without and with what ducks it; None where nothing does."""
    basses = {lane.id for lane in session.lanes if family_of(lane.role) == "bass"}
    plain = replace(session, lanes=tuple(_without_ducks(lane) if lane.id in basses else lane for lane in session.lanes))
    if plain == session:
        return None
    unducked = hear_lanes(plain, sources, lanes=basses, excite=False).bass
    if unducked is None:
        return None
    sides = (unducked.mean(axis=1).astype(np.float64), bass)
    without, ducked = (duck.smoothed_power(duck.low_band(side, rate)) for side in sides)
    return without, ducked


def _without_ducks(lane: Lane) -> Lane:
    """Every station that listens to another track, or follows a shape, is bypassed; latency stays."""
    return replace(
        lane,
        chain=tuple(
            replace(station, bypass=True)
            if isinstance(station, Ducker) or getattr(station, "key", None) is not None
            else station
            for station in lane.chain
        ),
    )
