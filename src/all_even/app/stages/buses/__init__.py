"""Buses as the window shows it."""

from typing import TYPE_CHECKING

from all_even.app.commands import Command, is_selected
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.buses.bench import BusesBench
    from all_even.app.stages.buses.body import BusesBody
    from all_even.app.stages.buses.routing_form import RoutingForm


def _body(desk: Desk) -> "BusesBody":
    from all_even.app.stages.buses.body import BusesBody

    return BusesBody(desk)


def _bench(desk: Desk) -> "BusesBench":
    from all_even.app.stages.buses.bench import BusesBench

    return BusesBench(desk)


def _opened(actions: "Actions") -> "BusesBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.buses.bench import BusesBench

    bench = actions.go_to_bench("buses")
    assert isinstance(bench, BusesBench)
    return bench


def _form(actions: "Actions") -> "RoutingForm":
    """The routing form, whatever stage is shown: it says itself what it needs."""
    from all_even.app.stages.buses.bench import BusesBench

    bench = actions.bench("buses")
    assert isinstance(bench, BusesBench)
    return bench.form


VIEW = StageView(
    _body,
    _bench,
    (
        Command("Lanes", "Summing group of the selection", "Ctrl+B", lambda a: _form(a).make_group(), is_selected),
        Command("Lanes", "Folder group of the selection", "Ctrl+F", lambda a: _form(a).make_folder(), is_selected),
        Command(
            "Lanes", "Parallel bus from the selection", "Ctrl+Shift+B", lambda a: _form(a).make_parallel(), is_selected
        ),
        Command(
            "Lanes", "Remove the bus or folder", "Ctrl+Backspace", lambda a: _form(a).remove_current(), is_selected
        ),
        Command("Lanes", "Add a station", "A", lambda a: _opened(a).add.setFocus()),
    ),
)
