"""Check as the window shows it."""

from functools import partial
from typing import TYPE_CHECKING, cast

from all_even.app.commands.command import Command, Hands
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.stages.check.bench import CheckBench


def _opened(hands: Hands) -> "CheckBench":
    """The bench, with its stage shown."""
    return cast("CheckBench", hands.go_to_bench("check"))


def _view(index: int, hands: Hands) -> "CheckBench":
    bench = _opened(hands)
    bench.show_view(index)
    return bench


def _through(key: str, hands: Hands) -> None:
    _view(0, hands).switch(key)


def _begin(hands: Hands) -> None:
    bench = _view(2, hands)
    if bench.blind.begin_button.isEnabled():
        bench.blind.begin()
    else:
        hands.desk.said.emit(bench.blind.said.text())


SYSTEMS = (
    ("phone", "a phone"), ("laptop", "a laptop"), ("small", "a small speaker"), ("car", "a car"), ("club", "a club"),
    ("mono", "mono"), ("quiet", "a quiet room"), ("headphones", "headphones"),
)  # fmt: skip

VIEW = StageView(
    __name__,
    "CheckBody",
    "CheckBench",
    (
        Command("View", "What is left elsewhere", "Ctrl+Alt+9", partial(_view, 0), words="translation phone car club"),
        Command("View", "Beside references", "Ctrl+Alt+0", partial(_view, 1), words="finished mixes zones rough mix"),
        Command("View", "Compare blind", "Ctrl+Alt+A", partial(_view, 2), words="abx vote blind test"),
        *(
            Command("Play", f"Hear it on {name}" if key != "mono" else "Hear it in mono", f"Alt+{number}",
                    partial(_through, key), under="Elsewhere", words="translation system speaker")
            for number, (key, name) in enumerate(SYSTEMS, 1)
        ),
        Command("Play", "The reference in its place", "V", lambda a: _view(1, a).switch_reference(),
                words="compare finished rough mix"),
        Command("Play", "The low end alone", "Shift+V", lambda a: _opened(a).switch_low_end(), words="bass listen 125"),
        Command("File", "Add references to this session …", "", lambda a: a.add_session_references(),
                words="finished mixes compare rough mix", id="references.add-here"),
    ),
)  # fmt: skip
