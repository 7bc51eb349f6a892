"""Print as the window shows it."""

from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import Command, Hands
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.print_.bench import PrintBench


def _opened(hands: Hands) -> "PrintBench":
    """The bench, with its stage shown."""
    return cast("PrintBench", hands.go_to_bench("print"))


def _shown(hands: Hands, view: int) -> "PrintBench":
    bench = _opened(hands)
    bench.show_view(view)
    return bench


def _copy(hands: Hands) -> None:
    _shown(hands, 1).copy.make()


def _deliver(hands: Hands) -> None:
    _shown(hands, 2).delivery.write()


def _sheet(hands: Hands) -> None:
    _shown(hands, 3).sheets.write_sheet()


def _console(hands: Hands) -> None:
    _shown(hands, 3).sheets.write_console()


VIEW = StageView(
    __name__,
    "PrintBody",
    "PrintBench",
    (
        Command("File", "Print the mix", "Ctrl+P", lambda a: _shown(a, 0).print_mix()),
        Command(
            "File",
            "Make the listening copy",
            "Ctrl+Alt+P",
            lambda a: _copy(a),
            words="loud limiter car phone",
        ),
        Command(
            "File",
            "Write the delivery",
            "Ctrl+Alt+D",
            lambda a: _deliver(a),
            words="stems instrumental versions",
        ),
        Command("File", "Write the recall sheet", "Ctrl+R", lambda a: _sheet(a)),
        Command(
            "File",
            "Write the console page",
            "Ctrl+Alt+K",
            lambda a: _console(a),
            words="three knobs board",
        ),
    ),
)
