"""What is next in the order of the work: the first stage with something open, and why."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class StageFacts:
    """What is known of a stage. faults: of recordings, where they are its business. moves: titles, most important
    first. done: ticked off; moved_on: ticked off once, and something changed since. looked: whether it was looked
    through. cant_judge: what it lacks to judge and a press
    helps with; empty elsewhere. no_longer: how many moves are no longer as
    measured, where that is its business."""

    key: str
    name: str
    faults: int
    first_fault: str
    moves: tuple[str, ...]
    done: bool
    moved_on: bool
    looked: bool = True
    cant_judge: str = ""
    no_longer: int = 0


@dataclass(frozen=True, slots=True)
class NextStep:
    """stage: the key of the stage to go to; empty where nothing is left. text: for the quiet line."""

    stage: str
    text: str


def next_step(facts: Sequence[StageFacts], *, measuring: bool) -> NextStep:
    """The first thing to do. measuring: whether more may be found in a moment."""
    for stage in facts:
        if stage.done:
            continue
        if stage.moved_on:
            return NextStep(stage.key, f"{stage.name}: was done, and something it rests on has changed since")
        if stage.faults:
            more = f" and {stage.faults - 1} more" if stage.faults > 1 else ""
            return NextStep(stage.key, f"{stage.name}: {stage.first_fault.rstrip('.')}{more}")
        if stage.moves:
            more = f" and {len(stage.moves) - 1} more" if len(stage.moves) > 1 else ""
            return NextStep(stage.key, f"{stage.name}: {stage.moves[0]}{more}")
        if stage.cant_judge:
            return NextStep(stage.key, f"{stage.name} can’t judge: {stage.cant_judge}")
        if stage.no_longer:
            return NextStep(stage.key, f"{stage.name}: {_moves(stage.no_longer)} no longer as measured")
        if not stage.looked:
            if measuring:
                return NextStep("", "Looking for what is next …")
            return NextStep(stage.key, f"{stage.name}: not looked at yet")
    if measuring:
        return NextStep("", "Looking for what is next …")
    for stage in facts:
        if not stage.done:
            return NextStep(stage.key, f"{stage.name}: nothing is open; mark it done when you are content")
    return NextStep("", "Every stage is done.")


def _moves(count: int) -> str:
    return "1 move is" if count == 1 else f"{count} moves are"
