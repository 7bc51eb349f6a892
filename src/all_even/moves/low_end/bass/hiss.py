"""A low-pass on a bass above which there is only noise. Common practice: near 4 kHz.

Only noise: over 5 kHz the bass is as loud between its notes as in them; without gaps, it does not move there at all.
Where strings, fingers or a pick are to be heard up there, it moves with the notes, and is left alone.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.dsp.parameter import number
from all_even.dsp.processor import Single
from all_even.dsp.tone.passes import LowPass
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import sounding_basses
from all_even.late import scipy
from all_even.measure.faults import hiss
from all_even.moves.kind import Kind
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

Array = NDArray[np.float64]
CUTOFF_HZ = 4000.0
OVER_HZ = 5000.0
FRAME_S = 0.05
AUDIBLE_DB = -75.0
"""Softer than this re the bass itself it is no matter."""


def _powers(sound: Array, rate: int) -> tuple[Array, Array]:
    """Of frames of 50 ms: all of a sound, and what is over 5 kHz."""
    sections = scipy.signal.butter(4, OVER_HZ, "highpass", fs=rate, output="sos")
    frame = max(1, round(FRAME_S * rate))

    def frames(x: Array) -> Array:
        count = len(x) // frame
        return np.asarray(np.square(x[: count * frame]).reshape(count, frame).mean(axis=1)) + 1e-20

    return frames(sound), frames(np.asarray(scipy.signal.sosfilt(sections, sound)))


def over_db(sound: Array, rate: int) -> float | None:
    """What is over 5 kHz re all, in the middle of the frames in which a sound plays, dB. sound: (frames,)."""
    whole, over = _powers(sound, rate)
    if not len(whole) or whole.max() <= 1e-12:
        return None
    playing, _ = hiss.playing_and_pausing(whole)
    return float(10.0 * np.log10(np.median(over[playing] / whole[playing])))


def is_only_noise(sound: Array, rate: int) -> bool:
    """Whether what is over 5 kHz has nothing to do with the notes."""
    whole, over = _powers(sound, rate)
    return len(whole) >= 2 * hiss.FEWEST_FRAMES and hiss.is_only_noise(whole, over, without_pauses=True)


def _sound(look: Look, lane_id: str) -> Array:
    kept = look.sound(lane_id)
    return middle_of(kept.read(0, kept.frames))


def propose(look: Look) -> list[Proposal]:
    return [move for lane in sounding_basses(look.session) if (move := _for(look, lane)) is not None]


def _for(look: Look, lane: Lane) -> Proposal | None:
    rate = look.session.sample_rate
    if 0.45 * rate < OVER_HZ or any(isinstance(item, LowPass) for item in lane.chain):
        return None
    sound = _sound(look, lane.id)
    now = over_db(sound, rate)
    if now is None or now < AUDIBLE_DB or not is_only_noise(sound, rate):
        return None
    after = over_db(Single(_station(), rate)(sound[:, np.newaxis])[:, 0], rate)
    return KIND.move(
        targets=(lane.id,),
        of=lane.id,
        title=f"Low-pass {lane.name} at {CUTOFF_HZ / 1000.0:.0f} kHz: above is only noise",
        reason=f"Over {OVER_HZ / 1000.0:.0f} kHz it has {number(now)} dB of its sound, as much between the notes as in "
        "them: hiss or hum, nothing of strings or fingers.",
        evidence={"over_5_khz_db": now},
        metric=METRIC,
        arguments={"lane": lane.id},
        before=now,
        expected=after,
        weight=1.8,
    )


def _station() -> LowPass:
    return LowPass(frequency_hz=CUTOFF_HZ, slope=24)


def edit(session: Session, proposal: Proposal) -> Session:
    return with_stations(session, {lane_id: (_station(),) for lane_id in proposal.targets})


def _over(look: Look, arguments: Arguments) -> float | None:
    lane_id = str(arguments["lane"])
    return over_db(_sound(look, lane_id), look.session.sample_rate) if look.session.is_lane(lane_id) else None


KIND = Kind("low-end.hiss", bottom.DEPENDS_ON, propose, edit, optional=True)
METRIC = Metric("bass-treble", "bass over 5 kHz re all of it", "dB", 1, 1.0, ("files", "strips"), _over)
