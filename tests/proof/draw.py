"""What a proof looks at: everything, or a share that the date draws.

`make proof` takes one of `SHARES` shares of each proof's songs, by the date of the last commit: the same sources draw
the same, the next day's another one. The share stands in the head of the run, and `ALL_EVEN_SHARE=2` draws it anywhere.
`make proof-all` takes all songs, and asks of each share by itself, too, what it asks of the whole: so that no draw
fails by luck.
"""

import math
import os
import subprocess
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import TypeVar

A = TypeVar("A")
SHARES = 4
WHOLE = "all"


def drawing_day() -> date:
    """Of the last commit; without a history, today."""
    command = ["git", "log", "-1", "--format=%cs"]
    told = subprocess.run(command, cwd=Path(__file__).parent, capture_output=True, text=True)
    return date.fromisoformat(told.stdout.strip()) if told.returncode == 0 and told.stdout.strip() else date.today()


CHOSEN = os.environ.setdefault("ALL_EVEN_SHARE", str(drawing_day().toordinal() % SHARES))
"""Set once by the process that starts: its workers draw the same. A number, or `all`."""
PARTS: tuple[str, ...] = (CHOSEN,) if CHOSEN != WHOLE else (WHOLE, *map(str, range(SHARES)))
"""What is judged: the share that was drawn; or everything, and each share."""


def drawn(wanted: Sequence[A]) -> list[A]:
    """Those that are looked at."""
    return list(wanted) if CHOSEN == WHOLE else list(wanted[int(CHOSEN) :: SHARES])


def part_of(found: Sequence[A], part: str) -> list[A]:
    """What came of one of `PARTS`. found: of all that were drawn, in order."""
    return list(found) if part == CHOSEN else list(found[int(part) :: SHARES])


def at_least(count: int, part: str) -> int:
    """How many have to be there at least: in a share as many as it has at any rate."""
    return count if part == WHOLE else max(1, count // (2 * SHARES))


def beside(share: float, count: int, part: str) -> int:
    """How many of `count` may be beside: so large a share of all, one of few. Of a drawn part two standard deviations
    more than it has on average: what holds for the whole then holds for nearly every draw of it."""
    usual = share * count
    return max(1, int(usual if part == WHOLE else usual + 2.0 * math.sqrt(usual)))
