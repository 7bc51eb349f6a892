"""Menus from commands: the menu bar, and the context menus of places in the window.

The context menu of a widget that says which place it is (`belonging`) begins with the commands of that place, under
them the menus of the window. Right button and Menu key ask for it alike.
"""

from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from all_even.app.commands.all import all_commands, present_commands
from all_even.app.commands.command import MENUS, Command, Place

if TYPE_CHECKING:
    from all_even.app.desk import Desk

NEAREST = ("Tracks", "Play", "Edit", "View", "File", "Help")
"""Of which menu the commands of a place come first: those that change what is there."""
Give = Callable[[Command[Any]], None]


class Menus:
    """The actions of all commands, and the menus they stand in. give: does what a command says."""

    def __init__(self, desk: "Desk", window: QWidget, bar: QMenuBar, give: Give) -> None:
        self._desk, self._window, self._give = desk, window, give
        self.commands = all_commands()
        self.shown_actions: list[tuple[Command[Any], QAction]] = []
        for command in self.commands:
            action = QAction(command.text, window)
            if command.shortcut:
                action.setShortcut(QKeySequence(command.shortcut))
            action.triggered.connect(partial(self._given, command))
            window.addAction(action)
            self.shown_actions.append((command, action))
        for name in MENUS:
            menu = bar.addMenu(f"&{name}")
            assert menu is not None
            menu.aboutToShow.connect(partial(self._about_to_show, menu, name))
            menu.aboutToHide.connect(self._enable_all)
            self._fill(menu, name)
        self._enable_all()

    def context(self, place: Place | None) -> QMenu:
        """The context menu of a place; the caller shows it."""
        menu = QMenu(self._window)
        present = present_commands(self._desk)
        own = [command for command in self.commands if place in command.at]
        self._add(menu, sorted(own, key=lambda command: NEAREST.index(command.menu)))
        self._add_under(menu, [command for command in present if place in command.at])
        if menu.actions():
            menu.addSeparator()
        for name in MENUS:
            below = menu.addMenu(name)
            assert below is not None
            self._fill(below, name)
        menu.aboutToHide.connect(self._enable_all)
        return menu

    def _given(self, command: Command[Any], _checked: bool = False) -> None:
        self._give(command)

    def _about_to_show(self, menu: QMenu, name: str) -> None:
        self._fill(menu, name)
        if name == "Play":  # what there is to play to is looked for, and shown when it is found
            self._desk.ears.outputs.look(lambda: self._fill(menu, name) if menu.isVisible() else None)

    def _fill(self, menu: QMenu, name: str) -> None:
        """Puts a menu's commands into it, each as far as it can be given now."""
        menu.clear()
        self._add(menu, [command for command in self.commands if command.menu == name])
        below = [command for command in present_commands(self._desk) if command.menu == name]
        if below:
            menu.addSeparator()
            self._add_under(menu, below)

    def _add(self, menu: QMenu, wanted: Iterable[Command[Any]]) -> None:
        by_command = {id(command): action for command, action in self.shown_actions}
        for command in wanted:
            action = by_command[id(command)]
            action.setEnabled(command.enabled(self._desk))
            if command.says is not None:
                action.setText((command.says(self._desk) or command.text).replace("&", "&&"))
            menu.addAction(action)

    def _add_under(self, menu: QMenu, wanted: Iterable[Command[Any]]) -> None:
        below: dict[str, QMenu] = {}
        for command in wanted:
            if command.under not in below:
                made = menu.addMenu(command.under)
                assert made is not None
                below[command.under] = made
            text = command.text.removeprefix(f"{command.under} ")
            action = QAction(text[:1].upper() + text[1:], menu)
            action.setEnabled(command.enabled(self._desk))
            if command.marked is not None:
                action.setCheckable(True)
                action.setChecked(command.marked(self._desk))
            action.triggered.connect(partial(self._given, command))
            below[command.under].addAction(action)

    def _enable_all(self) -> None:
        """A shortcut asks for itself when it is pressed."""
        for _, action in self.shown_actions:
            action.setEnabled(True)
