"""Gather as the window shows it."""

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import Command, Hands
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.gather.bench import GatherBench


def _opened(hands: Hands) -> "GatherBench":
    """The bench, with its stage shown."""
    return cast("GatherBench", hands.go_to_bench("gather"))


def _is_candidate(desk: Desk) -> bool:
    current = desk.current_lane if desk.is_open else None
    return current is not None and desk.session.lane(current).alternative is not None


def _is_candidate_or_print(desk: Desk) -> bool:
    from all_even.session.editing import alternatives

    current = desk.current if desk.is_open else None
    printed = current is not None and alternatives.print_of(desk.session, current) is not None
    return printed or _is_candidate(desk)


def _play_next(hands: Hands) -> None:
    """The next candidate for the part of the selected lane plays, and is selected."""
    from all_even.session.editing import alternatives

    desk = hands.desk
    current = desk.current
    if current is not None:
        desk.edit(lambda s: alternatives.play_next(s, current))
        if desk.current_lane is None or alternatives.print_of(desk.session, current) is not None:
            return
        playing = [lane.id for lane in alternatives.candidates(desk.session, current) if not lane.mute]
        desk.select(tuple(playing[:1]) or (current,))


def _apart(hands: Hands) -> None:
    from all_even.session.editing import alternatives

    current = hands.desk.current_lane
    if current is not None:
        hands.desk.edit(lambda s: alternatives.apart(s, current))


def _chosen_lanes(desk: Desk) -> tuple[str, ...]:
    return tuple(item for item in desk.selected if desk.session.is_lane(item)) if desk.is_open else ()


def _are_several(desk: Desk) -> bool:
    return len(_chosen_lanes(desk)) > 1


def _is_said(desk: Desk) -> bool:
    return any(desk.session.lane(item).source is not None for item in _chosen_lanes(desk))


def _say_source(edit: str) -> Callable[[Hands], None]:
    """What is said of the selected lanes: a function of `session.editing.sources`, with its sentence."""

    def say(hands: Hands) -> None:
        from all_even.session.editing import sources

        desk, chosen = hands.desk, _chosen_lanes(hands.desk)
        names = ", ".join(desk.session.strip_name(item) for item in chosen)
        words = {"one_source": "One source", "apart": "Players, not microphones", "as_found": "Sources as found"}[edit]
        desk.edit(lambda s: getattr(sources, edit)(s, chosen), text=f"{words}: {names}")

    return say


VIEW = StageView(
    __name__,
    "GatherBody",
    "GatherBench",
    (
        Command("Tracks", "A hit here", "I", lambda a: _opened(a).hit_here(add=True), words="onset add"),
        Command("Tracks", "No hit here", "Shift+I", lambda a: _opened(a).hit_here(add=False), words="onset remove"),
        Command("Tracks", "Choose the role", "R", lambda a: _opened(a).role.setFocus()),
        Command(
            "Tracks", "Play the next take", "U", _play_next, _is_candidate_or_print, ("lanes",),
            words="alternative swap print",
        ),
        Command(
            "Tracks", "Layers, not alternate takes", "", _apart, _is_candidate, ("lanes",), words="alternative layers"
        ),
        Command(
            "Tracks", "One source", "", _say_source("one_source"), _are_several, ("lanes",),
            words="microphones join together", id="sources.one",
        ),
        Command(
            "Tracks", "Players, each alone", "", _say_source("apart"), _are_several, ("lanes",),
            words="two players part separate sources microphones", id="sources.apart",
        ),
        Command(
            "Tracks", "Sources as found", "", _say_source("as_found"), _is_said, ("lanes",),
            words="microphones players", id="sources.found",
        ),
    ),
)  # fmt: skip
