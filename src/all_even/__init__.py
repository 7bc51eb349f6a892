"""All Even: a mixing bench for one person and one folder of recorded tracks."""

import os

from all_even import heap

__version__ = "0.1.0"

for _library in ("OPENBLAS", "MKL", "OMP"):
    # Our own threads share the cores; those of a linear algebra library inside them only wait for each other.
    os.environ.setdefault(f"{_library}_NUM_THREADS", "1")
heap.keep()
