"""Writes docs/words.md from the program's glossary, so that the two can't differ.

With a folder of the demo's or anybody's sound files it also lists every text of every screen, one line each, for
somebody who reads them as a stranger: `python tools/words.py FOLDER > table.tsv`.
"""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from all_even import glossary, stages

INTRODUCTION = """# Words

What the words of the screen mean. Window, ledger, cards, sheets and command line use them; the program shows this page
under Help, Words. Made from `all_even.glossary` by `tools/words.py`; do not edit by hand.
"""


def document() -> str:
    """The whole page."""
    lines = [INTRODUCTION]
    for group in glossary.groups():
        lines += [f"## {group}", "", "| word | what it means |", "|---|---|"]
        lines += [f"| {term.word} | {term.means} |" for term in glossary.TERMS if term.group == group]
        lines.append("")
    return "\n".join(lines)


def table(folder: Path) -> list[tuple[str, str, str]]:
    """(screen, kind, text) of everything that the window shows with a folder opened, each text once a screen."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("ALL_EVEN_HOME", tempfile.mkdtemp(prefix="all-even-words-"))
    from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QWidget

    from all_even.app.desk import Desk
    from all_even.app.starting.start import make_application
    from all_even.app.style import paint
    from all_even.app.window import MainWindow
    from all_even.audio.device import SimulatedDevice

    make_application()
    desk = Desk(lambda rate, fill: (SimulatedDevice(rate, fill), None))
    window = MainWindow(desk)
    window.resize(1600, 1000)
    window.show()
    found: dict[tuple[str, str, str], None] = {}
    painted: list[str] = []
    original = paint.text

    def noted(painter: object, box: object, value: str, **options: object) -> None:
        painted.append(value)
        original(painter, box, value, **options)  # type: ignore[arg-type]

    paint.text = noted  # type: ignore[assignment]

    def wait(condition: Callable[[], bool]) -> None:
        end = time.monotonic() + 1800.0
        while not condition() and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.005)

    def note(screen: str) -> None:
        painted.clear()
        for widget in window.findChildren(QWidget):
            widget.update()
        for _ in range(5):
            QApplication.processEvents()
        texts = [("painted", text) for text in painted]
        for widget in window.findChildren(QWidget):
            if not widget.isVisible():
                continue
            if isinstance(widget, QLabel):
                texts.append(("label", widget.text()))
            elif isinstance(widget, QAbstractButton):
                texts.append(("button", widget.text()))
            elif isinstance(widget, QComboBox):
                texts += [("choice", widget.itemText(index)) for index in range(widget.count())]
            texts.append(("tip", widget.toolTip()))
        for kind, text in texts:
            if text and any(letter.isalpha() for letter in text):
                found[screen, kind, " ".join(text.split())] = None

    window.open_path(folder)
    wait(lambda: desk.is_open and desk.idle)
    for stage in stages.STAGES:
        desk.set_stage(stage.key)
        wait(lambda: desk.idle)
        assert window.workbench is not None
        wait(lambda: not window.workbench.side.moves.building)  # type: ignore[union-attr]
        note(stage.name)
        bench = window.workbench.bench.shown
        views = getattr(bench, "views", None)
        for index in range(len(views.buttons()) if views is not None else 0):
            bench.show_view(index)  # type: ignore[attr-defined]
            wait(lambda: desk.idle)
            note(f"{stage.name}, view {index + 1}")
    for command in window.commands:
        found["commands", command.menu, command.text] = None
    for page in ("settings", "shortcuts", "about", "words", "first-mix", "who-is-who", "record", "outside"):
        window.show_page(page)
        wait(lambda: desk.idle)
        note(page)
    window.close()
    return list(found)


def main() -> None:
    if len(sys.argv) > 1:
        for screen, kind, text in table(Path(sys.argv[1])):
            print(f"{screen}\t{kind}\t{text}")
    else:
        path = Path(__file__).parents[1] / "docs" / "words.md"
        path.write_text(document(), encoding="utf-8")


if __name__ == "__main__":
    main()
