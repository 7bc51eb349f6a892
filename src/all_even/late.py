"""Libraries that take long to read in, read in where they are first used, by one thread at a time.

Their modules import each other in circles. That is harmless for one thread, and for two at once it is not: Python
rather hands out a half-read module than let them wait for each other for ever.
"""

import importlib
import threading
from typing import Any

LOCK = threading.RLock()
"""Held by whoever reads in such a library."""


class Late:
    """A package whose parts are read in when they are first asked for: `scipy.signal.butter(…)`."""

    def __init__(self, package: str) -> None:
        self._package = package

    def __getattr__(self, part: str) -> Any:
        """Once only: then the part is an attribute like any other."""
        if part.startswith("_"):
            raise AttributeError(part)
        with LOCK:
            found = importlib.import_module(f"{self._package}.{part}")
            setattr(self, part, found)
            return found


scipy = Late("scipy")
