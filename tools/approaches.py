"""What every approach does on folders of recordings: a table with its own figure, the second estimate and the guards.

    tools/approaches.py FOLDER ...

Each folder is opened, balanced (voice first where somebody leads), grouped by sections and given its two rooms; then
every approach is tried on that state. One row an approach: in how many folders it offered something, how many moves,
the median change of its figure and of what is masked by the second estimate, and how many of them cost the whole
something, with the guard that says so most.
"""

import contextlib
import statistics
import sys
from collections import Counter, defaultdict
from pathlib import Path

from all_even import stages
from all_even.cli.looking import look_at
from all_even.dsp.parameter import signed
from all_even.figures.book.look import Look
from all_even.moves import making
from all_even.moves.approaches.offers import kinds_of
from all_even.session.editing import edits
from all_even.session.file.new import inspect_all, new_session, sound_paths
from all_even.session.model.approaches import Approaches, all_chosen
from all_even.session.model.ledger import Proposal

BEFORE = ("balance.voice-first", "balance.rhythm-first", "buses.sections", "space.short", "space.long")


def begun(folder: Path) -> Look:
    """A folder opened, balanced, grouped and in its rooms, with every approach chosen."""
    infos, _ = inspect_all(sound_paths(folder))
    look = look_at(new_session(folder, infos))
    for kind_id in BEFORE:
        kind = stages.kinds()[kind_id]
        if kind_id == "balance.rhythm-first" and look.session.ledger:
            continue
        moves = making.propose(look, [kind])
        found = making.make(look, kind, moves[0], stages.metrics()) if moves else None
        look = look if found is None else found
    return look.at(edits.set_approaches(look.session, **{name: getattr(all_chosen(), name) for name in names()}))


def names() -> list[str]:
    """Approaches that open moves of their own; choices turn others, and are tried elsewhere."""
    return [name for name in Approaches.STAGES if isinstance(getattr(Approaches(), name), bool)]


def row(name: str, found: list[tuple[str, Proposal]]) -> str:
    if not found:
        return f"| {name} | 0 | 0 | – | – | – |"
    metric = stages.metric(found[0][1].metric)
    changes = [
        move.expected - move.before for _, move in found if move.expected is not None and move.before is not None
    ]
    seconds = [100.0 * (move.evidence["witness"] - move.evidence["witness_before"]) for _, move in found
               if isinstance(move.evidence.get("witness"), float)]  # fmt: skip
    costing = [str(move.evidence["costs"]) for _, move in found if move.evidence.get("costs")]
    worst = Counter(cost.split("; ")[0].rsplit(" ", 3)[0] for cost in costing).most_common(1)
    own = f"{metric.label} {signed(statistics.median(changes))} {metric.unit}".rstrip() if changes else "–"
    second = f"{signed(statistics.median(seconds), 2)} %" if seconds else "–"
    cost = f"{len(costing)} of {len(found)}: {worst[0][0]}" if worst else f"0 of {len(found)}"
    return f"| {name} | {len({folder for folder, _ in found})} | {len(found)} | {own} | {second} | {cost} |"


def main(folders: list[str]) -> None:
    """All folders; of those that were done where it is interrupted."""
    found: dict[str, list[tuple[str, Proposal]]] = defaultdict(list)
    with contextlib.suppress(KeyboardInterrupt):
        for folder in folders:
            look, own = begun(Path(folder)), defaultdict(list)
            for name in names():
                for kind in kinds_of(name, stages.kinds()):
                    own[kind.id] += [(folder, move) for move in making.propose(look, [kind])]
            for kind_id, moves in own.items():
                found[kind_id] += moves
            print(f"{Path(folder).name}: {len(look.session.lanes)} tracks", file=sys.stderr, flush=True)
    print("| move | folders | moves | its own figure, median | masked, second estimate | costs something |")
    print("|---|---|---|---|---|---|")
    for name in names():
        for kind in kinds_of(name, stages.kinds()):
            print(row(kind.id, found[kind.id]))


if __name__ == "__main__":
    main(sys.argv[1:])
