"""Gain as the window shows it."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import Command, Hands
from all_even.app.stages.view import StageView
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.app.stages.gain.bench import GainBench


def _opened(hands: Hands) -> "GainBench":
    """The bench, with its stage shown."""
    return cast("GainBench", hands.go_to_bench("gain"))


def _even_chain(hands: Hands) -> None:
    """Level after each station as before it, on the selected lane, bus or the mix."""
    desk = hands.desk
    current = desk.current

    def then(found: Sequence[Proposal]) -> None:
        fitting = [move for move in found if move.targets == (current,)]
        if fitting:
            desk.moves.apply(fitting[0])
        else:
            desk.said.emit("Nothing to do here: no processor of this chain with an output of its own is off by 1.5 dB.")

    desk.moves.propose_now("gain.even-chain", then)


VIEW = StageView(
    __name__,
    "GainBody",
    "GainBench",
    (
        Command("Tracks", "Type the clip gain", "Shift+E", lambda a: _opened(a).clip_gain.take_over()),
        Command(
            "Tracks", "Level after each processor as before it", "", _even_chain,
            words="make-up match output gain staging", at=("lanes",),
        ),
    ),
)  # fmt: skip
