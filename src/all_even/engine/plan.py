"""The plan: what has to be computed for a session, as a value that threads can share.

Strips stand in an order in which each comes after all it needs, the mix bus last. A strip's sound is
taken after its chain, before its fader: each *feed* to another strip carries the gains of fader, pan and
send as one small matrix, so a lane without a chain is never copied on its way to the sum. Keys take the
sound before the fader, and so hear a muted or silent lane.

Every latency is made up for: a feed or key that arrives early is delayed until the latest one is there,
and a chain waits before a station whose key comes later than its own sound. A plan holds no settings that
could change while it is used; an edit makes a new one.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from all_even.audio.decoded import Frames, trouble
from all_even.dsp.processor import Processor
from all_even.engine.automation import Curve, MovingGains

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Feed:
    """From one strip's sound into a sum. source: its place among the strips. delay: frames, 0 or more.

    gains: (channels, 2). moving: replaces `gains` where level or pan is automated. state: place of the
    delay's memory. main: whether this is the strip's way to its destination.
    """

    source: int
    gains: Array
    moving: MovingGains | None
    delay: int
    state: int
    main: bool


@dataclass(frozen=True, slots=True, eq=False)
class KeyFeed:
    """What a station's detector hears. gain: linear."""

    source: int
    gain: float
    delay: int
    state: int


@dataclass(frozen=True, slots=True, eq=False)
class Station:
    """One processor where it stands. latency_before: frames between the song and what comes in here.

    wait: frames the sound waits here for a late key. size: of the state; state: its place. history: the place of
    its rings, and their size.
    """

    processor: Processor
    coefficients: Array
    automation: tuple[tuple[str, Curve], ...]
    latency_before: int
    latency: int
    key: KeyFeed | None
    wait: int
    wait_state: int
    state: int
    size: int
    history: tuple[int, int] = (0, 0)


@dataclass(frozen=True, slots=True, eq=False)
class StripPlan:
    """One lane or bus. source: a lane's frames. plain: nothing happens before the fader, nobody keys from it.
    head_gain: at the head, before the chain. head_curve: more of it over song time, dB.

    depth: strips of one depth do not need each other.
    """

    id: str
    source: Frames | None
    start_frame: int
    channels: int
    feeds: tuple[Feed, ...]
    stations: tuple[Station, ...]
    latency_in: int
    latency_out: int
    settling_s: float
    depth: int
    plain: bool
    head_gain: float = 1.0
    head_curve: Curve | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """All that is computed. frames: the song's length. tail_s: so long rooms are heard after it. latency: of the mix,
    in frames.

    state_size, history_size: numbers remembered from block to block. taps: feeds for stems by strip id.
    places: where each memory lies, by a name that lasts from plan to plan; rings: the same for histories. left_out:
    what is wanted for it and can't be read at all, a sentence each.
    """

    sample_rate: int
    frames: int
    strips: tuple[StripPlan, ...]
    latency: int
    settling_s: float
    state_size: int
    places: Mapping[tuple[str, ...], tuple[int, int]]
    history_size: int = 0
    tail_s: float = 0.0
    rings: Mapping[tuple[str, ...], tuple[int, int]] = field(default_factory=dict)
    taps: Mapping[str, Feed] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()

    def lacking(self) -> tuple[str, ...]:
        """What is left out, and what is damaged or was cut while it was read; as far as it was read by now."""
        played = (trouble(strip.source) for strip in self.strips if strip.source is not None)
        return (*self.left_out, *dict.fromkeys(sentence for sentence in played if sentence is not None))

    @property
    def frames_with_tail(self) -> int:
        """Until the last room has died away."""
        return self.frames + round(self.tail_s * self.sample_rate)

    @property
    def duration_s(self) -> float:
        return self.frames / self.sample_rate

    @property
    def lane_ids(self) -> tuple[str, ...]:
        """The strips that play a file, in the plan's order."""
        return tuple(strip.id for strip in self.strips if strip.source is not None)

    @property
    def settling_frames(self) -> float:
        return self.settling_s * self.sample_rate

    def timing(self) -> tuple[object, ...]:
        """What has to be the same for a running state to be taken over."""
        return (self.sample_rate, *((strip.id, strip.latency_in, strip.latency_out) for strip in self.strips))


def is_stateless(plan: Plan) -> bool:
    """Whether any block can be computed by itself."""
    return plan.state_size == 0 and math.isfinite(plan.settling_s) and plan.latency == 0
