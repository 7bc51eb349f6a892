"""A new stage is its two folders and two lines: here a toy, which then is everywhere a stage has to be."""

import json
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from all_even import stages
from all_even.app import stages as shown
from all_even.app.commands.all import all_commands
from all_even.app.desk import Desk
from all_even.app.head.path import Path as StagePath
from all_even.app.starting.start import preload
from all_even.app.starting.start_page import StartPage
from all_even.app.window import MainWindow
from all_even.cli import build_parser
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from tests.app.conftest import Rig
from tests.app.controls import walk
from tests.app.toy import core
from tests.app.toy import shown as toy

ROOT = Path(__file__).parents[2]
LINES = """
import sys
import threading
from all_even import stages
from tests.app.toy import core
stages.STAGES = (*stages.STAGES, core.STAGE)
from all_even.cli import main
sys.exit(main(sys.argv[1:]))
"""


@pytest.fixture
def with_toy(monkeypatch):
    """The two lines."""
    monkeypatch.setattr(stages, "STAGES", (*stages.STAGES, core.STAGE))
    monkeypatch.setattr(shown, "VIEWS", {**shown.VIEWS, "toy": toy.VIEW})


def test_it_stands_in_path_menu_help_and_start_page(rig, with_toy):
    path = StagePath(Desk())
    assert list(path.stages)[-1] == "toy"
    assert path.stages["toy"].toolTip() == "Toy: whether names say that this is a toy (F12)"
    (command,) = [item for item in all_commands() if item.text == "Toy"]
    assert (command.menu, command.shortcut) == ("View", "F12")
    help_text = next(
        action.help for group in build_parser()._actions if hasattr(group, "choices") and group.choices
        for action in group.choices["moves"]._actions if "--stage" in action.option_strings
    )  # fmt: skip
    assert "toy" in help_text
    from PyQt6.QtWidgets import QLabel

    page = StartPage()
    (label,) = [label for label in page.findChildren(QLabel) if label.text() == "Whether names say that this is a toy"]
    assert label.toolTip() == "Plays with names."


def test_it_is_walked_moved_and_ticked_off_like_any_other(with_toy, home, short_folder):
    home.mkdir()
    rig = Rig()
    try:
        rig.window.resize(1024, 700)
        rig.open(short_folder)
        rig.desk.set_stage("toy")
        rig.measured()
        own = {f"{lane.name!r}" for lane in rig.desk.session.lanes}
        assert [text for text in walk(rig, "toy") if not any(text.endswith(name) for name in own)] == []
        assert rig.window.workbench.bench.shown.shown.text() == "12 toys"
        (move,) = rig.desk.moves.at("toy")
        rig.desk.moves.apply(move)
        rig.wait(lambda: rig.desk.moves.preparing is None)
        rig.measured()
        assert all(lane.name.startswith("Toy ") for lane in rig.desk.session.lanes)
        (account,) = rig.desk.moves.accounts
        assert account.outcome == "kept"
        rig.desk.moves.tick_off("toy", True)
        rig.measured()
        assert rig.desk.moves.done == {"toy"}
        rig.desk.undo()
        rig.desk.undo()
        rig.measured()
        assert rig.desk.moves.done == set()
        assert rig.desk.moves.at("toy") == [move]
    finally:
        rig.window.close()


def test_it_is_on_the_command_line(short_folder, tmp_path, home):
    infos, _ = inspect_all(sound_paths(short_folder))
    path = tmp_path / "song.alleven"
    store.save(new_session(short_folder, infos), path)
    result = subprocess.run(
        [sys.executable, "-c", LINES, "moves", str(path), "--stage", "toy", "--apply", "all", "--json"],
        capture_output=True, text=True, cwd=ROOT,
    )  # fmt: skip
    assert result.returncode == 0, result.stderr
    (move,) = json.loads(result.stdout)["moves"]
    assert (move["id"], move["before"], move["after"]) == ("toy.names", 12.0, 0.0)
    assert isinstance(MainWindow, type)


def test_every_stage_is_read_in_beforehand(monkeypatch):
    """The thread that reads in what will be needed meets nothing that is not there."""
    stumbled = []
    monkeypatch.setattr(threading, "excepthook", lambda found: stumbled.append(found.exc_value))
    preload().join()
    assert stumbled == []
