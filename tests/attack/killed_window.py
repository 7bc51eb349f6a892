"""A window that is killed while it works: `python -m tests.attack.killed_window SESSION` opens it, adds notes,
and says how many were in each recovery copy once that is whole; with `recovered` it says how many come back."""

import os
import sys
import time
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
AUTOSAVE_MS = 50


def work(path: Path) -> None:
    from all_even.app.desk import Desk, documents
    from all_even.app.starting.start import make_application
    from all_even.app.window import MainWindow
    from all_even.audio.device import SimulatedDevice
    from all_even.session.editing import edits

    documents.AUTOSAVE_MS = AUTOSAVE_MS
    app = make_application()
    desk = Desk(lambda rate, fill: (SimulatedDevice(rate, fill), None))
    desk.moves.in_turn = lambda: ([], [])
    window = MainWindow(desk)
    window.show()
    window.open_path(path)
    while not desk.is_open:
        app.processEvents()
    began: list[int] = []
    desk.work.started.connect(lambda name: began.append(len(desk.session.notes)) if name == "autosave" else None)
    desk.work.ended.connect(lambda name: print(f"copied {began.pop(0)}", flush=True) if name == "autosave" else None)
    while True:
        desk.edit(lambda s: edits.add_note(s, f"note {len(s.notes)}", 1.0))
        end = time.monotonic() + 0.01
        while time.monotonic() < end:
            app.processEvents()


def recovered(path: Path) -> int:
    from all_even.session.file import recovery, store

    session = store.read(path).session
    found = recovery.newer_than(path, session)
    if found is not None:
        found[1].unlink()
    return len((found[0] if found is not None else session).notes)


if __name__ == "__main__":
    if sys.argv[2:] == ["recovered"]:
        print(recovered(Path(sys.argv[1])))
    else:
        work(Path(sys.argv[1]))
