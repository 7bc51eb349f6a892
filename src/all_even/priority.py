"""Who goes first where the machine is busy: playing and the window, before measuring and rendering."""

import contextlib
import os
import threading

BACKGROUND_NICE = 10


def step_back() -> None:
    """Lets this thread yield to the others. Costs nothing where nobody else has anything to do."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BACKGROUND_NICE)
