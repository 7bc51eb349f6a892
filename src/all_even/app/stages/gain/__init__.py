"""Gain as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import Command
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.gain.bench import GainBench
    from all_even.app.stages.gain.body import GainBody


def _body(desk: Desk) -> "GainBody":
    from all_even.app.stages.gain.body import GainBody

    return GainBody(desk)


def _bench(desk: Desk) -> "GainBench":
    from all_even.app.stages.gain.bench import GainBench

    return GainBench(desk)


def _opened(actions: "Actions") -> "GainBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.gain.bench import GainBench

    bench = actions.go_to_bench("gain")
    assert isinstance(bench, GainBench)
    return bench


def _even_chain(actions: "Actions") -> None:
    """Level after each station as before it, on the selected lane, bus or the mix."""
    desk = actions.desk
    current = desk.current

    def then(found: list[Proposal]) -> None:
        fitting = [move for move in found if move.targets == (current,)]
        if fitting:
            desk.moves.apply(fitting[0])
        else:
            desk.said.emit("Nothing to do here: no station of this chain with an output of its own is off by 1.5 dB.")

    desk.moves.propose_now("gain.even-chain", then)


VIEW = StageView(
    _body,
    _bench,
    (
        Command("Lanes", "Type the clip gain", "Shift+E", lambda a: _opened(a).clip_gain.take_over()),
        Command(
            "Lanes", "Level after each station as before it", "", _even_chain,
            words="make-up match output gain staging", at=("lanes",),
        ),
    ),
)  # fmt: skip
