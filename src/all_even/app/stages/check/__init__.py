"""Check as the window shows it."""

from functools import partial
from typing import TYPE_CHECKING

from all_even.app.commands import Command
from all_even.app.desk import Desk
from all_even.app.stages.view import StageView

if TYPE_CHECKING:
    from all_even.app.actions import Actions
    from all_even.app.stages.check.bench import CheckBench
    from all_even.app.stages.check.body import CheckBody


def _body(desk: Desk) -> "CheckBody":
    from all_even.app.stages.check.body import CheckBody

    return CheckBody(desk)


def _bench(desk: Desk) -> "CheckBench":
    from all_even.app.stages.check.bench import CheckBench

    return CheckBench(desk)


def _opened(actions: "Actions") -> "CheckBench":
    """The bench, with its stage shown."""
    from all_even.app.stages.check.bench import CheckBench

    bench = actions.go_to_bench("check")
    assert isinstance(bench, CheckBench)
    return bench


def _view(index: int, actions: "Actions") -> "CheckBench":
    bench = _opened(actions)
    bench.show_view(index)
    return bench


def _through(key: str, actions: "Actions") -> None:
    _view(0, actions).switch(key)


def _begin(actions: "Actions") -> None:
    bench = _view(2, actions)
    if bench.blind.begin_button.isEnabled():
        bench.blind.begin()
    else:
        actions.desk.said.emit(bench.blind.said.text())


SYSTEMS = (
    ("phone", "a phone"), ("laptop", "a laptop"), ("small", "a small speaker"), ("car", "a car"), ("club", "a club"),
    ("mono", "mono"), ("quiet", "a quiet room"), ("headphones", "headphones"),
)  # fmt: skip

VIEW = StageView(
    _body,
    _bench,
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
                words="finished mixes compare rough mix"),
    ),
)  # fmt: skip
