"""Sessions for the proof of Check: generated tunes, and songs of a sound bank of recorded instruments, as they start.

Each is balanced by the program's own starting point. Then: what vanishes, every move that is offered, each made by
itself on the session as it was; and the listening copy of the mix.
"""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyloudnorm
from scipy import signal

from all_even import stages
from all_even.deliver import listening_copy
from all_even.deliver.listening_copy import Copy
from all_even.engine.planning import make_plan
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.dynamics import limited
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import translation
from all_even.measure.sharing.translation import VANISHES
from all_even.moves import making
from all_even.moves.check.figures import BELONGS
from all_even.session.tracks.importance import weight_of
from tests.moves.looks import look_at, make, result_of
from tests.proof import share_runs

STARTING = "balance.all-even"
FINELY = 16


@dataclass
class Move:
    """raised_db: of its own figure. costs_db: the most that any source loses anywhere. club_db: what its own source
    loses in a club. promised, found: of its metric."""

    kind: str
    key: str
    promised: float
    found: float
    raised_db: float
    costs_db: float
    club_db: float


@dataclass
class Run:
    """lost: sources that matter and vanish on a small speaker, and for how many of them something is offered. copy:
    what it was made with; lufs: of it, by another's meter; finely_dbtp: its peak, sixteen times oversampled."""

    name: str
    lost: int = 0
    offered: int = 0
    moves: list[Move] = field(default_factory=list)
    copy: Copy | None = None
    lufs: float = 0.0
    finely_dbtp: float = 0.0


def run_one(wanted: tuple[str, str]) -> Run:
    """what, which: `folder`, `tune` by its seed, `genre` by its name."""
    what, which = wanted
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        if what == "folder":
            folder = Path(which)
        elif what == "tune":
            share_runs.tune(folder, int(which))
        else:
            share_runs.genre(folder, which)
        look = look_at(folder, Pages())
        for move in making.propose(look, [stages.kinds()[STARTING]]):
            look = make(look, move)
        return judged(look, "the demo" if what == "folder" else f"{what} {which}")


def judged(look: Look, name: str) -> Run:
    run, before = Run(name), translation(look)
    small = [systems.KEYS.index(key) for key in ("phone", "laptop", "small")]
    lost = {
        place for place, unit in enumerate(before.units)
        if any(weight_of(lane) in BELONGS for lane in unit.lanes) and (before.left[place, small] <= VANISHES).any()
    }  # fmt: skip
    moves = [move for kind in stages.stage("check").moves().kinds for move in kind.propose(look)]
    run.lost = len(lost)
    run.offered = len(lost & {before.place(move.targets[0]) for move in moves})
    for move in moves:
        after_look = make(look, move)
        after, place = translation(after_look), before.place(move.targets[0])
        key = str(move.arguments["system"])
        column, club = systems.KEYS.index(key), systems.KEYS.index("club")
        found = result_of(after_look)
        run.moves.append(
            Move(
                move.kind, key, move.expected or 0.0, found if found is not None else np.nan,
                float(after.left[place, column] - before.left[place, column]),
                float(np.nanmax(before.left - after.left)), float(before.left[place, club] - after.left[place, club]),
            )
        )  # fmt: skip
    rate = look.session.sample_rate
    mix = listening_copy.rendered(make_plan(look.session, look.book.sources))
    run.copy = listening_copy.best(mix, rate, limited.struck_hits(look))
    sound = run.copy.samples.astype(np.float64)
    run.lufs = float(pyloudnorm.Meter(rate).integrated_loudness(sound))
    finely = max(float(np.abs(signal.resample_poly(part, FINELY, 1, axis=0)).max())
                 for part in np.array_split(sound, 16))  # fmt: skip
    run.finely_dbtp = 20.0 * float(np.log10(finely))
    run.copy = Copy(
        np.zeros((0, 2), dtype=np.float32), rate, run.copy.chosen, run.copy.stopped
    )  # the sound is not sent
    return run
