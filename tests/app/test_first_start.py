"""A first start: the window says that it compiles, waits only for what it needs, and plays while it measures."""

import os
import sys
import threading

from all_even import kernels
from all_even.app.starting.warming import Warming
from all_even.measure.recording import files

SAYS = """
import json, sys
print(json.dumps({"all": {"levels": ["measure.level"], "gate": ["dsp.gate"]}}), flush=True)
for line in sys.stdin:
    print(json.dumps({"done": line.strip()}), flush=True)
"""


def started(rig, tmp_path) -> tuple[Warming, object]:
    """A process that says what it is told to: by a pipe of its own."""
    pipe = tmp_path / "told"
    os.mkfifo(pipe)
    code = f"import sys; sys.stdin = open({str(pipe)!r})\n{SAYS}"
    warming = Warming(rig.window, (sys.executable, "-c", code))
    return warming, pipe.open("w")


def test_the_bar_shows_how_far_it_is_and_what_is_not_there_yet_is_waited_for(rig, tmp_path):
    warming, tell = started(rig, tmp_path)
    status = rig.window.status
    status.follow(warming)
    rig.wait(lambda: status.progress.isVisible())
    assert "only once" in status.progress_text.text()
    assert not status.cancel_button.isVisible()
    assert kernels.awaited("measure.level.levels")
    assert kernels.awaited("dsp.gate")
    assert not kernels.awaited("dsp.gate short")
    assert not kernels.awaited("engine.mixing")
    print("levels", file=tell, flush=True)
    rig.wait(lambda: status.progress.value() == 500)
    assert not kernels.awaited("measure.level.levels")
    assert kernels.awaited("dsp.gate")
    print("gate", file=tell, flush=True)
    tell.close()
    rig.wait(lambda: status.warming is None)
    assert kernels.awaited is None
    assert not status.progress.isVisible()


def test_a_compiler_that_ends_early_keeps_nobody_waiting(rig, tmp_path):
    warming, tell = started(rig, tmp_path)
    ended = []
    warming.ended.connect(lambda: ended.append(True))
    tell.close()
    rig.wait(lambda: bool(ended))
    assert kernels.awaited is None


def test_stopping_it_lets_everybody_go_on(rig, tmp_path):
    warming, tell = started(rig, tmp_path)
    rig.wait(lambda: not kernels.awaited("engine.mixing"))
    assert kernels.awaited("dsp.gate")
    warming.stop()
    assert kernels.awaited is None
    tell.close()


def test_it_plays_while_it_is_still_being_measured(rig, short_folder, monkeypatch):
    go_on, measured = threading.Event(), files.measure_files

    def slow(*arguments, **options):
        go_on.wait()
        return measured(*arguments, **options)

    monkeypatch.setattr(files, "measure_files", slow)
    rig.window.open_path(short_folder)
    desk = rig.desk
    rig.wait(lambda: desk.is_open and desk.figures.sources is not None and not desk.work.busy("plan"))
    assert desk.work.busy("measure")
    assert desk.reports == {}
    desk.ears.toggle_play()
    rig.wait(lambda: bool(rig.devices) and abs(rig.devices[0].recording()).max(initial=0.0) > 0.01)
    desk.player.stop()
    go_on.set()
    rig.measured()
    assert len(desk.reports) == len(desk.session.lanes)
