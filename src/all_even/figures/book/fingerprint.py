"""Fingerprints: on which sound a figure of a session rests.

A strip's is a hash of all that makes its sound behind the chain: for a lane the file's content, rate, channels
and place in the song; stations and their automation; the fingerprints of what keys it; for a bus those of what
flows in, with the gains it comes with. Names, roles, order, colours and what is hidden are no part of it, nor is
the strip's own fader: so a rename changes no fingerprint, a fader those behind it, a chain its own strip's and those
of what it keys and feeds.
"""

import graphlib
import hashlib
from collections import defaultdict
from collections.abc import Iterable, Mapping

import msgspec
from msgspec.structs import replace

from all_even.audio.decoded import Frames
from all_even.dsp.ducking.shaped import DuckShape, Shaped
from all_even.dsp.processor import key_of
from all_even.dsp.space.convolution import Convolution
from all_even.engine import responses
from all_even.engine.clip_gain import clip_automation, has_clip_gain
from all_even.engine.feeds import edge_gains, moving_gains
from all_even.engine.sources import Opened, Sources, frames_of
from all_even.session.model import routing
from all_even.session.model.known import known_of
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Automation, Lane, MixSettings, Strip

Fingerprint = str
"""Sixteen bytes of BLAKE2b, hexadecimal."""


def digest(parts: Iterable[object]) -> Fingerprint:
    """Of values that MessagePack can hold."""
    return hashlib.blake2b(msgspec.msgpack.encode(tuple(parts)), digest_size=16).hexdigest()


@known_of(512)
def points_of(automation: Automation) -> Fingerprint:
    """Of its points alone."""
    return digest((automation.points,))


class Fingerprints:
    """Those of one session's sound. strips: by id of lane or bus, and of the mix; lanes that are not open have none.
    entering: of what comes into the chain of a bus or the mix: those it would have without one. opened: what the lanes
    read. song_frames: the song's length."""

    def __init__(self, session: Session, sources: Opened) -> None:
        self.session = session
        self.opened = frames_of(session, sources)
        self._identities = (
            sources.identities(session)
            if isinstance(sources, Sources)
            else {lane_id: f"{id(frames)}" for lane_id, frames in self.opened.items()}
        )
        self.song_frames = _song_frames(session, self.opened)
        self._shapes = {shape.id: shape for shape in session.shapes}
        self._incoming: dict[str, list[routing.Edge]] = defaultdict(list)
        self._opens = routing.hearing(session).open_edges
        for edge in routing.edges(session):
            if edge.kind != "key" and edge in self._opens:
                self._incoming[edge.target].append(edge)
        self.strips: dict[str, Fingerprint] = {}
        self.entering: dict[str, Fingerprint] = {}
        for strip_id in _in_order(session):
            strip: Strip | MixSettings = session.mix if strip_id == MIX else session.strip(strip_id)
            if isinstance(strip, Lane) and strip_id not in self.opened:
                continue
            sound = self._sound(strip_id, strip)
            self.strips[strip_id] = digest((sound, self._chain(strip)))
            if not isinstance(strip, Lane):
                self.entering[strip_id] = digest((sound, []))

    def reads(self, opened: Mapping[str, Frames]) -> bool:
        """Whether these are the sounds it was made for."""
        return opened.keys() == self.opened.keys() and all(opened[i] is self.opened[i] for i in opened)

    @property
    def mix(self) -> Fingerprint:
        return self.strips[MIX]

    def identity(self, lane_id: str) -> str | None:
        """Which sound a lane reads; None where it is not open."""
        return self._identities.get(lane_id)

    def channels(self, strip_id: str) -> int:
        """1 or 2, of a strip's sound behind its chain."""
        return self.opened[strip_id].channels if strip_id in self.opened else 2

    def feed(self, edge: routing.Edge) -> Fingerprint | None:
        """What an edge brings to its target; None where nothing arrives."""
        source = self.strips.get(edge.source)
        if source is None:
            return None
        strip, channels = self.session.strip(edge.source), self.channels(edge.source)
        moving = moving_gains(self.session, strip, edge, channels)
        if moving is None:
            return digest((source, edge_gains(self.session, strip, edge, channels).tobytes()))
        names = {"level_db", "pan", "mute"}
        if edge.kind == "send":
            names.add(f"send:{strip.sends[edge.index].to}")
        curves = [(item.parameter, points_of(item)) for item in strip.automation if item.parameter in names]
        above = [(item.parameter, points_of(item)) for folder in routing.folders_above(self.session, strip)
                 for item in folder.automation]  # fmt: skip
        return digest((source, moving.base_db, moving.pan, moving.law, moving.scale, curves, above))

    def _sound(self, strip_id: str, strip: Strip | MixSettings) -> object:
        """What comes into the chain."""
        if isinstance(strip, Lane):
            sound = (self._identities[strip_id], self.session.sample_rate, strip.start_s, self.song_frames)
            if not has_clip_gain(strip):
                return sound
            moving = clip_automation(strip)
            return (*sound, strip.clip_gain_db if moving is None else points_of(moving))
        arriving = [self.feed(edge) for edge in self._incoming[strip_id]]
        trim = strip.trim_db if isinstance(strip, MixSettings) else 0.0
        return sorted(item for item in arriving if item is not None), trim, self.song_frames

    def _chain(self, strip: Strip | MixSettings) -> list[object]:
        found: list[object] = []
        for station in strip.chain:
            if station.bypass:
                if station.matched_db != 0.0:
                    found.append(("bypassed", station.matched_db))
                continue
            key = key_of(station)
            heard = self.strips.get(key.source) if key is not None else None
            if key is not None and routing.key_is_silent(self.session, key):
                heard = "silent"
            plain = replace(station, id="new", matched_db=0.0) if key is None else replace(station, id="new", key=None)
            shape: DuckShape | None = self._shapes.get(station.shape) if isinstance(station, Shaped) else None
            if isinstance(station, Convolution):
                # By what is heard: the same response under another id sounds the same.
                found.append((replace(plain, response=""), responses.content(self.session, station.response)))
                continue
            found.append((
                plain, heard, key.level_db if key is not None and heard is not None else 0.0,
                None if shape is None else replace(shape, id="new", name=""), _moving(strip.automation, station.id),
            ))  # fmt: skip
        return found


def _moving(automation: tuple[Automation, ...], station_id: str) -> list[object]:
    prefix = station_id + "."
    return [
        (item.parameter.removeprefix(prefix), points_of(item))
        for item in automation
        if item.parameter.startswith(prefix)
    ]  # fmt: skip


def _song_frames(session: Session, opened: Mapping[str, Frames]) -> int:
    rate = session.sample_rate
    return max(
        (round(lane.start_s * rate) + opened[lane.id].frames for lane in session.lanes if lane.id in opened), default=0
    )


def _in_order(session: Session) -> list[str]:
    """All strips and the mix, each after all it needs."""
    needed: dict[str, set[str]] = {strip_id: set() for strip_id in (*(strip.id for strip in session.strips), MIX)}
    for edge in routing.edges(session):
        if edge.target in needed:
            needed[edge.target].add(edge.source)
    return list(graphlib.TopologicalSorter(needed).static_order())
