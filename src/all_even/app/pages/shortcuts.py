"""All keys on one page: those of commands, by menu, and those that hold where the keyboard is."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QFrame, QVBoxLayout

from all_even.app.commands.command import MENUS, Command
from all_even.app.pages.page import Page, card
from all_even.app.style import fields, layouts

PLACES = {
    "In the rows": (
        ("Up, Down", "the track above, below; Shift: select more"), ("Page Up, Page Down", "eight tracks further"),
        ("Ctrl+Up, Ctrl+Down", "move the track"), ("Left, Right", "level (Balance); Shift: finer"),
        ("Alt+Left, Alt+Right", "pan (Balance)"), ("Menu", "what can be done with the track"),
    ),
    "In a number": (
        ("Up, Down, wheel", "a step; Shift: finer"), ("Enter", "takes what was typed: 1k2, −2 dB, 0.5 s"),
        ("Double click", "its usual value"),
    ),
    "On the signal chain": (
        ("Left, Right", "the processor before, after"), ("Ctrl+Left, Ctrl+Right", "move it"),
        ("B", "bypass"), ("Delete", "remove"),
    ),
    "On the song strip": (
        ("Left, Right", "five seconds"), ("Ctrl+wheel", "closer, further"), ("Wheel", "along the song"),
    ),
    "On a move's card": (("Enter, held", "hear with the move, as loud as without"),),
}  # fmt: skip
"""What keys mean by place, where no command says it."""
COLUMNS = 4


class ShortcutsPage(Page):
    title = "Shortcuts"

    def __init__(self, commands: list[Command[Any]], back: Callable[[], object]) -> None:
        super().__init__(back)
        blocks = [
            (menu, [(_shown(c.shortcut), c.text.removesuffix(" …")) for c in commands if c.menu == menu and c.shortcut])
            for menu in MENUS
        ]
        blocks += [(name, list(keys)) for name, keys in PLACES.items()]
        sides = [QVBoxLayout() for _ in range(COLUMNS)]
        heights = [0] * COLUMNS
        row = layouts.row(spacing=12)
        for name, keys in blocks:
            if keys:
                shortest = heights.index(min(heights))
                sides[shortest].addWidget(_block(name, keys))
                heights[shortest] += len(keys) + 2
        for side in sides:
            side.setSpacing(12)
            side.addStretch(1)
            row.addLayout(side, 1)
        everywhere = "Every command is in the menus, in the context menus (right button, Menu key) and in the finder."
        self.column.addWidget(fields.wrapped(everywhere, "quiet"))
        self.column.addLayout(row)
        self.column.addStretch(1)


def _shown(shortcut: str) -> str:
    return QKeySequence(shortcut).toString(QKeySequence.SequenceFormat.NativeText)


def _block(name: str, keys: list[tuple[str, str]]) -> QFrame:
    made, grid = card(name)
    grid.setColumnStretch(1, 1)
    for index, (key, text) in enumerate(keys, 1):
        grid.addWidget(fields.wrapped(key, "small"), index, 0)
        grid.addWidget(fields.wrapped(text), index, 1)
    return made
