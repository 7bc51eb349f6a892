"""Following the default moves of the stages, in their order, each as far as the whole gets no worse (`stage_run`).

The starting point of the balance is what all later stages are measured by. With the last one the lead and all faders
are looked at once more as the others left them, and the mix is brought back to its peak.
"""

import time
from collections.abc import Callable, Iterator, Sequence

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.whole.whole import Whole
from all_even.first_mix.stage_run import StageRun, Wishes, run_stage
from all_even.moves.balance import lead_back, polish, trim
from all_even.moves.kind import Kind
from all_even.moves.making import Told, unheard

PATH = ("gather", "gain", "balance", "low-end", "share", "dynamics", "buses", "space", "rides")
"""Stages whose moves make a mix, in the order of the work. Those of Check are for one system, and left to people."""
LAST: tuple[Kind, ...] = (lead_back.KIND, polish.KIND, trim.KIND)
"""Made with the last stage."""
WISHES = Wishes()


def follow(
    look: Look,
    wishes: Wishes = WISHES,
    path: Sequence[str] = PATH,
    told: Told = unheard,
    begun: Callable[[str], None] = unheard,
) -> Iterator[tuple[Look, StageRun]]:
    """Goes through the stages; after each the session so far, and what was done. Raises `Cancelled` where the look is
    cancelled: what was yielded until then stands. told: what there is to be said on the way; begun: each stage's key.
    """
    balance: Whole | None = None
    for key in path:
        if time.monotonic() > wishes.until:
            told(f"{stages.stage(key).name} was left out: no time was left.")
            continue
        begun(key)
        look, run = run_stage(look, stages.stage(key), wishes, balance, told, LAST if key == path[-1] else ())
        if key == "balance":
            balance = run.now
        yield look, run
