"""Commands of the rows: their height, how they are nested and folded, which are pinned or shown alone, the bench."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from all_even.app.commands.command import LANES, Command, always, is_open, is_selected
from all_even.app.machine.kept_layout import Nesting, RowSize

if TYPE_CHECKING:
    from all_even.app.verbs.actions import Actions
    from all_even.app.verbs.page import PageVerbs

SIZES: dict[RowSize, tuple[str, str]] = {
    "small": ("Small rows", "1"),
    "middle": ("Middle rows", "2"),
    "tall": ("Tall rows", "3"),
}
NESTED: dict[Nesting, tuple[str, str]] = {
    "flat": ("Rows as the session has them", ""),
    "groups": ("Rows in their groups", ""),
    "families": ("Rows by family", ""),
}


def _size(name: RowSize, page: "PageVerbs") -> None:
    page.row_size(name)


def _nest(nesting: Nesting, page: "PageVerbs") -> None:
    page.nest(nesting)


def row_commands() -> "list[Command[Actions]]":
    """In the order of their menu."""
    return [
        *(
            Command(
                "View", text, key, partial(_on_page, partial(_size, name)), always, words="height zoom rows tracks"
            )
            for name, (text, key) in SIZES.items()
        ),
        *(
            Command("View", text, key, partial(_on_page, partial(_nest, name)), is_open, words="nest fold order")
            for name, (text, key) in NESTED.items()
        ),
        Command(
            "View", "Next way to nest rows", "Ctrl+Shift+G", _page(lambda p: p.nest_next()), words="groups families"
        ),
        Command("View", "Fold or unfold", "C", _page(lambda p: p.fold()), is_selected, LANES, words="collapse group"),
        Command("View", "Fold or unfold all", "Shift+C", _page(lambda p: p.fold_all()), words="collapse groups"),
        Command(
            "View", "Fold the others", "Ctrl+Shift+C", _page(lambda p: p.fold_others()), is_selected, LANES,
            words="collapse groups",
        ),
        Command(
            "View", "Pin to the top, or let go", "O", _page(lambda p: p.pin()), is_selected, LANES,
            words="compare rows keep",
        ),
        Command(
            "View", "Only the selection, or everything", "Q", _page(lambda p: p.only_selected()), is_open, LANES,
            words="compare rows hide others",
        ),
        Command("View", "Bench", "D", _page(lambda p: p.turn_bench()), words="put away show lower half"),
    ]  # fmt: skip


def _on_page(verb: "Callable[[PageVerbs], object]", actions: "Actions") -> None:
    actions.on_page(verb)


def _page(verb: "Callable[[PageVerbs], object]") -> "Callable[[Actions], object]":
    return partial(_on_page, verb)
