"""A copy to listen to elsewhere: as loud as finished records, with a limiter last, and no louder than it can take.

The mix stays quiet; only the copy is loud. The limiter: ceiling -1 dBTP, release 80 ms, look-ahead 2 ms. Its gain is
the largest in steps of 0.5 dB, from -12 (for a mix that is over the ceiling by itself) to 12, with *all* of these:

- loudness lost is at most 1.0 LU;
- hits lose at most 1.0 dB;
- pump is 1.0 dB at most;
- ripple is at most -28 dB of the sound (`figures.dynamics.limited` defines all four).

A rule of ours, tried on six mixes; nobody has listened to where it stops. A copy is not a master.
"""

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from all_even import outputs
from all_even.audio.writing import Bits, Written, write_sound
from all_even.deliver import lacking
from all_even.dsp.parameter import number
from all_even.engine.plan import Plan
from all_even.engine.render import render
from all_even.errors import Cancelled, UserError
from all_even.figures.dynamics.limited import CEILING_DBTP, Tried, lufs_of, tried
from all_even.measure.level.true_peak import true_peak
from all_even.outputs import NO_RECORDINGS, Recordings

STEP_DB, LEAST_DB, MOST_DB = 0.5, -12.0, 12.0
ENDING = " listening copy"


@dataclass(frozen=True, slots=True, eq=False)
class Copy:
    """samples: (frames, 2) at the rate of the mix. chosen: what it is made with; stopped: the next step, with the limit
    that it would break; None where 12 dB are reached."""

    samples: NDArray[np.float32]
    sample_rate: int
    chosen: Tried
    stopped: Tried | None

    @property
    def words(self) -> str:
        """Gain, loudness and what stops it, in a sentence."""
        word = "softer" if self.chosen.gain_db < 0.0 else "louder"
        told = f"{number(abs(self.chosen.gain_db))} dB {word}, {_known(self.chosen.lufs)} LUFS, true peak "
        told += f"{number(self.chosen.true_peak_dbtp)} dBTP"
        if self.stopped is None:
            return f"{told}; no limit stops it before {number(MOST_DB, 0)} dB."
        broken = [f"{what.lower()} {figure}" for what, figure, kept in self.stopped.limits if not kept]
        return f"{told}; at {number(self.stopped.gain_db)} dB: {', '.join(broken)}."


def _known(value: float | None) -> str:
    return "–" if value is None else number(value)


def best(
    mix: NDArray[np.floating],
    sample_rate: int,
    hits_s: Sequence[float] = (),
    *,
    progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
) -> Copy:
    """The loudest copy that keeps all limits. mix: (frames, 2). A UserError in silence.

    From where the limiter has nothing to do yet it goes up step by step, until a limit is broken.
    """
    if lufs_of(mix, sample_rate) is None:
        raise UserError("There is nothing to copy: the mix is silent.")
    peak_db = 20.0 * float(np.log10(max(true_peak(np.ascontiguousarray(mix, dtype=np.float32), sample_rate), 1e-9)))
    last = round(MOST_DB / STEP_DB)
    first = min(last, max(round(LEAST_DB / STEP_DB), int(np.floor((CEILING_DBTP - peak_db) / STEP_DB))))
    chosen, sound = tried(mix, sample_rate, hits_s, first * STEP_DB)
    for step in range(first + 1, last + 1):
        if cancelled is not None and cancelled.is_set():
            raise Cancelled
        if progress is not None:
            progress((step - first) / (last - first + 1))
        following, louder = tried(mix, sample_rate, hits_s, step * STEP_DB)
        if not following.is_kept:
            return Copy(sound, sample_rate, chosen, following)
        chosen, sound = following, louder
    return Copy(sound, sample_rate, chosen, None)


def rendered(
    plan: Plan, *, even_without: bool = False, progress: Callable[[float], None] | None = None,
    cancelled: threading.Event | None = None,
) -> NDArray[np.float32]:  # fmt: skip
    """A whole mix in memory, (frames, 2). SourcesLacking where tracks can't be read whole, unless `even_without`."""
    lacking.check(plan.lacking(), even_without)
    blocks = [block.astype(np.float32) for block in render(plan, 0, plan.frames_with_tail, progress=progress,
                                                            cancelled=cancelled)]  # fmt: skip
    if not blocks:
        raise UserError("There is nothing to copy: the session has no sound.")
    lacking.check(plan.lacking(), even_without)
    return np.concatenate(blocks)


def allowed(path: Path, protected: Recordings) -> None:
    """Raises the UserError of `SoundWriter` before any work is done."""
    outputs.allowed(path, outputs.SOUND, protected)


def write(copy: Copy, path: Path, *, bits: Bits = "24", protected: Recordings = NO_RECORDINGS) -> Written:
    """Writes a copy; errors as `SoundWriter`."""
    return write_sound(path, [copy.samples], sample_rate=copy.sample_rate, channels=2, bits=bits, protected=protected)


def beside(mix_path: Path) -> Path:
    """Where the copy of a mix goes."""
    return mix_path.with_name(f"{mix_path.stem}{ENDING}.wav")
