"""Compiles every kernel that measuring and playing need, so that first use does not wait.

Run as `python -m all_even.engine.warm`; the compiled code stays in the kernel cache.
"""

import os
import shutil
import time
from pathlib import Path

import numpy as np

from all_even import kernels

UNUSED_S = 30 * 86_400.0


def warm() -> None:
    from all_even.audio import pcm
    from all_even.dsp.kinds import KINDS
    from all_even.dsp.processor import NO_GAIN, NOTHING, coefficients_of
    from all_even.engine import mixing
    from all_even.kernels import brief
    from all_even.measure.pitch.yin import pitch_track
    from all_even.measure.recording.character import CharacterMeter
    from all_even.measure.recording.track import Measurement

    for channels in (1, 2):
        measurement = Measurement(48_000, channels)
        measurement.add(np.zeros((24_000, channels), dtype=np.float32))
        measurement.result()
        playing = CharacterMeter(48_000, channels)
        playing.add(np.random.default_rng(0).standard_normal((96_000, channels)).astype(np.float32))
        playing.result()
    pitch_track(np.sin(np.arange(8_000) * 0.1), 4_000, highest_hz=1_000.0)
    out = np.zeros((512, 2))
    for add in (mixing.add_lane, mixing.add_lane_brief):
        for kind in (np.float32, np.float64):
            add(out, np.zeros((512, 2), dtype=kind), np.zeros((2, 2)), True)
    for moving in (mixing.add_moving, brief(mixing.add_moving)):
        moving(out, np.zeros((512, 2)), np.zeros((512, 2, 2)))
    for largest in (mixing.largest_gain, brief(mixing.largest_gain)):
        largest(np.zeros(512))
    for width in (2, 3):
        pcm.widen(np.frombuffer(bytes(12), dtype=np.uint8), width, np.zeros(12 // width, dtype=np.float32))
    mixing.ProtectiveCeiling(48_000)(out)
    for kind_of in KINDS:
        processor = kind_of()
        coefficients = coefficients_of(processor, 48_000)
        for short in (True, False):
            state = np.zeros(processor.state_size(48_000))
            history = np.zeros(processor.history_size(48_000))
            processor.process(np.zeros((512, 2)), NOTHING, NO_GAIN, coefficients, state, 0, short, history)
    folder = os.environ.get("NUMBA_CACHE_DIR")
    if folder:
        (Path(folder) / kernels.WARM).touch()
        _forget_old(Path(folder))


def _forget_old(present: Path) -> None:
    """Kernels of versions that have not been used for a month."""
    for other in present.parent.iterdir():
        mark = other / ".writable"
        if other != present and mark.is_file() and mark.stat().st_mtime < time.time() - UNUSED_S:
            shutil.rmtree(other, ignore_errors=True)


if __name__ == "__main__":
    warm()
