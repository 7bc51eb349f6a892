"""The stages of the work, in order: each is one file here and one folder in `app.stages`.

Everything that has to do with stages reads this list: path, keys, menus, empty texts, command line, recall, tests.
"""

from typing import TYPE_CHECKING

from all_even.stages import balance, buses, check, dynamics, gain, gather, low_end, print_, rides, share, space
from all_even.stages.stage import Stage

if TYPE_CHECKING:
    from all_even.moves.kind import Kind
    from all_even.moves.metric import Metric

STAGES: tuple[Stage, ...] = (
    gather.STAGE,
    gain.STAGE,
    balance.STAGE,
    low_end.STAGE,
    share.STAGE,
    dynamics.STAGE,
    buses.STAGE,
    space.STAGE,
    rides.STAGE,
    check.STAGE,
    print_.STAGE,
)


def stage(key: str) -> Stage:
    """The stage with this key; KeyError where there is none."""
    return {item.key: item for item in STAGES}[key]


def all_keys() -> tuple[str, ...]:
    return tuple(item.key for item in STAGES)


def kinds() -> "dict[str, Kind]":
    """All kinds of moves, by id."""
    return {kind.id: kind for item in STAGES for kind in item.moves().kinds}


def metrics() -> "dict[str, Metric]":
    """All metrics, by id."""
    return {metric.id: metric for item in STAGES for metric in item.moves().metrics}


def metric(metric_id: str) -> "Metric":
    """One by id; one that can only be shown where it is not known any more."""
    from all_even.moves.metric import words

    return metrics().get(metric_id) or words(metric_id)
