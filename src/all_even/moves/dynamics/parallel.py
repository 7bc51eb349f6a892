"""Parallel: a crushed copy under a selection, until its body comes up; peaks hardly rise.

Post-fader post-pan copies go to a bus of their own. First the copy is compared with the original: without its
compressor it has to be the same sum (null). Then it is over-compressed, ugly alone, and raised until the body of the
hits (30 to 150 ms) comes up by what is asked; what has no hits gets it at a distance. What is quiet comes up much more
than anything else, and that is said.

The other school is a mix knob in the compressor of a group: the same sound with the same rise, without a bus.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import LEVEL, Parameter, number
from all_even.engine.feeds import edge_gains
from all_even.engine.mixing import add_lane
from all_even.errors import UserError
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import hits_of, is_dynamic, part
from all_even.measure.dynamics import punch, side_effects
from all_even.measure.dynamics.movement import Part, part_of
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.moves.buses.tracks import bus_named, free_bus_name, has_parallel_copy, ids, of_family, present
from all_even.moves.dynamics import gentle, glue
from all_even.moves.dynamics.figures import DEPENDS_ON, movement_of
from all_even.moves.dynamics.trying import solved, through
from all_even.moves.kind import Kind, measured_later, numbers_of, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane, Strip
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
NAMES = {"drums": "Drums parallel", "bass": "Bass parallel", "voices": "Voices parallel"}
OTHER_NAME = "Parallel compression"
CRUSH = Compressor(ratio=12.0, knee_db=6.0, attack_ms=0.1, release_ms=30.0)
"""Common practice: low threshold, high ratio, fast, no make-up. Of attacks from 0.1 to 5 ms and releases from 30 to 200
ms these let the peaks rise least for the same body (0.5 dB for 1 dB, on a generated kit)."""
TAKES_DB = 15.0
"""Deeper lifts what is quiet, and nothing else."""
BODY_S = punch.BODY_S
LOWEST_DB, HIGHEST_DB = -40.0, 20.0
FEWEST_HITS = 8
LEAST_MIX_LU = 0.05
NULL_DB, LOWEST_NULL_DB = -80.0, -140.0
BLOCK_FRAMES = 1 << 16
BODY = Parameter("Body of the hits up by", "dB", 0.3, 3.0, 1.0, 0.1)


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """level_db: of the copy's fader. null_db: copy less original, without the compressor. under_lu: the copy's loudness
    against the original. body_db, peak_db: what rises in the first 150 ms. None without hits."""

    crush: Compressor
    level_db: float
    null_db: float
    under_lu: float
    body_db: float | None
    peak_db: float | None
    quiet_db: float | None


def main_edge(strip: Strip) -> routing.Edge:
    return routing.Edge(strip.id, strip.destination, "destination")


def dry_sum(look: Look, session: Session, lanes: Sequence[Strip]) -> Signal:
    """What these strips bring to where they go, added up."""
    sounds = [look.at(session).sound(strip.id) for strip in lanes]
    total = np.zeros((max(sound.frames for sound in sounds), 2), dtype=np.float32)
    gains = [edge_gains(session, strip, main_edge(strip), s.channels) for strip, s in zip(lanes, sounds, strict=True)]
    for start in range(0, len(total), BLOCK_FRAMES):
        block = np.zeros((min(BLOCK_FRAMES, len(total) - start), 2))
        for sound, gain in zip(sounds, gains, strict=True):
            add_lane(block, sound.read(start, len(block)), gain, False)
        total[start : start + len(block)] = block
    return signal_of(total, session.sample_rate)


def hits_among(look: Look, lanes: Sequence[Strip]) -> tuple[float, ...]:
    """The hits of the lane that has most of them and leads: kick first, then snare, then the others."""
    order = {"kick": 0, "kick out": 1, "snare top": 2}
    struck = sorted(
        (lane for lane in lanes if isinstance(lane, Lane)), key=lambda lane: order.get(lane.role, 3)
    )  # fmt: skip
    for lane in struck:
        hits = hits_of(look, lane.id)
        if len(hits) >= FEWEST_HITS:
            return hits
    return ()


def null_db(look: Look, lanes: Sequence[Lane], dry: Signal) -> float:
    """How far the difference of copy and original lies under the original, through a real bus."""
    session, bus = routing_edits.add_bus(look.session, OTHER_NAME, "parallel")
    session = routing_edits.set_send(session, ids(lanes), bus)
    copy = look.at(session).sound(bus)
    count = min(copy.frames, len(dry.samples))
    left, power = 0.0, 0.0
    for start in range(0, count, BLOCK_FRAMES):
        original = dry.samples[start : min(count, start + BLOCK_FRAMES)].astype(np.float64)
        difference = copy.read(start, len(original)) - original
        left, power = left + float(np.sum(difference**2)), power + float(np.sum(original**2))
    numbers = 2 * max(count, 1)
    return max(LOWEST_NULL_DB, float(10.0 * np.log10(max(left / numbers, 1e-24) / max(power / numbers, 1e-20))))


def body_rise_db(before: Signal, after: Array, hits_s: Sequence[float], part_s: tuple[float, float]) -> float:
    """By how much a stretch after the hits comes up, dB. after: (frames,) of the side that is the louder one before."""
    rate = before.sample_rate
    was = punch.level_after_db(before.louder_side, rate, hits_s, part_s)
    return punch.level_after_db(after, rate, hits_s, part_s) - was


def louder_of(before: Signal, after: NDArray[np.floating]) -> Array:
    """(frames,) of (frames, 2): the side that is the louder one before."""
    return np.asarray(after[:, before.louder], dtype=np.float64)


def crush_for(dry: Signal, hits_s: tuple[float, ...]) -> Compressor:
    """The compressor that crushes: 15 dB in loud passages."""
    whole = gentle.stretch(part_of(dry, hits_s, is_sum=True))
    return gentle.at_gain(whole, CRUSH, TAKES_DB)


def level_for(dry: Signal, copy: Signal, hits_s: Sequence[float], body_db: float) -> float:
    """Level of a copy at which the body of the hits comes up by so much, dB."""
    side, added = dry.louder_side, louder_of(dry, copy.samples)
    was = punch.level_after_db(side, dry.sample_rate, hits_s, BODY_S)

    def rise(db: float) -> float:
        return punch.level_after_db(side + added * 10.0 ** (db / 20.0), dry.sample_rate, hits_s, BODY_S) - was

    found = solved(rise, body_db, LOWEST_DB, HIGHEST_DB, within=0.02, most=20)
    return found if found is not None else LOWEST_DB


def fitted(look: Look, lanes: Sequence[Lane], body_db: float) -> Fit | None:
    """None where nothing of them is heard."""
    return look.get(FIT, ":".join((*ids(lanes), str(body_db))))


def _read(look: Look, target: str) -> tuple[list[Lane], float]:
    *lane_ids, body_db = target.split(":")
    return [look.session.lane(lane_id) for lane_id in lane_ids], float(body_db)


def _fit_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    lanes, body_db = _read(look, target)
    feeds = [(prints.feed(main_edge(lane)), routing.is_sounding(look.session, lane)) for lane in lanes]
    return digest((feeds, hits_among(look, lanes), body_db, look.session.settings.parallel_under_lu))


def _fit(look: Look, target: str) -> Fit | None:
    lanes, body_db = _read(look, target)
    dry = dry_sum(look, look.session, lanes)
    if dry.lufs is None:
        return None
    hits = hits_among(look, lanes)
    crush = crush_for(dry, hits)
    copy, _ = through(dry, [crush])
    distance = (copy.lufs if copy.lufs is not None else dry.lufs) - dry.lufs
    level_db = -look.session.settings.parallel_under_lu - distance
    if hits:
        counted = punch.strong(dry.louder_side, dry.sample_rate, hits)
        level_db = level_for(dry, copy, counted, body_db)
    level_db = LEVEL.clamped(round(level_db, 1))
    together = dry.samples + copy.samples * np.float32(10.0 ** (level_db / 20.0))
    body = peak = None
    if hits:
        counted = punch.strong(dry.louder_side, dry.sample_rate, hits)
        body = body_rise_db(dry, louder_of(dry, together), counted, BODY_S)
        was = punch.hit_peaks_db(dry.louder_side, dry.sample_rate, counted)
        peak = punch.hit_peaks_db(together[:, dry.louder].astype(np.float64), dry.sample_rate, counted) - was
    quiet = side_effects.noise_rise_db(dry.power, signal_of(together, dry.sample_rate).power)
    return Fit(crush, level_db, null_db(look, lanes, dry), distance + level_db, body, peak, quiet)


FIT = Figure("parallel compression", 1, "feed", _fit_rests_on, _fit)


def propose(look: Look) -> list[Proposal]:
    drums = of_family(look.session, "drums")
    if len(drums) < 2 or any(has_parallel_copy(look.session, lane) for lane in drums):
        return []
    found = for_lanes(look, drums)
    return [found] if found is not None else []


def for_lanes(look: Look, lanes: Sequence[Lane], body_db: float | None = None) -> Proposal | None:
    """A copy of any selection; None where nothing of it is heard. A UserError where it has one already."""
    if any(has_parallel_copy(look.session, lane) for lane in lanes):
        raise UserError("There is a parallel copy of these tracks already.")
    aim = look.session.settings.parallel_body_db if body_db is None else body_db
    fit = fitted(look, lanes, aim) if lanes else None
    if fit is None:
        return None
    families = {family_of(lane.role) for lane in lanes}
    name = free_bus_name(
        look.session, NAMES.get(next(iter(families)), OTHER_NAME) if len(families) == 1 else OTHER_NAME
    )
    whom = next(iter(families)) if len(families) == 1 else f"{len(lanes)} tracks"
    null = "is the original" if fit.null_db <= NULL_DB else "is NOT the original"
    if fit.body_db is not None and fit.peak_db is not None:
        rise = (
            f"Raised until the body of the hits comes up by {number(fit.body_db)} dB; their peaks rise by "
            f"{number(fit.peak_db)}. It stands {number(-fit.under_lu)} LU under the dry sound."
        )
    else:
        rise = f"Kept {number(-fit.under_lu)} LU under the dry sound: there are no hits to go by."
    quiet = "" if fit.quiet_db is None else f" What is quiet comes up by {number(fit.quiet_db)} dB: noise, bleed, room."
    return KIND.move(
        targets=ids(lanes), title=f"Parallel compression under the {whom}",
        reason=f"Post-fader, post-pan copies in a bus: without its compressor it {null} (null {number(fit.null_db, 0)} "
        f"dB). {number(fit.crush.ratio, 0)}:1 from {number(fit.crush.threshold_db)} dB on, fast, no make-up. {rise}"
        f"{quiet} Mute the bus to compare.",
        parameters={"level_db": fit.level_db, "threshold_db": fit.crush.threshold_db, "name": (name,), "body_db": aim},
        evidence={"null_db": fit.null_db, "under_dry_lu": fit.under_lu, "body_db": fit.body_db, "peak_db": fit.peak_db,
                  "noise_rise_db": fit.quiet_db},
        metric=METRIC if fit.body_db is not None else UNDER, arguments={"bus": name},
        before=0.0 if fit.body_db is not None else None,
        expected=fit.body_db if fit.body_db is not None else fit.under_lu, source="trial", weight=4.0,
    )  # fmt: skip


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Another rise is fitted anew."""
    if proposal.expected is not None:
        return proposal
    lanes = [look.session.lane(lane_id) for lane_id in present(look.session, proposal.targets)]
    anew = for_lanes(look, lanes, value_of(proposal, "body_db"))
    return proposal if anew is None else replace(anew, rests_on=proposal.rests_on)


def _edit(session: Session, proposal: Proposal) -> Session:
    p = proposal.parameters
    names = p["name"]
    assert isinstance(names, tuple)
    session, bus = routing_edits.add_bus(session, names[0], "parallel")
    session = routing_edits.set_send(session, present(session, proposal.targets), bus)
    session = chain_edits.add_station(session, bus, replace(CRUSH, threshold_db=float(p["threshold_db"])))  # type: ignore[arg-type]
    return edits.change_strips(session, [bus], level_db=float(p["level_db"]))  # type: ignore[arg-type]


def _copied(look: Look, arguments: Arguments) -> tuple[Signal, Signal, tuple[float, ...]] | None:
    """Originals of a parallel bus, the bus behind its fader, and the hits that count."""
    session = look.session
    bus = bus_named(session, str(arguments.get("bus", "")))
    senders = list(routing.senders(session, bus.id)) if bus is not None else []
    if bus is None or not senders or look.book.fingerprints(session).strips.get(bus.id) is None:
        return None
    dry = dry_sum(look, session, senders)
    sound = look.sound(bus.id)
    gains = edge_gains(session, bus, main_edge(bus), 2)
    total = np.zeros((len(dry.samples), 2))
    add_lane(total, sound.read(0, len(total)), gains, False)
    return dry, signal_of(total, session.sample_rate), hits_among(look, senders)


def body_db(look: Look, arguments: Arguments) -> float | None:
    """By how much a parallel bus lifts the body of the hits it lies under, dB."""
    found = _copied(look, arguments)
    if found is None or len(found[2]) < FEWEST_HITS:
        return None
    dry, copy, hits = found
    counted = punch.strong(dry.louder_side, dry.sample_rate, hits)
    return body_rise_db(dry, louder_of(dry, dry.samples + copy.samples), counted, BODY_S) if counted else None


def under_dry_lu(look: Look, arguments: Arguments) -> float | None:
    """Loudness of a parallel bus behind its fader against the sends' sources behind theirs."""
    found = _copied(look, arguments)
    if found is None or found[0].lufs is None or found[1].lufs is None:
        return None
    return found[1].lufs - found[0].lufs


METRIC = Metric("copy-body", "body of the hits, up by its copy", "dB", 1, 0.3,
                ("strips", "levels", "routing", "files"), body_db)  # fmt: skip
UNDER = Metric("under-dry", "parallel compression against the dry sound", "LU", 1, 0.5,
               ("strips", "levels", "routing", "files"), under_dry_lu)  # fmt: skip
KIND = Kind(
    "dynamics.parallel", (*DEPENDS_ON, "names"), propose, _edit, refit=_refit, parameters={"body_db": BODY},
    changed=measured_later,
)  # fmt: skip


# The mix knob.


def propose_knob(look: Look) -> list[Proposal]:
    made = []
    for bus in glue.groups(look.session):
        if any(is_dynamic(station) for station in bus.chain):
            continue
        found = part(look, bus.id)
        members = [lane for lane in look.session.lanes if lane.destination == bus.id]
        hits = hits_among(look, members)
        if found is not None and hits:
            proposal = _knob(look, bus.id, bus.name, found, hits)
            if proposal is not None:
                made.append(proposal)
    return made


def _knob(look: Look, bus_id: str, name: str, found: Part, hits: tuple[float, ...]) -> Proposal | None:
    dry = found.signal
    crush = crush_for(dry, hits)
    counted = punch.strong(dry.louder_side, dry.sample_rate, hits)
    aim = look.session.settings.parallel_body_db

    copy, _ = through(dry, [crush])
    gain = 10.0 ** (level_for(dry, copy, counted, aim) / 20.0)
    together = signal_of(dry.samples + copy.samples * np.float32(gain), dry.sample_rate)
    if together.lufs is None or dry.lufs is None or together.lufs - dry.lufs < LEAST_MIX_LU:
        return None
    # Dry and copy in parts of 1 to g, turned down until they are as loud as the dry sound alone.
    whole = 10.0 ** ((dry.lufs - together.lufs) / 20.0)
    mix = 1.0 - whole
    makeup_db = 20.0 * float(np.log10(whole * gain / mix))
    station = replace(crush, mix=round(100.0 * mix, 1), makeup_db=round(makeup_db, 1))
    now, _ = through(dry, [station])
    side = louder_of(dry, now.samples)
    over = body_rise_db(dry, side, counted, BODY_S) - body_rise_db(dry, side, counted, punch.ATTACK_S)
    return KNOB.move(
        targets=(bus_id,), of=bus_id, title=f"Parallel compression by a mix knob, inside {name}",
        reason=f"The other school of parallel compression: one compressor in the group, {number(station.ratio, 0)}:1 "
        f"from {number(station.threshold_db)} dB on, {number(station.mix)} % of it mixed in with "
        f"{number(station.makeup_db)} dB of make-up: the same as a copy that lifts the body by {number(aim)} dB, "
        f"turned down to be as loud as before; the body gains {number(over)} dB on the attacks.",
        parameters={"threshold_db": station.threshold_db, "mix": station.mix, "makeup_db": station.makeup_db},
        evidence={"body_db": aim, "louder_lu": (now.lufs or 0.0) - dry.lufs,
                  "noise_rise_db": side_effects.noise_rise_db(dry.power, now.power)},
        metric=OVER, arguments={"strip": bus_id}, before=0.0, expected=over, source="trial", weight=1.2,
    )  # fmt: skip


def over_attack_db(look: Look, arguments: Arguments) -> float | None:
    """By how much the dynamics of a group lift the body of its hits against their attacks, dB."""
    from all_even.figures.dynamics.dynamics import now_signal

    bus_id = str(arguments.get("strip", ""))
    if movement_of(look, arguments) is None or look.session.is_lane(bus_id):
        return None
    found = part(look, bus_id)
    hits = hits_among(look, [lane for lane in look.session.lanes if lane.destination == bus_id])
    if found is None or not hits:
        return None
    dry, now = found.signal, now_signal(look, bus_id)
    counted = punch.strong(dry.louder_side, dry.sample_rate, hits)
    side = louder_of(dry, now.samples)
    return body_rise_db(dry, side, counted, BODY_S) - body_rise_db(dry, side, counted, punch.ATTACK_S)


def _edit_knob(session: Session, proposal: Proposal) -> Session:
    p = numbers_of(proposal)
    station = replace(CRUSH, threshold_db=p["threshold_db"], mix=p["mix"], makeup_db=p["makeup_db"])
    return chain_edits.add_station(session, proposal.targets[0], station)


OVER = Metric("body-over-attack", "body over attack of its hits, up", "dB", 1, 0.5,
              ("strips", "levels", "routing", "files"), over_attack_db)  # fmt: skip
KNOB = Kind("dynamics.mix-knob", (*DEPENDS_ON, "names"), propose_knob, _edit_knob, optional=True)
