"""The duck goes on where the kick pauses: hits are added to its shape, at the kick's usual distance, on the beat.

A bass that steps back at every kick is softer wherever the kick plays and comes up where it pauses. Whether that is
wanted is a taste: some mixers let the pulse go on, keyed by a lane that nobody hears. Only what follows a shape can do
it, a drawn duck or one keyed by clicks; a compressor that listens to the kick has nothing to hear there.
"""

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducking.clicks import click_track
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape, shape_of
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import number, time_text
from all_even.dsp.processor import Processor, Single, key_of
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import LowEndHeard, heard, kicks_and_basses
from all_even.figures.song import session_song
from all_even.measure.sharing import duck as figures
from all_even.measure.sharing.focus import RATE
from all_even.moves.ducking import methods
from all_even.moves.kind import Kind, text_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.ducks.duck import is_click_trigger
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
Span = tuple[float, float]
PAUSE = 1.6
"""A pause is so many times longer than the longest usual distance (the 90th percentile) of two hits."""
NEAR = 0.15
"""A hit is put on the beat where one is so near, in usual distances; from the next hit it keeps away by half of one."""
FEWEST_HITS = 8
WORTH_DB = 0.5
SOUNDS_S = 0.1


@dataclass(frozen=True, slots=True)
class Following:
    """A bass that follows a shape. station: what takes it down; shape: with the hits."""

    lane: Lane
    station: Ducker | Compressor
    shape: DuckShape


def following(session: Session) -> Following | None:
    """The first bass whose duck follows a shape, itself or by the clicks it listens to."""
    _, basses = kicks_and_basses(session)
    for lane in session.lanes:
        for station in lane.chain if lane.id in basses else ():
            if station.bypass or not isinstance(station, Ducker | Compressor):
                continue
            shape = next((found for item in (station, *_heard_by(session, station))
                          if (found := shape_of(item, session.shapes)) is not None), None)  # fmt: skip
            if shape is not None:
                return Following(lane, station, shape)
    return None


def _heard_by(session: Session, station: Processor) -> Iterable[Processor]:
    """The chain of the lane of clicks that a station listens to."""
    key = key_of(station)
    if key is None or not session.is_lane(key.source) or not is_click_trigger(session.lane(key.source)):
        return ()
    return session.lane(key.source).chain


def pauses(hits_s: Sequence[float], song_s: float) -> tuple[float, list[Span]]:
    """The usual distance of two hits, and where there is none for much longer: before, between and after them."""
    hits = np.sort(np.array(hits_s))
    apart = np.diff(hits)
    usual = float(np.median(apart))
    long = PAUSE * float(np.percentile(apart, 90))
    edges = np.concatenate(([0.0], hits, [song_s]))
    return usual, [(float(a), float(b)) for a, b in itertools.pairwise(edges) if b - a > long]


def added_hits(hits_s: Sequence[float], beats_s: Sequence[float], song_s: float) -> list[float]:
    """Hits in the pauses, at the usual distance from the hit before (in front of the first: back from it); on a beat
    where one is near."""
    usual, found = pauses(hits_s, song_s)
    known, added = set(hits_s), []
    for start, end in found:
        if start in known:
            times = np.arange(start + usual, end - 0.5 * usual if end in known else end, usual)
        else:
            times = np.arange(end - usual, 0.0, -usual)
        added += [_on_beat(float(time), beats_s, NEAR * usual) for time in times]
    return sorted(added)


def _on_beat(time_s: float, beats_s: Sequence[float], reach_s: float) -> float:
    nearest = min(beats_s, key=lambda beat: abs(beat - time_s), default=time_s)
    return nearest if abs(nearest - time_s) <= reach_s else time_s


def lift_db(found: LowEndHeard, bass: Array) -> float | None:
    """How much louder a bass is where the kick pauses than where it plays, for being ducked there, dB. bass: (frames,)
    at 4 kHz; None where it is silent in either."""
    plain = found.unducked if found.unducked is not None else found.bass
    count = min(len(plain), len(bass))
    _, spans = pauses(found.hits_s, count / RATE)
    inside = np.zeros(count, dtype=bool)
    for start, end in spans:
        inside[round((start + SOUNDS_S) * RATE) : round(end * RATE)] = True
    sides = []
    for side in (inside, ~inside):
        energy = float(np.sum(plain[:count][side] ** 2))
        if energy <= 1e-9:
            return None
        sides.append(10.0 * np.log10(float(np.sum(bass[:count][side] ** 2)) / energy + 1e-12))
    return float(sides[0] - sides[1])


def propose(look: Look) -> list[Proposal]:
    found, ducked = heard(look), following(look.session)
    if found is None or ducked is None or len(found.hits_s) < FEWEST_HITS:
        return []
    song_s = len(found.bass) / RATE
    now = lift_db(found, found.bass)
    if now is None or now < WORTH_DB:
        return []
    tempo = session_song(look.session, look.reports).tempo
    known = ducked.shape.hits_s
    added = added_hits(known, tempo.every("half beat") if tempo else (), song_s) if len(known) >= FEWEST_HITS else []
    added = [time for time in added if _sounds(found.bass, time)]
    if not added:
        return []
    more = replace(ducked.shape, hits_s=tuple(sorted((*known, *added))))
    then_db, now_db = (_gain_db(ducked.station, shape, len(found.bass)) for shape in (more, ducked.shape))
    expected = lift_db(found, found.bass * 10.0 ** ((then_db - now_db) / 20.0))
    kick = look.session.lane(found.kick_id).name
    return [
        KIND.move(
            targets=(ducked.lane.id,),
            title=f"Let the duck go on where {kick} pauses: {len(added)} more hits",
            reason=f"{kick} pauses, first at {time_text(added[0])}, and {ducked.lane.name} comes up by {number(now)} "
            "dB there, for it is ducked only where the kick plays. With hits added on the beat it stays as it is. A "
            "taste: coming up can be just what the song wants.",
            parameters={"shape": ducked.shape.id, "hits_s": {f"{i}": time for i, time in enumerate(added)}},
            evidence={"bass_comes_up_db": now, "hits": float(len(known)), "hits_added": float(len(added))},
            metric=METRIC,
            before=now,
            expected=expected,
            weight=1.2,
        )
    ]


def _sounds(bass: Array, time_s: float) -> bool:
    """Whether the bass plays just after a moment."""
    power = float(np.mean(bass[round(time_s * RATE) : round((time_s + SOUNDS_S) * RATE)] ** 2)) if len(bass) else 0.0
    usual = float(np.percentile(np.square(bass), 95))
    return power > usual * 10.0 ** (-figures.ACTIVE_DB / 10.0)


def _gain_db(station: Ducker | Compressor, shape: DuckShape, frames: int) -> Array:
    """(frames,) at 4 kHz: what a duck does with the hits of a shape."""
    gain = np.zeros(frames)
    if isinstance(station, Ducker):
        Single(station, RATE, coefficients=station.following(shape, RATE))(np.zeros((frames, 1)), None, gain)
        return gain
    clicks = click_track(shape.hits_s, frames * methods.SKETCH_RATE // RATE, methods.SKETCH_RATE)
    slow = methods.compressed_gain_db(station, np.square(clicks))
    times = np.arange(frames) / RATE
    return np.asarray(np.interp(times, (np.arange(len(slow)) + 0.5) / figures.RATE, slow))


def edit(session: Session, proposal: Proposal) -> Session:
    shape = next((item for item in session.shapes if item.id == proposal.parameters["shape"]), None)
    hits = proposal.parameters["hits_s"]
    if shape is None or not isinstance(hits, dict):
        raise KeyError(text_of(proposal, "shape"))
    more = tuple(sorted({*shape.hits_s, *(float(time) for time in hits.values())}))
    told = f"{shape.hits_from}, and where it pauses"[:400]
    return chain_edits.set_shape(session, replace(shape, hits_s=more, hits_from=told))


def comes_up_db(look: Look, _arguments: Arguments) -> float | None:
    found = heard(look)
    return lift_db(found, found.bass) if found is not None and len(found.hits_s) >= FEWEST_HITS else None


KIND = Kind("low-end.duck-goes-on", bottom.DEPENDS_ON, propose, edit, optional=True)
METRIC = Metric(
    "bass-in-pauses", "bass where the kick pauses re where it plays", "dB", 1, 0.3, bottom.MEASURED, comes_up_db
)
