"""Everything that can be found: commands, lanes and buses, stations, places in the song, settings."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any

from all_even import stages
from all_even.app.commands.all import present_commands
from all_even.app.commands.command import Command
from all_even.app.machine import kept_layout
from all_even.app.pages.topics import Topic, topics
from all_even.app.stages import VIEWS
from all_even.dsp.parameter import time_text
from all_even.dsp.processor import settings
from all_even.session.model.approaches import Approaches
from all_even.session.model.strips import MIX

if TYPE_CHECKING:
    from all_even.app.desk import Desk
    from all_even.app.verbs.actions import Actions
    from all_even.app.verbs.page import PageVerbs

Give = Callable[[Command[Any]], None]


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing to find. kind: Command, Lane, Station … ; text: its name; detail: what stands beside it; words: more to
    find it by; run: does it or goes there; near: 0 for what was used last, 1 for what belongs to the stage, 2 else."""

    kind: str
    text: str
    detail: str
    words: str
    run: Callable[[], object]
    possible: bool = True
    near: int = 2


def entries(desk: "Desk", commands: list[Command[Any]], actions: "Actions", give: Give) -> list[Entry]:
    """All there is to find now."""
    used = kept_layout.load().used
    own = {command.text for command in VIEWS[desk.stage].commands} if desk.is_open else set()

    def near(command: Command[Any]) -> int:
        return 0 if command.text.removesuffix(" …") in used else 1 if command.text in own else 2

    found = [
        Entry("Command", command.text.removesuffix(" …"), command.shortcut or command.menu,
              f"{command.menu} {command.under} {command.words}", partial(give, command), command.enabled(desk),
              near(command))
        for command in [*commands, *present_commands(desk)]
    ]  # fmt: skip
    found += [
        Entry("Setting", topic.name, topic.section, topic.help, partial(_show_setting, actions, topic))
        for topic in topics()
    ]
    found += [
        Entry("Approach", setting.name, stages.stage(Approaches.STAGES[name]).name, Approaches.HELP[name],
              partial(actions.frame.show_page, "approaches", name))
        for name, setting in settings(Approaches).items()
    ]  # fmt: skip
    if desk.is_open and actions.page is not None:
        found += _of_session(desk, actions.page)
    return found


def _of_session(desk: "Desk", page: "PageVerbs") -> list[Entry]:
    session = desk.session
    strips = [(strip.id, strip.name, getattr(strip, "role", "")) for strip in session.strips]
    found = [
        Entry("Track" if session.is_lane(strip_id) else "Bus", name, role, role, partial(page.go_to_strip, strip_id))
        for strip_id, name, role in strips
    ]
    found.append(Entry("Bus", "Mix", "mix bus", "master sum", partial(page.go_to_strip, MIX)))
    for strip_id, name, _ in [*strips, (MIX, "Mix", "")]:
        found += [
            Entry("Processor", f"{station.LABEL} of {name}", "bypassed" if station.bypass else "", station.WORDS,
                  partial(page.go_to_station, strip_id, station.id))
            for station in session.chain(strip_id)
        ]  # fmt: skip
    found += [
        Entry("Note", note.text, time_text(note.position_s), "", partial(page.locate, note.position_s))
        for note in session.notes
    ]
    found += [
        Entry("Version", snapshot.name, "snapshot", "", partial(desk.recall_snapshot, snapshot.name))
        for snapshot in session.snapshots
    ]
    return found


def _show_setting(actions: "Actions", topic: Topic) -> None:
    actions.frame.show_page("settings", topic.key)
