"""Print as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import Command
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.print_.bench import PrintBench
    from all_even.app.stages.print_.body import PrintBody


def _body(desk: Desk) -> "PrintBody":
    from all_even.app.stages.print_.body import PrintBody

    return PrintBody(desk)


def _bench(desk: Desk) -> "PrintBench":
    from all_even.app.stages.print_.bench import PrintBench

    return PrintBench(desk)


def _opened(actions: "Actions") -> "PrintBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.print_.bench import PrintBench

    bench = actions.go_to_bench("print")
    assert isinstance(bench, PrintBench)
    return bench


VIEW = StageView(
    _body,
    _bench,
    (
        Command("File", "Print the mix", "Ctrl+P", lambda a: _opened(a).print_mix()),
        Command("File", "Write the recall sheet", "Ctrl+R", lambda a: _opened(a).write_sheet()),
    ),
)
