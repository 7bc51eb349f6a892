"""Figures of sounds in memory and of renders, put together from the program's own meters for tests alone."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.audio import sound_file
from all_even.engine.plan import Plan
from all_even.engine.render import render
from all_even.measure.dynamics.separation import HOP_S, Separation, candidates
from all_even.measure.recording.track import Measurement, TrackMeasures
from all_even.measure.sharing import focus as focus_module
from all_even.measure.sharing.focus import BACK_OFF_DB, FRAME_S, Focus, excitation, focus_of
from all_even.measure.space.ending import BETWEEN_S
from all_even.measure.space.response import OCTAVES_HZ, octave

Array = NDArray[np.float64]
RAYLEIGH_STD_DB = 5.57
"""Spread of the level of a diffuse field: pi / sqrt 6 * 10 / ln 10 dB."""


def measure_mix(plan: Plan) -> TrackMeasures:
    """All level figures of the whole mix, measured on the rendered sound."""
    measurement = Measurement(plan.sample_rate, 2)
    for block in render(plan):
        measurement.add(block.astype(np.float32))
    return measurement.result()


def measure_samples(samples: NDArray[np.float32], sample_rate: int) -> TrackMeasures:
    """Measures samples held in memory, (frames, channels); the array is not changed."""
    measurement = Measurement(sample_rate, samples.shape[1])
    for start in range(0, len(samples), sound_file.BLOCK_FRAMES):
        measurement.add(np.array(samples[start : start + sound_file.BLOCK_FRAMES], dtype=np.float32))
    return measurement.result()


def correlation_by_octave(samples: Array, sample_rate: int) -> dict[float, float]:
    """Octave centres and the correlation of left and right there; samples: (frames, 2)."""
    found = {}
    for hz in OCTAVES_HZ:
        if hz < 0.35 * sample_rate:
            left, right = octave(samples, sample_rate, hz).T
            found[hz] = float(left @ right / np.sqrt((left @ left) * (right @ right) + 1e-300))
    return found


def predicted_drop_db(until_s: float, predelay_s: float, decay_s: float) -> float:
    """Of a hit whose next kick comes after `until_s`."""
    return 60.0 * (until_s - predelay_s + BETWEEN_S) / decay_s


def own_hits_s(peaks: Array, found: Separation) -> tuple[float, ...]:
    """The candidates over the middle between own ones and others."""
    at = candidates(peaks)
    return tuple((at[peaks[at] >= 10.0 ** (found.between_db / 20.0)] * HOP_S).tolist())


def focus(
    kick: Array,
    bass: Array,
    sample_rate: int,
    hits_s: Sequence[float],
    *,
    frame_s: float = FRAME_S,
    hop_s: float = focus_module.HOP_S,
    back_off_db: float = BACK_OFF_DB,
) -> Focus | None:
    """kick, bass: (frames,) mono as they arrive in the mix, at `sample_rate`. None without a hit to judge."""
    kick_bands, bass_bands = (excitation(x, sample_rate, frame_s=frame_s, hop_s=hop_s) for x in (kick, bass))
    return focus_of(kick_bands, bass_bands, hits_s, hop_s=hop_s, back_off_db=back_off_db)
