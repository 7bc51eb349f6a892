"""All parts of the benchmark in their order; each figure is handed out as soon as it is known."""

import importlib
from collections.abc import Iterator, Sequence

from all_even import places
from all_even.cli.benchmarks.benchmark import Benchmark
from all_even.errors import one_sentence

PARTS = {
    "measure": "measuring.measure",
    "render": "strips.render_strips",
    "play": "strips.play",
    "mask": "sharing.mask",
    "share": "sharing.share",
    "duck": "processors.duck",
    "dynamics": "processors.dynamics",
    "space": "processors.space",
    "window": "window.window",
    "pauses": "window.pauses",
    "whole": "long_songs.whole",
    "cards": "long_songs.cards",
    "large": "long_songs.large",
    "growth": "long_songs.growth",
}
"""Each is a generator in a module of this package that takes a folder of its own; what it needs is read in with it."""
BY_NAME = frozenset({"whole", "cards", "large", "growth"})
"""Many minutes of work, so only where they are asked for."""


def run_benchmarks(only: Sequence[str] = ()) -> Iterator[Benchmark]:
    """The figures of all parts but the longest, or of those named. A part that fails becomes one figure that says why;
    the others go on."""
    for name in only or [name for name in PARTS if name not in BY_NAME]:
        module, _, function = PARTS[name].partition(".")
        with places.passing_folder("bench") as folder:
            try:
                part = getattr(importlib.import_module(f"all_even.cli.benchmarks.{module}"), function)
                yield from part(folder)
            except Exception as error:
                yield Benchmark(
                    name, None, None, None, 1, one_sentence(f"failed: {error or type(error).__name__}"), failed=True
                )
