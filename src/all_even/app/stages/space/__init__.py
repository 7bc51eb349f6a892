"""Space as the window shows it."""

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import LANES, Command, Hands, is_selected
from all_even.app.stages.view import StageView
from all_even.session.editing import edits

if TYPE_CHECKING:
    from all_even.app.stages.space.bench import SpaceBench


def _opened(hands: Hands) -> "SpaceBench":
    """The bench, with its stage shown."""
    return cast("SpaceBench", hands.go_to_bench("space"))


def _say(text: str, **values: object) -> Callable[[Hands], None]:
    """What is said of the selected lanes, with a sentence for the ledger."""

    def say(hands: Hands) -> None:
        desk = hands.desk
        chosen = tuple(item for item in desk.selected if desk.session.is_lane(item))
        names = ", ".join(desk.session.strip_name(item) for item in chosen)
        desk.edit(lambda s: edits.change_strips(s, chosen, **values), text=f"{text}: {names}")

    return say


VIEW = StageView(
    __name__,
    "SpaceBody",
    "SpaceBench",
    (
        Command("View", "Plan from front to back", "Ctrl+Alt+4", lambda a: _opened(a).show_view(0),
                words="depth distance near far"),
        Command("View", "A return over the beats", "Ctrl+Alt+5", lambda a: _opened(a).show_view(1),
                words="reverb decay room"),
        Command("View", "The return's processor", "Ctrl+Alt+6", lambda a: _opened(a).show_view(2),
                words="reverb echo convolution"),
        Command("Tracks", "Has a room of its own", "", _say("A room of its own", own_room=True), is_selected, LANES,
                words="printed reverb wet", id="space.own-room"),
        Command("Tracks", "Is dry", "", _say("Dry", own_room=False), is_selected, LANES, words="no reverb printed",
                id="space.dry"),
        Command("Tracks", "Is the main one of its layers", "", _say("The main one", importance="carrying"), is_selected,
                LANES, words="priority important", id="priority.main"),
        Command("Tracks", "Return for the selection", "Ctrl+Alt+R", lambda a: _opened(a).add_return(), is_selected,
                LANES, words="reverb room send space"),
    ),
)  # fmt: skip
