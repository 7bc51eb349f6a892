"""The duck: the bass gives way while the kick sounds and is back when it is gone; fitted on the tracks as they arrive.

All ways are fitted (`moves.ducking`) on the busiest stretch of the song and judged on the whole. What is proposed is
the best of them whose *net* is worth it: by trial, since the fit's own cost left out ducks that were worth 1.7 dB.
Where kick and bass do not meet, none is proposed, and the stage says so.
"""

import dataclasses
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.dsp.ducking.clicks import Clicks, click_track
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape, Shaped
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import number
from all_even.dsp.processor import Key, Processor, key_of, numbers
from all_even.errors import UserError
from all_even.figures.arriving.contribution import parts
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.low_end.low_copies import COPIES, copies
from all_even.figures.low_end.low_end import FEWEST_HITS, bass_strips, heard, kicks_and_basses, low_end, pair
from all_even.figures.song import SONG
from all_even.measure.sharing import duck as figures
from all_even.measure.sharing.focus import RATE
from all_even.measure.sharing.low_pair import PairFigures
from all_even.moves.buses.tracks import is_ducked
from all_even.moves.ducking import methods
from all_even.moves.ducking.fit import Duck, Ducks, find_ducks, judge
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import ROOM, beside_a_fader, evidence
from all_even.moves.low_end.guards import Offer, anyway, first_harmless, on_offer, recommended
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import NOWHERE, Lane

Array = NDArray[np.float64]
LONGEST_S = 24.0
"""The fit looks at the stretch of this length with the most hits over the bass."""
NAMES = {
    "keyed": "Compressor, sidechain from the kick", "keyed_click": "Compressor, sidechain from a silent click",
    "keyed_high_pass": "Compressor, sidechain from the kick, high-passed", "band": "Only the kick's band",
    "drawn": "Drawn shape at each hit", "timeline": "Drawn shape on the grid", "pulse": "Pulse on each beat",
    "none": "No duck", "plain": "Compression without sidechain", "keyed_default": "Sidechain at factory values",
}  # fmt: skip
SHORT = {
    "keyed": "sidechain", "keyed_click": "from a click", "keyed_high_pass": "key high-passed", "band": "one band",
    "drawn": "drawn per hit", "timeline": "drawn on grid", "pulse": "per beat", "none": "no duck", "plain": "no key",
    "keyed_default": "factory values",
}  # fmt: skip
PROPOSED = ("keyed", "keyed_high_pass", "band", "drawn")
"""In this order where two are as good: what the click key and the timeline do, one of these does on the tracks as they
are, without a lane of clicks; the pulse is an effect. All can be used by hand."""
LIGHTER, MOST_WAYS = (0.7, 0.5), 2
SHAPED = frozenset({"drawn", "timeline", "pulse"})
CLICK_KEY = "keyed_click"
BY_HAND = "low-end.duck.by-hand"
"""What is used on the bench does not take the place of what is recommended."""


@dataclass(frozen=True, slots=True, eq=False)
class Fitted:
    """ducks: all methods on the stretch that begins at start_s; of the whole song hits_s, grid_s (the hits as a time
    line has them) and beats_s."""

    ducks: Ducks
    start_s: float
    hits_s: tuple[float, ...]
    kick_id: str
    grid_s: tuple[float, ...]
    beats_s: tuple[float, ...]

    def times_s(self, method: str) -> tuple[float, ...]:
        """Where a method's shape stands in the song."""
        return {"timeline": self.grid_s, "pulse": self.beats_s}.get(method, self.hits_s)


def fitted(look: Look) -> Fitted | None:
    """None where there are too few hits, or no bass."""
    found = look.get(FITTED)
    return found if isinstance(found, Fitted) else None


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    work = look.session.settings
    lanes = [(lane.id, lane.hits) for lane in look.session.lanes if lane.role.startswith("kick")]
    plain = plain_session(look.session)
    below = COPIES.rests_on(look.at(plain), look.book.fingerprints(plain), target)
    tempo = SONG.rests_on(look, prints, target)
    return digest((below, lanes, tempo, work.kick_over_bass_db, work.duck_smooth))


def plain_session(session: Session) -> Session:
    """The same without what ducks the basses, and without clicks and shapes that only served it."""
    ducked = [strip for strip in bass_strips(session) if is_ducked(strip)]
    for lane in ducked:
        session = edits.change_strips(session, (lane.id,), chain=tuple(s for s in lane.chain if not is_duck(s)))
    served = {key.source for lane in ducked for s in lane.chain if is_duck(s) and (key := key_of(s)) is not None}
    still = {key.source for strip in session.strips for s in strip.chain if (key := key_of(s)) is not None}
    idle = [lane for lane in session.lanes if lane.id in served - still and is_click_trigger(lane)]
    followed = {s.shape for lane in (*ducked, *idle) for s in lane.chain if isinstance(s, Shaped)}
    session = routing_edits.remove_strips(session, [lane.id for lane in idle]) if idle else session
    for shape_id in followed - {s.shape for strip in session.strips for s in strip.chain if isinstance(s, Shaped)}:
        session = chain_edits.remove_shape(session, shape_id)
    return session


def is_click_trigger(lane: Lane) -> bool:
    """Whether a lane only plays clicks to key from."""
    return lane.destination == NOWHERE and any(isinstance(item, Clicks) for item in lane.chain)


def is_duck(station: Processor) -> bool:
    """Whether a station takes the whole bass down, or a wide band of it, at the kick's hits."""
    return isinstance(station, Ducker) or (isinstance(station, Compressor | BandCompressor) and station.key is not None)


def _fit(look: Look, _target: str) -> Fitted | str:
    plain = look.at(plain_session(look.session))
    found = heard(plain)
    if found is None or len(found.hits_s) < FEWEST_HITS + 1:
        return "too few hits"
    kicks, basses = kicks_and_basses(plain.session)
    sides = parts(plain, {"kick": kicks, "bass": basses})
    rate = look.session.sample_rate
    start_s, end_s = stretch(found.hits_s, found.bass, len(found.kick) / RATE)
    cut = slice(round(start_s * rate), round(end_s * rate))
    kept = plain.sound(found.kick_id)
    detector = middle_of(kept.read(cut.start, max(0, min(kept.frames, cut.stop) - cut.start)))
    hits = [hit - start_s for hit in found.hits_s if start_s <= hit < end_s]
    work = look.session.settings
    try:
        ducks = find_ducks(
            sides["kick"][cut], sides["bass"][cut], rate, hits_s=hits, kbr_db=work.kick_over_bass_db,
            smooth=work.duck_smooth, detector=detector, tail_ms=found.tail_ms, stop=look.stop_if_cancelled,
        )  # fmt: skip
    except UserError:
        return "too few hits"
    return Fitted(ducks, start_s, found.hits_s, found.kick_id, *_on_time_line(look, found.hits_s, ducks))


def _on_time_line(look: Look, hits_s: tuple[float, ...], ducks: Ducks) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """The hits at the nearest sixteenths, and every beat; without a tempo the hits, and a beat as it was fitted."""
    tempo = look.get(SONG).tempo
    if tempo is None:
        beats = np.arange(hits_s[0], hits_s[-1] + 1e-6, ducks.sketch.beat_s)
        return hits_s, tuple(map(float, beats))
    grid = np.array(tempo.grid_s())
    nearest = grid[np.abs(grid[:, np.newaxis] - np.array(hits_s)[np.newaxis, :]).argmin(axis=0)]
    placed = np.unique(np.maximum(0.0, nearest))
    return tuple(map(float, placed)), tuple(beat for beat in tempo.beats_s if beat >= 0.0)


FITTED = Figure("fitted ducks", 2, "session", _rests_on, _fit)


def stretch(hits_s: tuple[float, ...], bass: Array, song_s: float) -> tuple[float, float]:
    """From where to where the fit looks: most hits at which the bass plays. bass: at 4 kHz."""
    if song_s <= LONGEST_S:
        return 0.0, song_s
    power = figures.smoothed_power(figures.low_band(bass, RATE))
    loud = float(np.percentile(power, 95)) * 10.0 ** (-figures.ACTIVE_DB / 10.0)
    met = np.array([hit for hit in hits_s if power[min(len(power) - 1, round(hit * figures.RATE))] > loud] or hits_s)
    starts = np.arange(0.0, song_s - LONGEST_S + 0.5, 0.5)
    counts = [int(np.count_nonzero((met >= start) & (met < start + LONGEST_S))) for start in starts]
    start = float(starts[int(np.argmax(counts))])
    return start, start + LONGEST_S


# What a duck is worth on the whole song.


def shape_of(one: Duck, times_s: tuple[float, ...], shape_id: str = "duck") -> DuckShape:
    """The drawn shape at all its places in the song."""
    return replace(methods.shape(times_s, drawn_numbers(one)), id=shape_id, name="Duck", hits_from="from the kick")


def drawn_numbers(one: Duck) -> methods.Parameters:
    """What a drawn shape is made of: a pulse turns two numbers, and the others follow from the beat."""
    return {name: float(value) for name, value in one.parameters.items() if isinstance(value, int | float)}


def station_of(one: Duck, kick_id: str, shape_id: str = "duck") -> Processor:
    """What does it on a lane."""
    if one.name in SHAPED:
        return Ducker(shape=shape_id, depth_db=numbers(Ducker)["depth_db"].clamped(one.numbers["depth_db"]))
    settings = {name: value for name, value in one.parameters.items() if isinstance(value, float)}
    return replace(methods.rebuilt(one.name, settings), id="new", key=Key(source=kick_id))


def trial_of(look: Look, fit: Fitted, one: Duck) -> PairFigures | None:
    """The pair with a duck, on copies of the whole song."""
    plain = look.at(plain_session(look.session))
    copy = copies(plain)
    if copy is None:
        return None
    station = station_of(one, fit.kick_id)
    if not isinstance(station, Compressor):
        shapes = (shape_of(one, fit.times_s(one.name)),) if one.name in SHAPED else ()
        return copy.tried(dict.fromkeys(copy.basses, (station,)), shapes)
    # A detector hears the click of the kick, of which a copy at 4 kHz has too little.
    rate = look.session.sample_rate
    if one.name == CLICK_KEY:
        sound = click_track(fit.hits_s, look.book.fingerprints(plain.session).song_frames, rate)
    else:
        kept = plain.sound(fit.kick_id)
        sound = middle_of(kept.read(0, kept.frames))
    gain_db = methods.compressed_gain_db(station, methods.listening(one.name, sound, rate))
    times = np.arange(len(next(iter(copy.lanes.values())))) / RATE
    gain = 10.0 ** (np.interp(times, (np.arange(len(gain_db)) + 0.5) / figures.RATE, gain_db) / 20.0)
    return copy.figures({i: x * gain if i in copy.basses else x for i, x in copy.lanes.items()})


def best_of(ducks: Ducks) -> Duck:
    """The best of those that are proposed; of all, where none of these was fitted."""
    return next((one for one in ducks.methods if one.name in PROPOSED), ducks.best)


def _offer(look: Look) -> Offer:
    """The best way that is worth it, weighs up what the bass loses, and harms nobody (`guards`)."""
    found = bottom.colliding(look)
    if found is None or any(is_duck(item) for strip in bass_strips(look.session) for item in strip.chain):
        return Offer()
    fit = fitted(look)
    if fit is None:
        return Offer()
    before = found.copies.before
    worth = [item for one in _usable(fit.ducks) if (item := _worth(look, fit, one)) is not None]
    weighing = [item for item in worth if bottom.weighs(before, item[1])]
    if not weighing and worth:
        one, after = worth[0]
        return Offer(None, proposal(look, fit, one, after), bottom.price(before, after))
    offer = first_harmless(look, _as_deep_as_may_be(look, fit, weighing), edit)
    return dataclasses.replace(offer, move=_with_start(look, offer.move)) if offer.move is not None else offer


def _with_start(look: Look, move: Proposal) -> Proposal:
    """With what it takes from the bass's own start."""
    lost = low_end(look.at(edit(look.session, move))).start_lost_db
    if lost is None:
        return move
    told = f"{move.reason} Notes that begin with a hit lose {number(lost)} dB of their start."
    return replace(move, reason=told, evidence={**move.evidence, "duck_start_lost_db": lost})


def _usable(ducks: Ducks) -> list[Duck]:
    """The ways that may be proposed, best first."""
    return [
        one for one in sorted(ducks.methods, key=lambda item: item.rank)
        if one.name in PROPOSED and not one.control and one.feasible and not one.sound.ripples and not one.sound.clicks
    ]  # fmt: skip


def _worth(look: Look, fit: Fitted, one: Duck) -> tuple[Duck, PairFigures] | None:
    """A way with its trial; None where a fader does as well."""
    copy, after = copies(look), trial_of(look, fit, one)
    net = copy.net_db(after) if copy is not None and after is not None else None
    return (one, after) if after is not None and net is not None and net >= bottom.WORTH_DB else None


def _as_deep_as_may_be(look: Look, fit: Fitted, weighing: list[tuple[Duck, PairFigures]]) -> Iterator[Proposal]:
    """The best ways as they were fitted, each followed by itself less deep: a fit weighs a hole against a pile-up, and
    does not know what may not be."""
    work, before = look.session.settings, bottom.colliding(look)
    for one, after in weighing[:MOST_WAYS]:
        yield proposal(look, fit, one, after)
        method = next(item for item in methods.METHODS if item.name == one.name)
        for share in LIGHTER:
            own = {**one.numbers, "depth_db": max(1.0, share * one.numbers["depth_db"])}
            lighter = judge(method, fit.ducks.sketch, own, kbr_db=work.kick_over_bass_db, smooth=work.duck_smooth)
            item = _worth(look, fit, lighter)
            if item is not None and before is not None and bottom.weighs(before.copies.before, item[1]):
                yield proposal(look, fit, *item)


def proposal(look: Look, fit: Fitted, one: Duck, after: PairFigures | None) -> Proposal:
    """One way to duck as a move, whichever it is."""
    copy, now = copies(look), pair(look)
    assert copy is not None
    before = copy.before
    net = copy.net_db(after) if after is not None else None
    room = now.room_db if now is not None else None
    low = one.low
    words = (
        f"Dip {number(low.gap_db)} dB, peak {number(low.pile_up_db)} dB, back {number(low.recovery_margin_ms, 0)} "
        f"ms before the next hit, {number(low.depth_db)} dB deep."
    )
    worth = beside_a_fader(before, after) if after is not None else ""
    nearest = f" {fit.ducks.infeasible}" if fit.ducks.infeasible else ""
    at_hits = one.name in SHAPED or one.name == CLICK_KEY
    shape = {f"{index}": float(time) for index, time in enumerate(fit.times_s(one.name))} if at_hits else None
    own = drawn_numbers(one) if one.name in SHAPED else one.numbers
    return KIND.move(
        targets=tuple(lane.id for lane in look.session.lanes if lane.id in copy.basses),
        title=f"Duck the bass {number(low.depth_db)} dB: {NAMES[one.name][0].lower()}{NAMES[one.name][1:]}",
        reason=f"{words} {worth}{nearest}",
        parameters={
            "method": one.name, "key": fit.kick_id, "hits_s": shape,
            **{name: float(value) for name, value in own.items()},
            **{f"station_{name}": value for name, value in one.parameters.items() if isinstance(value, float)},
        },
        evidence={
            **evidence(look, after, before), "duck_gap_db": low.gap_db, "duck_pile_up_db": low.pile_up_db,
            "duck_depth_db": low.depth_db, "duck_ripple_db": one.sound.ripple_db, "duck_click_db": one.sound.click_db,
            "recovery_margin_ms": low.recovery_margin_ms, "unrecovered_hits": low.unrecovered_hits,
        },
        metric=ROOM,
        before=room,
        expected=room + net if room is not None and net is not None else None,
        tolerance=bottom.tolerance_db(net or 0.0, bottom.DYNAMIC_TOLERANCE_DB),
        weight=5.8,
    )  # fmt: skip


def edit(session: Session, proposal: Proposal) -> Session:
    """One shape for all basses, or the same keyed station on each, listening to the kick or to clicks at its hits."""
    p = proposal.parameters
    key, name = p["key"], str(p["method"])
    if not isinstance(key, str) or not session.is_lane(key):
        raise KeyError(key)
    own = {k: v for k, v in p.items() if isinstance(v, float)}
    hits = p["hits_s"]
    times = tuple(sorted(float(time) for time in hits.values())) if isinstance(hits, dict) else ()
    session = plain_session(session)
    station = _rebuilt(name, own, key)
    shape_id = edits.free_id(session, "shape")
    told = f"from {session.strip_name(key)}"[:400]
    if isinstance(station, Ducker):
        drawn = replace(methods.shape(times, own), id=shape_id, name="Duck", hits_from=told)
        session = chain_edits.set_shape(session, drawn)
        station = replace(station, shape=shape_id)
    elif name == CLICK_KEY:
        clicks = DuckShape(id=shape_id, name="Duck's clicks", hits_s=times, hits_from=told)
        session, trigger = routing_edits.click_trigger(chain_edits.set_shape(session, clicks), key, shape_id)
        station = replace(station, key=Key(source=trigger))
    for lane_id in proposal.targets:
        if session.is_lane(lane_id):
            session = chain_edits.add_station(session, lane_id, station)
    return session


def _rebuilt(name: str, own: dict[str, float], key: str) -> Ducker | Compressor | BandCompressor:
    if name in SHAPED:
        return Ducker(depth_db=numbers(Ducker)["depth_db"].clamped(own["depth_db"]))
    settings = {k.removeprefix("station_"): v for k, v in own.items() if k.startswith("station_")}
    return replace(methods.rebuilt(name, settings), id="new", key=Key(source=key))


def chosen(look: Look, name: str, own: methods.Parameters) -> Proposal | None:
    """A way to duck with numbers set by hand, as a move; None where nothing was fitted."""
    from all_even.moves.dependencies import fingerprints

    fit = fitted(look)
    method = next((item for item in methods.METHODS if item.name == name), None)
    if fit is None or method is None:
        return None
    work = look.session.settings
    one = judge(method, fit.ducks.sketch, own, kbr_db=work.kick_over_bass_db, smooth=work.duck_smooth)
    found = proposal(look, fit, one, trial_of(look, fit, one))
    return replace(found, id=BY_HAND, rests_on=fingerprints(look, KIND.depends_on))


OFFER = on_offer("duck on offer", _offer)
KIND = Kind("low-end.duck", bottom.DEPENDS_ON, recommended(OFFER), edit)
ANYWAY = anyway("low-end.duck-anyway", OFFER, edit)
