"""Compiles every kernel that measuring and playing need, so that first use does not wait.

Run as `python -m all_even.engine.warm`; the compiled code stays in the kernel cache.
"""

import os
from pathlib import Path

import numpy as np


def warm() -> None:
    from all_even.engine import mixing
    from all_even.measure.track import Measurement

    for channels in (1, 2):
        measurement = Measurement(48_000, channels)
        measurement.add(np.zeros((24_000, channels), dtype=np.float32))
        measurement.result()
        out = np.zeros((512, 2))
        gains = np.zeros((channels, 2))
        for add_lane in (mixing.add_lane, mixing.add_lane_brief):
            add_lane(out, np.zeros((512, channels), dtype=np.float32), gains, gains, 0, 0)
        mixing.ProtectiveCeiling(48_000)(out)
    folder = os.environ.get("NUMBA_CACHE_DIR")
    if folder:
        (Path(folder) / ".warm").touch()


if __name__ == "__main__":
    warm()
