"""The real window on the simulated device.

What costs most in it is looking for moves, of all stages after each edit. Here it looks at the visible stage only, and
anew when another one is shown; `rig.everywhere()` is for tests in which the others count, `rig.looks_at = NO_STAGE` for
those that never look at a card.
"""

import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication

from all_even.app.desk import Desk
from all_even.app.starting.start import make_application
from all_even.app.style import theme
from all_even.app.window import MainWindow
from all_even.audio.device import SimulatedDevice
from all_even.session.model.session import Session
from tests.conftest import HUNG_S

EVERYWHERE, VISIBLE, NO_STAGE = "everywhere", "the visible stage", "no stage"


class Rig:
    """A window, its desk, and the devices it opened. looks_at: for which stages it looks for moves."""

    def __init__(self) -> None:
        self.looks_at = VISIBLE
        self.app = make_application()
        self.devices: list[SimulatedDevice] = []

        def open_device(rate, fill):
            device = SimulatedDevice(rate, fill, record=True, speed=3.0)
            self.devices.append(device)
            return device, None

        self.desk = Desk(open_device)
        whole = self.desk.moves.in_turn

        def in_turn():
            visible, others = whole()
            return visible if self.looks_at != NO_STAGE else [], others if self.looks_at == EVERYWHERE else []

        self.desk.moves.in_turn = in_turn
        self.desk.stage_changed.connect(self._look_there)
        self.window = MainWindow(self.desk)
        self.window.resize(1280, 800)
        self.window.show()
        self.settle_paint()

    def _look_there(self) -> None:
        if self.looks_at == VISIBLE and self.desk.is_open and self.desk.idle:
            self.desk.figures.renew()

    def open_at(self, stage: str, folder: Path) -> None:
        """A folder opened and looked through at one stage; from then on the window looks for no moves."""
        self.looks_at = NO_STAGE
        self.open(folder)
        self.desk.set_stage(stage)
        self.look()
        self.looks_at = NO_STAGE

    def look(self) -> None:
        """Looks for the moves of the visible stage, from now on after each change."""
        self.looks_at = VISIBLE
        self.desk.figures.renew()
        self.measured()

    def everywhere(self) -> None:
        """Looks for moves of all stages, as the program does."""
        self.looks_at = EVERYWHERE
        if self.desk.is_open:
            self.desk.figures.renew()
            self.measured()

    def wait(self, condition: Callable[[], bool], seconds: float = HUNG_S) -> None:
        end = time.monotonic() + seconds
        while not condition():
            assert time.monotonic() < end, "timed out"
            QApplication.processEvents()
            time.sleep(0.002)

    def settle_paint(self) -> None:
        for _ in range(4):
            QApplication.processEvents()

    def measured(self) -> None:
        """Waits until lanes, mix and moves are up to date, and every card is made."""
        desk = self.desk
        self.wait(lambda: desk.idle)
        self.carded()

    def carded(self) -> None:
        workbench = self.window.workbench
        self.wait(lambda: workbench is None or not workbench.side.moves.building)

    def open(self, path) -> None:
        self.window.open_path(path)
        self.wait(lambda: self.desk.is_open and not self.desk.work.busy("open"))
        self.measured()

    def back_to(self, at_base: Callable[[Session], bool], reopen: Callable[[], None]) -> None:
        """What tests before did is taken back; opened anew where that is no longer possible."""
        desk = self.desk
        while desk.is_open and not at_base(desk.session) and desk.undo_text is not None:
            desk.undo()
        if not desk.is_open or not at_base(desk.session):
            self.reset()
            reopen()

    def reset(self) -> None:
        """Back to the start page, with a player and a device of its own."""
        desk, window = self.desk, self.window
        self.looks_at = VISIBLE
        desk.close_session()
        window.close_session()
        window.pages.setCurrentWidget(window.start_page)
        if theme.current().name != "day":
            window.apply_theme("day")
        window.resize(1280, 800)
        desk.set_stage("gather")
        if desk.ears.known_player is not None:
            desk.ears.known_player.close()
            desk.ears.known_player = None
        self.devices.clear()
        if window.workbench is not None:
            window.workbench.side.setCurrentIndex(0)
            window.workbench.lanes.over_heads.hidden.setChecked(False)
            if window.workbench.head.transport.follow.isChecked():
                window.workbench.head.transport.follow.click()
        window.start_page.refresh()
        window.activateWindow()
        self.settle_paint()

    def give(self, text: str) -> None:
        """Gives the command of this name."""
        (command,) = [item for item in self.window.commands if item.text == text]
        self.window.give(command)

    def lane(self, text: str):
        return next(lane for lane in self.desk.session.lanes if text in lane.file)


@pytest.fixture(scope="session")
def one_window() -> Iterator[Rig]:
    """The window that all tests share, as a user has one."""
    made = Rig()
    yield made
    made.window.close()


@pytest.fixture
def rig(one_window, tmp_path, monkeypatch) -> Rig:
    """The window on its start page, with recovery copies and recent sessions of this test alone.

    Measures of files are shared between tests.
    """
    shared = Path(os.environ["ALL_EVEN_LENT_HOME"]) / "cache"
    home = tmp_path / "home"  # that of the fixture `home`; whole before anybody can write there
    home.mkdir()
    (home / "cache").symlink_to(shared)
    monkeypatch.setenv("ALL_EVEN_HOME", str(home))
    one_window.reset()
    return one_window


@pytest.fixture
def opened(rig, short_folder) -> Rig:
    rig.open(short_folder)
    return rig
