"""Where playing is: the position, the plan that runs, and how sound comes in and goes out there.

A state is kept for each block in the ring, so that an edit can go back to the first one nobody has begun to hear.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even.engine.running import Running

START_RAMP_S = 0.5
FADE_S = 0.005
"""Out and in again where playing jumps to another place: a step would be a click, at worst of full scale."""


@dataclass(slots=True)
class State:
    """Where playing is, and the plan that runs. position: song frame of what comes out next."""

    position: int
    ramp: int  # frames of the start ramp already played
    running: Running | None = None
    matching: float = 1.0
    since_jump: int | None = None  # frames since playing jumped here, while that fades in


@dataclass(frozen=True, slots=True, eq=False)
class Kept:
    """A state as it was at the start of a block: all that is needed to go back to it."""

    stream_frame: int
    state: State
    head: int
    memory: NDArray[np.float64] | None

    def restored(self) -> State:
        running = self.state.running
        if running is not None and self.memory is not None:
            running.memory[:] = self.memory
            running.position = self.head
        return replace(self.state)


def swell(share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Half a cosine from 0 at share 0 to 1 at share 1 and after."""
    return 0.5 - 0.5 * np.cos(np.pi * np.clip(share, 0.0, 1.0))


def shape(out: NDArray[np.float64], state: State, sample_rate: int) -> None:
    """The quiet start, and the way in after a jump, in place."""
    frames = np.arange(len(out))
    ramp_frames = START_RAMP_S * sample_rate
    if state.ramp < ramp_frames:
        rise = np.minimum(1.0, (state.ramp + frames) / ramp_frames)
        out *= (rise * rise)[:, np.newaxis]
    if state.since_jump is not None:
        out *= swell((state.since_jump + frames) / (FADE_S * sample_rate))[:, np.newaxis]
