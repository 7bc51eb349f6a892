"""A session taken apart at its mix bus, for judges that know nothing of ours."""

import numpy as np
from numpy.typing import NDArray

from all_even.engine.feeds import edge_gains, moving_gains
from all_even.figures.book.look import Look
from all_even.figures.sources.units import units
from all_even.session.model import routing, space
from all_even.session.model.strips import MIX, NOWHERE, Strip
from all_even.session.tracks.classes import class_of
from all_even.session.tracks.importance import importance
from all_even.session.tracks.roles import family_of
from tests.reference.whole_by_hand import Judged, Source, judged

Array = NDArray[np.float64]
GROUP_S = 0.005
LEADS_FROM = 0.9
"""Importance of whoever leads by hand."""


def judge(look: Look) -> Judged:
    """The mix of a look, by the judge of `tests.reference`."""
    session, weights = look.session, importance(look.session)
    rate, frames = session.sample_rate, look.sound(MIX).frames
    sources = []
    for unit in units(look):
        sound = sum((_to_mix(look, lane, frames) for lane in unit.lanes), np.zeros((frames, 2)))
        raw = look.at(_bare(look, unit.id)).sound(unit.id).read(0, frames).astype(np.float64).mean(axis=1)
        weight = max(weights[lane.id] for lane in unit.lanes)
        sources.append(Source(unit.name, _part(unit.role, weight), weight, sound, raw))
    rooms = [_to_mix(look, bus, frames) for bus in space.returns(session)]
    mix = look.sound(MIX).read(0, frames).astype(np.float64)
    return judged(sources, sum(rooms, np.zeros((frames, 2))), mix, rate)


def _part(role: str, weight: float) -> str:
    if class_of(role) == "lead" or weight >= LEADS_FROM:
        return "lead"
    if role in ("kick", "kick out"):
        return "kick"
    if role in ("snare top", "snare bottom"):
        return "snare"
    return "bass" if family_of(role) == "bass" else "other"


def _bare(look: Look, lane_id: str):  # type: ignore[no-untyped-def]
    from all_even.session.editing import edits

    return edits.change_strips(look.session, [lane_id], chain=())


def _to_mix(look: Look, strip: Strip, frames: int) -> Array:
    """What of a strip comes to the mix bus on the way of its destination, and by sends that make no room."""
    own = look.sound(strip.id).read(0, frames).astype(np.float64)
    opened = routing.hearing(look.session).open_edges
    rooms = {bus.id for bus in space.returns(look.session)}
    edges = [(routing.Edge(strip.id, strip.destination, "destination"), strip.destination)]
    edges += [
        (routing.Edge(strip.id, send.to, "send", index), send.to)
        for index, send in enumerate(strip.sends)
        if send.to not in rooms
    ]
    total = np.zeros((frames, 2))
    for edge, target in edges:
        if target != NOWHERE and edge in opened:
            total += _onward(look, target, _carried(look, strip, edge, own), frames)
    return total


def _carried(look: Look, strip: Strip, edge: routing.Edge, sound: Array) -> Array:
    moving = moving_gains(look.session, strip, edge, sound.shape[1])
    if moving is None:
        result: Array = sound @ edge_gains(look.session, strip, edge, sound.shape[1])
        return result
    return np.einsum("fc,fcs->fs", sound, moving.gains_at(np.arange(len(sound))))


def _onward(look: Look, target: str, sound: Array, frames: int) -> Array:
    """Through buses; what a bus's chain does is taken as one gain every 5 ms, of what leaves against what comes."""
    session = look.session
    if target == MIX:
        return sound
    bus = session.bus(target)
    if bus.chain:
        bare = session_without(look, bus.id)
        before = look.at(bare).sound(bus.id).read(0, frames).astype(np.float64)
        after = look.sound(bus.id).read(0, frames).astype(np.float64)
        sound = sound * _gains(before, after, round(GROUP_S * session.sample_rate))
    edge = routing.Edge(bus.id, bus.destination, "destination")
    if edge not in routing.hearing(session).open_edges:
        return np.zeros_like(sound)
    return _onward(look, bus.destination, _carried(look, bus, edge, sound), frames)


def session_without(look: Look, bus_id: str):  # type: ignore[no-untyped-def]
    from all_even.session.editing import edits

    return edits.change_strips(look.session, [bus_id], chain=())


def _gains(before: Array, after: Array, length: int) -> Array:
    count = -(-len(before) // length) * length
    pad = ((0, count - len(before)), (0, 0))
    own, out = (np.pad(part, pad).reshape(-1, length * part.shape[1]) for part in (before, after))
    gain = np.sqrt((out**2).sum(axis=1) / np.maximum((own**2).sum(axis=1), 1e-16))
    gain = np.where((own**2).sum(axis=1) > 1e-12, np.minimum(gain, 10.0), 1.0)
    return np.repeat(gain, length)[: len(before), np.newaxis]
