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


def _shown(actions: "Actions", view: int) -> "PrintBench":
    bench = _opened(actions)
    bench.show_view(view)
    return bench


def _copy(actions: "Actions") -> None:
    _shown(actions, 1).copy.make()


def _deliver(actions: "Actions") -> None:
    _shown(actions, 2).delivery.write()


def _sheet(actions: "Actions") -> None:
    _shown(actions, 3).sheets.write_sheet()


def _console(actions: "Actions") -> None:
    _shown(actions, 3).sheets.write_console()


VIEW = StageView(
    _body,
    _bench,
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
