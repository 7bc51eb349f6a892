"""All commands of the window as data: where it stands, its name, its key, when it can be given, what it does.

The one place where shortcuts are given. What a command does is a method of `actions.Actions`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from all_even import stages

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.desk import Desk


def always(_desk: "Desk") -> bool:
    return True


def is_open(desk: "Desk") -> bool:
    return desk.is_open


def can_undo(desk: "Desk") -> bool:
    return desk.undo_text is not None


def can_redo(desk: "Desk") -> bool:
    return desk.redo_text is not None


def is_selected(desk: "Desk") -> bool:
    return desk.is_open and bool(desk.selected)


@dataclass(frozen=True, slots=True)
class Command:
    """menu: which menu it stands in. shortcut: portable text; empty where there is none. enabled: when it can be
    given."""

    menu: str
    text: str
    shortcut: str
    run: "Callable[[Actions], object]"
    enabled: "Callable[[Desk], bool]" = is_open


def go_to(stage: str, actions: "Actions") -> None:
    actions.desk.set_stage(stage)


MENUS = ("File", "Edit", "Lanes", "Play", "View")


def all_commands() -> list[Command]:
    """Every command there is, in the order of its menu; those of a stage behind the general ones."""
    from all_even.app.stages import VIEWS

    own = [command for stage in stages.STAGES for command in VIEWS[stage.key].commands]
    return [
        Command("File", "Open a folder …", "Ctrl+O", lambda a: a.ask_folder(), always),
        Command("File", "Open a session …", "Ctrl+Shift+O", lambda a: a.ask_session(), always),
        Command("File", "Open the demo", "Ctrl+D", lambda a: a.desk.documents.open_demo(), always),
        Command("File", "Save", "Ctrl+S", lambda a: a.save()),
        Command("File", "Save as …", "Ctrl+Shift+S", lambda a: a.save_as()),
        Command("File", "Rename the song …", "", lambda a: a.rename_song()),
        Command("File", "Empty the cache of decoded sound", "", lambda a: a.empty_cache(), always),
        Command("File", "Close the session", "Ctrl+W", lambda a: a.frame.close_session()),
        Command("File", "Quit", "Ctrl+Q", lambda a: a.frame.close(), always),
        Command("Edit", "Undo", "Ctrl+Z", lambda a: a.desk.undo(), can_undo),
        Command("Edit", "Redo", "Ctrl+Shift+Z", lambda a: a.desk.redo(), can_redo),
        Command("Edit", "Write a note", "N", lambda a: a.write_note()),
        Command("Edit", "Take a snapshot", "Ctrl+T", lambda a: a.name_snapshot()),
        Command("Lanes", "Select all", "Ctrl+A", lambda a: a.select_all()),
        Command("Lanes", "Select the family", "Ctrl+G", lambda a: a.select_family(), is_selected),
        Command("Lanes", "Mute", "M", lambda a: a.toggle("mute"), is_selected),
        Command("Lanes", "Solo", "S", lambda a: a.toggle("solo"), is_selected),
        Command("Lanes", "No solo", "Shift+S", lambda a: a.clear_solo()),
        Command("Lanes", "Invert polarity", "P", lambda a: a.toggle("polarity_inverted"), is_selected),
        Command("Lanes", "Hide or show", "H", lambda a: a.toggle("hidden"), is_selected),
        Command("Lanes", "Measure what is missing", "", lambda a: a.desk.figures.measure_lanes()),
        Command("Play", "Play or stop", "Space", lambda a: a.desk.ears.toggle_play()),
        Command("Play", "To the start", "Home", lambda a: a.to_start()),
        Command("Play", "Loop", "L", lambda a: a.toggle_loop()),
        Command("Play", "Follow", "F", lambda a: a.follow()),
        Command("Play", "Compare two versions", "X", lambda a: a.compare()),
        Command("Play", "Hear the state now", "Shift+X", lambda a: a.desk.ears.hear_now()),
        *(
            Command("View", stage.name, f"F{index}", partial(go_to, stage.key), always)
            for index, stage in enumerate(stages.STAGES, 1)
        ),
        Command("View", "What is next", "G", lambda a: a.go_on()),
        Command("View", "Tick the stage off", "K", lambda a: a.tick_off()),
        Command("View", "Moves", "Ctrl+1", lambda a: a.show_tab(0)),
        Command("View", "Ledger", "Ctrl+2", lambda a: a.show_tab(1)),
        Command("View", "Notes", "Ctrl+3", lambda a: a.show_tab(2)),
        Command("View", "Versions", "Ctrl+4", lambda a: a.show_tab(3)),
        Command("View", "Hidden lanes", "Ctrl+H", lambda a: a.toggle_hidden_lanes()),
        Command("View", "Day or night", "Ctrl+Shift+D", lambda a: a.frame.switch_theme(), always),
        Command("View", "Stop what is being done", "Esc", lambda a: a.frame.status.cancel(), always),
        *own,
    ]
