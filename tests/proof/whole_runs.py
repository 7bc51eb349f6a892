"""A first mix of fresh sessions, judged from outside; and a session taken apart at its mix bus for that judge.

Each folder is judged as it came, at its voice first (or rhythm first) alone, behind the balance, and at the end: the
first two, and the balance with its search over faders, are what a user would have without the rest.
"""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from all_even import stages
from all_even.engine.feeds import edge_gains, moving_gains
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.sources.units import units
from all_even.figures.whole.whole import Whole, whole
from all_even.first_mix import following, questions, stage_run
from all_even.moves import accounts, making
from all_even.moves.balance import starts
from all_even.session.editing import edits
from all_even.session.model import routing, space
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Strip
from all_even.session.tracks.classes import class_of
from all_even.session.tracks.importance import importance
from all_even.session.tracks.roles import family_of
from tests.moves.looks import look_at
from tests.proof import fresh
from tests.reference.whole_by_hand import Judged, Source, judged

Array = NDArray[np.float64]
GROUP_S = 0.005
LEADS_FROM = 0.9
"""Importance of whoever leads by hand."""


@dataclass
class FirstMix:
    """lost: what the program itself says is worse at the end than behind the balance. made, left: moves. not_true: of
    them no longer as measured at the end."""

    name: str
    judged: dict[str, Judged] = field(default_factory=dict)
    ours: dict[str, Whole] = field(default_factory=dict)
    lost: tuple[str, ...] = ()
    made: int = 0
    left: int = 0
    not_true: int = 0


def first_mix(wanted: tuple[str, int]) -> FirstMix:
    what, seed = wanted
    with tempfile.TemporaryDirectory(prefix="all-even-whole-") as name:
        return mixed(look_at(fresh.make(what, seed, Path(name)), Pages()), f"{what} {seed}")


def mixed(look: Look, name: str) -> FirstMix:
    """A first mix with nobody to ask."""
    told = FirstMix(name)
    asked = questions.questions(look)
    look = look.at(questions.answered(look.session, asked, questions.Answers()))
    _note(told, "raw", look)
    start = making.propose(look, [starts.BY_START[asked.school]])
    if start:
        alone = making.ready(look, starts.BY_START[asked.school], start[0])
        assert alone is not None
        _note(told, "start alone", look.at(alone[1]))
    for reached, run in following.follow(look, stage_run.Wishes(asked.school)):
        look = reached
        told.made, told.left = told.made + len(run.made), told.left + len(run.left)
        told.lost = tuple(loss.text for loss in run.lost)
        if run.key == "balance":
            _note(told, "balance", look)
    _note(told, "end", look)
    told.not_true = sum(item.moved for item in accounts.accounts(look, stages.metrics()))
    return told


def _note(told: FirstMix, moment: str, look: Look) -> None:
    told.judged[moment], told.ours[moment] = judge(look), whole(look)


def finished_stems(seed: int) -> tuple[FirstMix, tuple[float, ...]]:
    """Four stereo stems of a mix that the program made, as a folder of its own; and what a first mix does to its zones,
    dB."""
    with tempfile.TemporaryDirectory(prefix="all-even-stems-") as name:
        made, folder = Path(name) / "song", Path(name) / "stems"
        made.mkdir()
        folder.mkdir()
        look = look_at(fresh.make("tune", seed, made), Pages())
        *_, (look, _run) = following.follow(look, path=("gather", "balance", "share", "dynamics"))
        frames = look.sound(MIX).frames
        groups: dict[str, Array] = {}
        for unit in units(look):
            family = family_of(unit.role)
            part = {"drums": "Drums", "bass": "Bass", "voices": "Voices"}.get(family, "Music")
            sound = sum((_to_mix(look, lane, frames) for lane in unit.lanes), np.zeros((frames, 2)))
            groups[part] = groups.get(part, np.zeros((frames, 2))) + sound
        for part, sound in groups.items():
            rng = np.random.default_rng(len(part))
            soundfile.write(folder / f"{part}.wav", sound + 1e-5 * rng.standard_normal(sound.shape), 48_000,
                            subtype="PCM_24")  # fmt: skip
        told = mixed(look_at(folder, Pages()), f"stems of tune {seed}")
        before, after = (told.judged[moment].zones_db for moment in ("raw", "end"))
        return told, tuple(abs(now - was) for was, now in zip(before, after, strict=True))


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


def _bare(look: Look, strip_id: str) -> Session:
    return edits.change_strips(look.session, [strip_id], chain=())


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
        bare = _bare(look, bus.id)
        before = look.at(bare).sound(bus.id).read(0, frames).astype(np.float64)
        after = look.sound(bus.id).read(0, frames).astype(np.float64)
        sound = sound * _gains(before, after, round(GROUP_S * session.sample_rate))
    edge = routing.Edge(bus.id, bus.destination, "destination")
    if edge not in routing.hearing(session).open_edges:
        return np.zeros_like(sound)
    return _onward(look, bus.destination, _carried(look, bus, edge, sound), frames)


def _gains(before: Array, after: Array, length: int) -> Array:
    count = -(-len(before) // length) * length
    pad = ((0, count - len(before)), (0, 0))
    own, out = (np.pad(part, pad).reshape(-1, length * part.shape[1]) for part in (before, after))
    gain = np.sqrt((out**2).sum(axis=1) / np.maximum((own**2).sum(axis=1), 1e-16))
    gain = np.where((own**2).sum(axis=1) > 1e-12, np.minimum(gain, 10.0), 1.0)
    return np.repeat(gain, length)[: len(before), np.newaxis]
