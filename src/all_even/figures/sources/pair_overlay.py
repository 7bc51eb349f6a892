"""Two related lanes laid over each other at one hit, as they are and brought together; and their low sum hit by hit."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.figures.book.look import Look
from all_even.figures.sources.low_sum import hits_of, low_sum_of, mono
from all_even.figures.sources.relations import Relation

BEFORE_MS, AFTER_MS = 6.0, 24.0
Array = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class Overlay:
    """times_ms: from the hit, (frames,). a, b: as they are, each with its peak at 1; then_a, then_b: with the earlier
    one later and the polarity put right. now_db, then_db: gain of the low sum at each hit."""

    relation: Relation
    hit_s: float
    times_ms: Array
    a: Array
    b: Array
    then_a: Array
    then_b: Array
    now_db: NDArray[np.float64]
    then_db: NDArray[np.float64]


def overlay(look: Look, relation: Relation) -> Overlay | None:
    """At the strongest hit of the first lane; None where there is nothing to lay over each other."""
    session = look.session
    opened = look.book.fingerprints(session).opened
    if relation.offset_ms is None or relation.a not in opened or relation.b not in opened:
        return None
    a, b = mono(look, relation.a), mono(look, relation.b)
    rate = session.sample_rate
    hit_s = _strongest(a, rate, hits_of(look, session.lane(relation.a))[0])
    frames = np.arange(round(-BEFORE_MS * 0.001 * rate), round(AFTER_MS * 0.001 * rate))
    at = round(hit_s * rate)
    late = round(relation.offset_ms * 0.001 * rate)  # b after a
    polarity = relation.polarity or 1
    now_a, now_b = _cut(a, at + frames), _cut(b, at + frames)
    then_a = _cut(a, at + frames - max(0, late))
    then_b = polarity * _cut(b, at + frames - max(0, -late))
    together = low_sum_of(look, relation.a, relation.b)
    now_db, then_db = (np.zeros(0), np.zeros(0))
    if together is not None:
        now_db = together.gains().gains_db
        then_db = together.gains(relation.offset_ms, polarity).gains_db
    return Overlay(
        relation, hit_s, (1000.0 * frames / rate).astype(np.float32), _whole(now_a), _whole(now_b), _whole(then_a),
        _whole(then_b), now_db, then_db,
    )  # fmt: skip


def _strongest(sound: Array, rate: int, hits_s: tuple[float, ...]) -> float:
    """The hit with the most energy in its first 50 ms; where there are none, the loudest place."""
    length = round(0.05 * rate)
    if hits_s:
        energy = [float(np.sum(np.square(_cut(sound, round(time * rate) + np.arange(length))))) for time in hits_s]
        return hits_s[int(np.argmax(energy))]
    return float(np.argmax(np.abs(sound))) / rate if len(sound) else 0.0


def _cut(sound: Array, frames: NDArray[np.int64]) -> Array:
    inside = (frames >= 0) & (frames < len(sound))
    out = np.zeros(len(frames), dtype=np.float32)
    out[inside] = sound[frames[inside]]
    return out


def _whole(sound: Array) -> Array:
    return sound / max(float(np.abs(sound).max(initial=0.0)), 1e-9)
