"""Random hands on the real window: presses, drags, keys, commands, typing, opening, saving, at any moment.

`python -m tests.attack.hands SEED ACTIONS FOLDER`. Every round ends with undoing everything (the session
is then exactly what it was, but for its ledger), doing it again, saving and reading back. Whatever reaches the
log of defects, or stays away from the interface for longer than LONGEST_S, is a fault.
"""

import faulthandler
import json
import os
import random
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tests.attack.worker import LONGEST_S

os.environ["QT_QPA_PLATFORM"] = "offscreen"

PER_ROUND = 120
MOST_LANES = 12
"""More files are brought no further: what is looked for is what breaks, not what is slow."""
NOT_BY_CHANCE = ("Quit", "Open a folder …", "Open a session …", "Save as …", "Open the demo", "Rename the song …")
TYPED = ("-6", "+3 dB", "L 30", "x", "", "1e9", "kick <b>in</b>", "comp", "eq", "-inf", "鼓", "100", "0.5")


class Hands:
    """One window and a pair of hands. faults: what went wrong, with the number of the action."""

    def __init__(self, seed: int, folder: Path) -> None:
        from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

        from all_even.app.desk import Desk
        from all_even.app.starting.start import make_application
        from all_even.app.window import MainWindow
        from all_even.audio.device import SimulatedDevice
        from tests.attack import sessions

        self.rng = random.Random(f"hands {seed}")
        self.folder = folder
        for name in ("one", "two"):
            sessions.make_folder(folder / name / "music")
        self.app = make_application()
        self.process = QApplication.processEvents
        self.desk = Desk(lambda rate, fill: (SimulatedDevice(rate, fill, speed=2.0), None))
        self.window = MainWindow(self.desk)
        QFileDialog.exec = lambda _dialog: 0  # whoever asks for a place is answered with nothing
        QInputDialog.getText = lambda *_a, **_k: ("", False)
        self.window.resize(1280, 800)
        self.window.show()
        self.actions = self.checks = 0
        self.faults: list[str] = []
        self.last = ""
        sys.excepthook = self._fault

    def _fault(self, kind: type[BaseException], error: BaseException, trace: Any) -> None:
        import traceback

        where = "".join(traceback.format_exception(kind, error, trace))[-1200:]
        self.faults.append(f"action {self.actions} ({self.last}): {where}")

    def settle(self) -> None:
        from PyQt6.QtCore import QCoreApplication, QEvent

        for _ in range(3):
            self.process()
            QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # as between events of a real loop

    def wait(self, condition: Callable[[], bool]) -> None:
        end = time.monotonic() + 600.0
        while not condition():
            assert time.monotonic() < end, f"hung after {self.last}"
            faulthandler.dump_traceback_later(2 * LONGEST_S, exit=True)
            self.process()
            time.sleep(0.002)

    def idle(self) -> bool:
        desk = self.desk
        return desk.idle

    # One action each.

    def open(self) -> None:
        self.window.open_path(self.folder / self.rng.choice(("one", "two")) / "music")
        if self.rng.random() < 0.7:
            self.wait(lambda: self.desk.is_open and self.idle())

    def press(self) -> None:
        """The mouse on any part of the window, perhaps dragged."""
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QWidget

        widgets = [w for w in self.window.findChildren(QWidget) if w.isVisible() and w.width() > 4 and w.height() > 4]
        widget = self.rng.choice(widgets)
        points = [
            QPoint(self.rng.randrange(widget.width()), self.rng.randrange(widget.height()))
            for _ in range(self.rng.choice((1, 1, 3)))
        ]
        keys = self.rng.choice(
            (Qt.KeyboardModifier.NoModifier,) * 3
            + (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier)
        )
        button = Qt.MouseButton.LeftButton if self.rng.random() < 0.95 else Qt.MouseButton.RightButton
        self.last = f"press {type(widget).__name__} {widget.accessibleName() or widget.objectName()}"
        if os.environ.get("ALL_EVEN_TELL"):
            popup = self.app.activePopupWidget()
            print(self.actions, self.last, popup, button, widget.parent(), file=sys.stderr, flush=True)
        if self.rng.random() < 0.1:
            QTest.mouseDClick(widget, button, keys, points[0])
            return
        QTest.mousePress(widget, button, keys, points[0])
        for point in points[1:]:
            QTest.mouseMove(widget, point)
            self.process()
        if widget is not None:
            QTest.mouseRelease(widget, button, keys, points[-1])

    def lanes(self) -> None:
        """A press or a drag in the lanes, where most of it happens."""
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest

        if self.window.workbench is None:
            return
        view = self.window.workbench.lanes.viewport()
        start, end = (
            QPoint(self.rng.randrange(max(1, view.width())), self.rng.randrange(max(1, view.height()))) for _ in "ab"
        )
        keys = self.rng.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier))
        QTest.mousePress(view, Qt.MouseButton.LeftButton, keys, start)
        if self.rng.random() < 0.5:
            QTest.mouseMove(view, end)
            self.process()
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, keys, end)

    def key(self) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        keys = (
            Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Return, Qt.Key.Key_Escape,
            Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Delete, Qt.Key.Key_M, Qt.Key.Key_S, Qt.Key.Key_Home,
        )  # fmt: skip
        target = self.app.focusWidget() or self.window
        modifiers = self.rng.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier,
                                     Qt.KeyboardModifier.AltModifier))  # fmt: skip
        QTest.keyClick(target, self.rng.choice(keys), modifiers)

    def command(self) -> None:
        command = self.rng.choice([item for item in self.window.commands if item.text not in NOT_BY_CHANCE])
        self.last = f"command {command.text}"
        self.window.give(command)

    def type(self) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QLineEdit

        fields = [w for w in self.window.findChildren(QLineEdit) if w.isVisible() and w.isEnabled()]
        bench = self.window.workbench
        print_bench = bench.bench.of("print") if bench is not None else None
        fields = [w for w in fields if print_bench is None or not print_bench.isAncestorOf(w)]
        if fields:
            field = self.rng.choice(fields)
            field.setFocus()
            field.setText(self.rng.choice(TYPED))
            QTest.keyClick(field, Qt.Key.Key_Return)

    def choose(self) -> None:
        from PyQt6.QtWidgets import QComboBox

        boxes = [w for w in self.window.findChildren(QComboBox) if w.isVisible() and w.isEnabled() and w.count()]
        if boxes:
            box = self.rng.choice(boxes)
            index = self.rng.randrange(box.count())
            box.setCurrentIndex(index)
            box.activated.emit(index)

    def stage(self) -> None:
        from all_even import stages

        if self.desk.is_open:
            self.desk.set_stage(self.rng.choice(stages.all_keys()))

    def station(self) -> None:
        from all_even.dsp import kinds
        from all_even.session.editing import chain_edits

        if self.desk.is_open and self.desk.current:
            kind, strip = self.rng.choice(kinds.KINDS), self.desk.current
            if strip in {item.id for item in self.desk.session.strips} | {"mix"}:
                self.desk.try_edit(lambda s: chain_edits.add_station(s, strip, kind()))

    def move(self) -> None:
        """Makes or declines a proposal."""
        moves = self.desk.moves.at(self.desk.stage) if self.desk.is_open else []
        if moves:
            move = self.rng.choice(moves)
            if self.rng.random() < 0.7:
                self.desk.moves.apply(move)
            else:
                self.desk.moves.decline(move, "by chance")

    def save(self) -> None:
        if self.desk.is_open:
            self.desk.documents.save(self.folder / f"{self.rng.choice('abc')}.alleven")

    def undo(self) -> None:
        """A few steps back, perhaps some forth again."""
        if self.desk.is_open:
            for _ in range(self.rng.randint(1, 4)):
                self.desk.undo()
            for _ in range(self.rng.randint(0, 2)):
                self.desk.redo()

    def bring(self) -> None:
        """A sound from another folder: as a lane, or as a reference."""
        if self.desk.is_open:
            place = self.folder / self.rng.choice(("one", "two")) / "music" / f"{self.rng.randrange(4)}.wav"
            if self.rng.random() < 0.5 and len(self.desk.session.lanes) < MOST_LANES:
                self.desk.documents.add_files([place])
            else:
                self.window.verbs.files.keep_references([place])

    def pause(self) -> None:
        end = time.monotonic() + self.rng.random() * 0.2
        while time.monotonic() < end:
            self.process()

    def print(self) -> None:
        """Printing and the sheet, into a folder of the hands' own."""
        if self.desk.is_open and self.window.workbench is not None:
            bench = self.window.workbench.bench.of("print")
            bench.target.setText(str(self.folder / "mix.wav"))
            bench.sheets.sheet.setText(str(self.folder / "sheet.html"))
            self.rng.choice((bench.print_mix, bench.sheets.write_sheet))()

    def act(self) -> None:
        self.actions += 1
        name = self.rng.choice(ACTIONS) if self.desk.is_open else "open"
        self.last = name
        faulthandler.dump_traceback_later(2 * LONGEST_S, exit=True)
        started = time.monotonic()
        try:
            getattr(self, name)()
        except Exception as error:
            if "has been deleted" not in str(error):  # the hands held on to a widget that their press took away
                self._fault(type(error), error, error.__traceback__)
        self.settle()
        if name != "open" and time.monotonic() - started > LONGEST_S:
            self.faults.append(f"action {self.actions} ({self.last}) took {time.monotonic() - started:.0f} s")
        faulthandler.cancel_dump_traceback_later()

    def check(self) -> None:
        """Undo everything: the first value; redo everything; save, read back."""
        from msgspec.structs import replace

        from all_even.session.file import store

        if not self.desk.is_open:
            return
        self.wait(lambda: self.desk.is_open and self.idle())
        history = self.desk.document.history
        now = replace(history.session, ledger=())
        first = replace(history.past[0].session, ledger=()) if history.past else now
        steps = 0
        while self.desk.undo_text is not None:
            self.desk.undo()
            steps += 1
        if replace(self.desk.session, ledger=()) != first:
            self.faults.append(f"after {self.actions}: undoing {steps} steps did not lead to the first value")
        for _ in range(steps):  # what was undone before lies beyond
            self.desk.redo()
        if replace(self.desk.session, ledger=()) != now:
            self.faults.append(f"after {self.actions}: doing {steps} steps again did not lead back")
        path = self.folder / "check.alleven"
        store.save(self.desk.session, path)
        again = store.load(path)
        if replace(again, folders=()) != replace(self.desk.session, folders=()):
            self.faults.append(f"after {self.actions}: what was saved is not what was read")
        self.checks += 1


ACTIONS = (
    "press", "press", "lanes", "lanes", "lanes", "key", "key", "command", "command", "type", "choose", "stage",
    "station", "station", "move", "save", "pause", "print", "undo", "bring", "open",
)  # fmt: skip


def main(seed: int, actions: int, folder: Path) -> dict[str, Any]:
    from all_even import places
    from tests.attack.worker import digest

    faulthandler.enable()
    hands = Hands(seed, folder)
    originals = {name: digest(folder / name / "music") for name in ("one", "two")}
    while hands.actions < actions and len(hands.faults) < 5:
        hands.act()
        if hands.actions % PER_ROUND == 0 or hands.actions == actions:
            hands.check()
    hands.window.close()
    hands.settle()
    for name, before in originals.items():
        if digest(folder / name / "music") != before:
            hands.faults.append("an original was changed")
    log = places.data_folder("") / "defects.log"
    if log.exists():
        hands.faults.append(log.read_text()[-3000:])
    return {"actions": hands.actions, "checks": hands.checks, "faults": hands.faults}


if __name__ == "__main__":
    found = main(int(sys.argv[1]), int(sys.argv[2]), Path(sys.argv[3]))
    print(json.dumps(found), flush=True)
    os._exit(0)
