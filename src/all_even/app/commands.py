"""All commands of the window: name, shortcut, what it does. The one place where shortcuts are given."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Command:
    """menu: which menu it stands in. shortcut: portable text; empty where there is none."""

    menu: str
    text: str
    shortcut: str
    run: Callable[[], object]


MENUS = ("File", "Edit", "Lanes", "Play", "View")
