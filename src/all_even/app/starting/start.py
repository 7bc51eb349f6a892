"""Opening the window: fonts, theme, and the start page before anything heavy is loaded."""

import gc
import importlib
import os
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from all_even import kernels, late, places
from all_even.app.machine import preferences
from all_even.app.style import theme
from all_even.errors import one_sentence

if TYPE_CHECKING:
    from all_even.app.window import MainWindow


SWITCH_S = 0.002
"""The engine thread must not wait long for the interface, nor that for those that measure."""

GARBAGE = (20_000, 20, 100)
"""How many objects are made before they are looked through: all of them at once hold up everything."""

_kept: list[QApplication] = []
"""Python would delete the application with its last reference, and every window with it."""


def make_application() -> QApplication:
    """The application with our fonts and icon; the one there is, where there is one."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(["all-even"])
    _kept.append(app)
    app.setApplicationName("All Even")
    app.setDesktopFileName("all-even")
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setWindowIcon(QIcon(str(theme.ASSETS / "all-even.svg")))
    return app


def open_window(path: Path | None, *, demo: bool = False) -> int:
    """Shows the window until it is closed; returns the exit status."""
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        print(
            "There is no display to open a window on: start All Even from a desktop, "
            "or use the commands that `all-even --help` lists.",
            file=sys.stderr,
        )
        return 1
    if path is not None and not os.path.lexists(path):
        print(one_sentence(f"{path} is neither a folder nor a session file."), file=sys.stderr)
        return 1
    size = preferences.PERCENT[preferences.load().size]
    if size != 1.0:
        os.environ.setdefault("QT_SCALE_FACTOR", str(size))
    app = make_application()
    from all_even.app.desk import Desk
    from all_even.app.starting.warming import Warming
    from all_even.app.window import MainWindow

    share_time()
    desk = Desk()
    window = MainWindow(desk, desk.preferences.theme)
    sys.excepthook = _tell(window)
    window.show()
    QTimer.singleShot(0, lambda: window.prepare(preload()))
    if not kernels.is_warm():
        window.status.follow(Warming(window))
    if demo:
        QTimer.singleShot(0, window.desk.documents.open_demo)
    elif path is not None:
        QTimer.singleShot(0, lambda: window.open_path(path))
    return app.exec()


LATER = (
    "all_even.app.workbench", "all_even.app.side.cards", "all_even.app.side.finding_cards", "all_even.moves.making",
    "all_even.figures.book.book", "all_even.engine.planning", "all_even.engine.playing.player",
    "all_even.measure.recording.files", "all_even.figures.arriving.arrival", "all_even.figures.arriving.flow_shapes",
)  # fmt: skip
"""What the start page does not need, and everything behind it does..."""
LIBRARIES = ("soundfile", "soxr", "numba", "scipy.fft", "scipy.ndimage", "scipy.signal", "scipy.optimize")
"""...and what that stands on: some of them hold up all threads while they are read in."""


def preload() -> threading.Thread:
    """Reads in what will be needed, on a thread of its own, so that no hand waits for it."""

    def read_in() -> None:
        for name in LATER:
            importlib.import_module(name)
        for name in LIBRARIES:
            with late.LOCK:
                importlib.import_module(name)
            if name == "numba" and kernels.is_warm():
                _read_in_what_plays()
        from all_even import stages
        from all_even.app.stages import VIEWS

        for stage in stages.STAGES:
            for part in ("body", "bench"):
                importlib.import_module(f"{VIEWS[stage.key].folder}.{part}")
            stage.moves()
        if kernels.is_warm():
            threading.Thread(target=_read_in_what_measures, name="preload loops", daemon=True).start()

    thread = threading.Thread(target=read_in, name="preload", daemon=True)
    thread.start()
    return thread


def _read_in_what_plays() -> None:
    """The compiled loops with which every song begins: the first press of Play does not wait for the disk."""
    import numpy as np

    from all_even.engine import mixing
    from all_even.kernels import brief

    out = np.zeros((1, 2))
    for kind in (np.float32, np.float64):
        mixing.add_lane_brief(out, np.zeros((1, 2), dtype=kind), np.zeros((2, 2)), True)
    brief(mixing.largest_gain)(np.zeros(1))
    mixing.ProtectiveCeiling(48_000)(out)


def _read_in_what_measures() -> None:
    """The compiled loops of measuring, on a struck note: read in while a folder opens they would hold up the window."""
    import numpy as np

    from all_even.measure.recording.character import CharacterMeter
    from all_even.measure.recording.track import Measurement

    rate = 48_000
    time_s = np.arange(rate) / rate
    note = (0.5 * np.sin(2.0 * np.pi * 110.0 * time_s) * np.exp(-6.0 * (time_s % 0.5))).astype(np.float32)
    for channels in (1, 2):
        block = np.ascontiguousarray(np.repeat(note[:, np.newaxis], channels, axis=1))
        levels, playing = Measurement(rate, channels), CharacterMeter(rate, channels)
        levels.add(block)
        playing.add(block)
        playing.result(levels.result().third_octave_db)


def share_time() -> None:
    """So that no thread waits long for another one: they take turns often, and look for garbage seldom."""
    sys.setswitchinterval(SWITCH_S)
    gc.set_threshold(*GARBAGE)


def _tell(window: "MainWindow") -> Callable[[type[BaseException], BaseException, TracebackType | None], None]:
    """A defect of ours must not take the session with it: it goes into a log, and one sentence is said."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        log = places.note_defect(error.with_traceback(trace))
        where = f" Details: {log}" if log else ""
        window.say(f"Something went wrong inside All Even ({kind.__name__}); the session is safe.{where}")

    return hook
