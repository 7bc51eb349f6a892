"""Sessions for the proof of space, and what the stage's moves do to one: made in processes of their own.

Generated tunes (sixteen of the demo's parts) and ten genres of a sound bank of recorded instruments (Debian's
`timgm6mb-soundfont`, played dry by FluidSynth), all sources made equally loud first. Each move is made, and measured
again on the rendered session.
"""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from all_even import stages
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.space import depth, spaces
from all_even.moves import making
from all_even.moves.space import who
from all_even.session.editing import edits, space_edits
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from tests.moves.looks import look_at, make, result_of
from tests.proof import share_runs

KINDS = (
    "space.short", "space.long", "space.snare-time", "space.less-mud", "space.clear-lead", "space.place",
    "space.front-to-back", "space.echoes", "space.wider", "space.one-room",
)  # fmt: skip
MOST_DEPTHS = 3


@dataclass
class Outcome:
    kind: str
    name: str
    before: float | None
    expected: float | None
    after: float | None
    tolerance: float


@dataclass
class Placed:
    """A return that a move made. together: how much of the lead both hide."""

    name: str
    covered: float
    lead_hidden: float | None
    low_added_db: float | None
    direct_to_return_db: float
    decay_s: float


@dataclass
class Run:
    """depths: (predicted, measured, role) of lanes in both places. drops: (formula, measured) of planted halls."""

    name: str
    outcomes: list[Outcome] = field(default_factory=list)
    placed: list[Placed] = field(default_factory=list)
    depths: list[tuple[float, float, str]] = field(default_factory=list)
    drops: list[tuple[float, float]] = field(default_factory=list)


def run_one(wanted: tuple[str, str]) -> Run:
    """what, which: a tune by its seed, a genre, or a folder that is there."""
    what, which = wanted
    with tempfile.TemporaryDirectory(prefix="space-") as temporary:
        folder = Path(temporary)
        match what:
            case "tune":
                share_runs.tune(folder, int(which))
            case "genre":
                share_runs.genre(folder, which)
            case _:
                folder = Path(which)
        look = look_at(folder, Pages())
        if what != "folder":
            look = share_runs.evenly_loud(look)
        return judged(look, f"{what} {Path(which).name}")


def judged(look: Look, name: str) -> Run:
    told = Run(name)
    for state in (look, *planted(look)):
        offered = [kind for kind in KINDS if state is look or kind in ("space.snare-time", "space.less-mud",
                                                                       "space.clear-lead", "space.place")]  # fmt: skip
        for kind_id in offered:
            for move in making.propose(state, [stages.kinds()[kind_id]]):
                told.outcomes.append(outcome(state, move))
    both = look
    for kind_id in ("space.short", "space.long"):
        for move in making.propose(both, [stages.kinds()[kind_id]]):
            both = make(both, move)
    for kind_id in ("space.front-to-back",):
        for move in making.propose(both, [stages.kinds()[kind_id]]):
            told.outcomes.append(outcome(both, move))
    told.placed = [placed(both, bus.id) for bus in space.returns(both.session)]
    told.depths = depths(both)
    told.drops = drops(look)
    return told


def outcome(look: Look, move: Proposal) -> Outcome:
    after = make(look, move)
    return Outcome(move.kind, move.title, move.before, move.expected, result_of(after), move.tolerance)


def planted(look: Look) -> list[Look]:
    """With a hall that is wrong: it lasts too long for the snare; kick and bass are in it; it is far too loud."""
    session = look.session
    cut = (HighPass(frequency_hz=200.0), LowPass(frequency_hz=7000.0))
    high = [unit.id for unit in who.candidates(look)]
    low = [lane.id for lane in session.lanes if who.is_low(look, lane)]
    hall = STARTS["hall"]
    states = [space_edits.add_return(session, "Hall", (replace(hall, decay_s=5.0), *cut), high)[0]]
    if low:
        states.append(space_edits.add_return(session, "Hall", (hall,), [*high, *low])[0])
    loud, bus = space_edits.add_return(session, "Hall", (hall, *cut), high)
    states.append(edits.change_strips(loud, (bus,), level_db=8.0))
    return [look.at(state) for state in states]


def placed(look: Look, bus_id: str) -> Placed:
    found, session = spaces.figures_of(look, bus_id), look.session
    ratios = [one.to(bus_id) for one in depth.depths(look).values() if one.returned.get(bus_id)]
    reverb = space.reverb_of(session.bus(bus_id))
    assert found.covered is not None
    assert reverb is not None
    known = [ratio for ratio in ratios if ratio is not None]
    return Placed(
        session.bus(bus_id).name, found.covered, found.lead_hidden, found.low_added_db, float(np.median(known)),
        reverb.decay_s,
    )  # fmt: skip


def depths(look: Look) -> list[tuple[float, float, str]]:
    """Of a few lanes, the first ones that have a room."""
    found = []
    for lane in look.session.lanes:
        predicted = depth.ratio_db(look, lane.id)
        if predicted is not None and len(found) < MOST_DEPTHS:
            measured = depth.measured_db(look, lane.id)
            if measured is not None:
                found.append((predicted, measured, lane.role))
    return found


def drops(look: Look) -> list[tuple[float, float]]:
    """What the rule says of a reverb's time, and what is measured on the snare's own sound."""
    wall = spaces.wall(look)
    if wall is None:
        return []
    from tests.measuring import predicted_drop_db

    found = []
    for decay_s in (0.8, 1.6, 2.4):
        reverb = replace(STARTS["room"], decay_s=decay_s)
        measured = spaces.drop_db(look, "", [reverb])
        if measured is not None:
            found.append((predicted_drop_db(wall.typical_s, reverb.predelay_ms / 1000.0, decay_s), measured))
    return found
