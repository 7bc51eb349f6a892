"""All commands of the window: name, shortcut, what it does. The one place where shortcuts are given."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from all_even.app.window import MainWindow


@dataclass(frozen=True, slots=True)
class Command:
    """menu: which menu it stands in. shortcut: portable text; empty where there is none."""

    menu: str
    text: str
    shortcut: str
    run: Callable[[], object]


MENUS = ("File", "Edit", "Lanes", "Play", "View")


def all_commands(window: "MainWindow") -> list[Command]:
    """Every command there is, in the order of its menu."""
    desk = window.desk

    def lanes(name: str, field: str) -> Callable[[], object]:
        return lambda: getattr(window.lanes, name)(field) if window.has_workbench else None

    def buses(name: str) -> Callable[[], object]:
        return lambda: getattr(window.buses_bench, name)() if window.has_workbench and desk.is_open else None

    return [
        Command("File", "Open a folder …", "Ctrl+O", window.ask_folder),
        Command("File", "Open a session …", "Ctrl+Shift+O", window.ask_session),
        Command("File", "Open the demo", "Ctrl+D", desk.open_demo),
        Command("File", "Save", "Ctrl+S", window.save),
        Command("File", "Save as …", "Ctrl+Shift+S", window.save_as),
        Command("File", "Rename the song …", "", window.rename_song),
        Command("File", "Empty the cache of decoded sound", "", window.empty_cache),
        Command("File", "Close the session", "Ctrl+W", window.close_session),
        Command("File", "Quit", "Ctrl+Q", window.close),
        Command("Edit", "Undo", "Ctrl+Z", desk.undo),
        Command("Edit", "Redo", "Ctrl+Shift+Z", desk.redo),
        Command("Edit", "Write a note", "N", window.write_note),
        Command("Edit", "Take a snapshot", "Ctrl+T", window.name_snapshot),
        Command("Lanes", "Select all", "Ctrl+A", window.select_all),
        Command("Lanes", "Select the family", "Ctrl+G", window.select_family),
        Command("Lanes", "Mute", "M", lanes("toggle", "mute")),
        Command("Lanes", "Solo", "S", lanes("toggle", "solo")),
        Command("Lanes", "No solo", "Shift+S", window.clear_solo),
        Command("Lanes", "Invert polarity", "P", lanes("toggle", "polarity_inverted")),
        Command("Lanes", "Hide or show", "H", lanes("toggle", "hidden")),
        Command("Lanes", "Choose the role", "R", window.choose_role),
        Command("Lanes", "Type the level", "E", window.type_level),
        Command("Lanes", "Type the mix trim", "T", window.type_trim),
        Command("Lanes", "Measure what is missing", "", lambda: desk.is_open and desk.measure_lanes()),
        Command("Lanes", "All even", "Ctrl+Shift+E", window.all_even),
        Command("Lanes", "Summing group of the selection", "Ctrl+B", buses("make_group")),
        Command("Lanes", "Folder group of the selection", "Ctrl+F", buses("make_folder")),
        Command("Lanes", "Parallel bus from the selection", "Ctrl+Shift+B", buses("make_parallel")),
        Command("Lanes", "Remove the bus or folder", "Ctrl+Backspace", buses("remove_current")),
        Command("Lanes", "Add a station", "A", window.type_station),
        Command("Play", "Play or stop", "Space", desk.toggle_play),
        Command("Play", "To the start", "Home", window.to_start),
        Command("Play", "Loop", "L", window.toggle_loop),
        Command("Play", "Follow", "F", lambda: window.top.follow.click() if window.has_workbench else None),
        Command("Play", "Compare two versions", "X", window.compare),
        Command("Play", "Hear the state now", "Shift+X", desk.hear_now),
        Command("View", "Gather", "F1", lambda: desk.set_stage("gather")),
        Command("View", "Balance", "F2", lambda: desk.set_stage("balance")),
        Command("View", "Buses", "F3", lambda: desk.set_stage("buses")),
        Command("View", "Print", "F4", lambda: desk.set_stage("print")),
        Command("View", "Moves", "Ctrl+1", lambda: window.show_tab(0)),
        Command("View", "Ledger", "Ctrl+2", lambda: window.show_tab(1)),
        Command("View", "Notes", "Ctrl+3", lambda: window.show_tab(2)),
        Command("View", "Versions", "Ctrl+4", lambda: window.show_tab(3)),
        Command("View", "Hidden lanes", "Ctrl+H", window.toggle_hidden_lanes),
        Command("View", "Day or night", "Ctrl+Shift+D", window.switch_theme),
        Command("View", "Print the mix", "Ctrl+P", window.print_now),
        Command("View", "Write the recall sheet", "Ctrl+R", window.sheet_now),
        Command("View", "Stop what is being done", "Esc", window.cancel_work),
    ]
