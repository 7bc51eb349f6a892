"""Every control of a screen: what is wrong with it for hand and eye."""

import itertools
from collections import defaultdict

from PyQt6.QtCore import QObject, QRect
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QScrollBar,
    QWidget,
)

from all_even.app.style import paint

SMALLEST = 24
PADDING = 12  # at the sides of a button's text
ARROW = 26  # what a combo box needs beside its text


def controls(window: QWidget) -> list[QWidget]:
    kinds = (QAbstractButton, QComboBox, QLineEdit, QListWidget)
    found = [w for kind in kinds for w in window.findChildren(kind) if w.isVisible() and w.width() > 0]
    return [
        w
        for w in found
        if not isinstance(w.parent(), (QScrollBar, QComboBox, QAbstractScrollArea)) or w.accessibleName()
        if w.objectName() not in ("ScrollLeftButton", "ScrollRightButton", "qt_menubar_ext_button")
    ]


def show(rig, screen: str) -> None:
    if screen != "start":
        rig.desk.set_stage(screen)
    rig.settle_paint()
    rig.window.grab()


def framed(control: QAbstractButton) -> bool:
    return isinstance(control, QPushButton) and control.property("role") != "plain"


def walk(rig, screen: str) -> list[str]:
    """Everything that is wrong with the controls of a screen."""
    paint.shortened.clear()
    show(rig, screen)
    wrong = []
    shown = controls(rig.window)
    for control in shown:
        name = control.accessibleName() or (control.text() if isinstance(control, QAbstractButton) else "")
        where = f"{screen}: {type(control).__name__} {name!r}"
        if not name:
            wrong.append(f"{where} has no accessible name")
        if not control.toolTip():
            wrong.append(f"{where} has no tooltip")
        if control.height() < SMALLEST or control.width() < SMALLEST:
            wrong.append(f"{where} is {control.width()}x{control.height()}")
        if isinstance(control, QAbstractButton) and control.text():
            needed = control.fontMetrics().horizontalAdvance(control.text()) + (PADDING if framed(control) else 0)
            if needed > control.width():
                wrong.append(f"{where}: {needed} px of text in {control.width()}")
        if isinstance(control, QComboBox):
            needed = control.fontMetrics().horizontalAdvance(control.currentText()) + ARROW
            if needed > control.width():
                wrong.append(f"{where}: {needed} px of text in {control.width()}")
    for label in rig.window.findChildren(QLabel):
        if not label.isVisible() or not label.text() or label.text().startswith("<"):
            continue
        if label.wordWrap():
            needed = label.heightForWidth(label.width())
            if needed > label.height() + 2:
                wrong.append(f"{screen}: {label.text()[:40]!r} needs {needed} px of height and has {label.height()}")
            continue
        if label.height() < label.fontMetrics().height() - 3:
            wrong.append(f"{screen}: {label.text()[:40]!r} is squeezed to {label.height()} px of height")
        if label.fontMetrics().horizontalAdvance(label.text()) > label.width() + 2:
            wrong.append(f"{screen}: {label.text()[:40]!r} is cut off at {label.width()} px")
    wrong += [f"{screen}: painted text shortened: {text!r}" for text in paint.shortened]
    return wrong + overlaps(shown, screen)


def overlaps(shown: list[QWidget], screen: str) -> list[str]:
    """Controls of one parent that lie over each other."""
    together: dict[QObject | None, list[tuple[QWidget, QRect]]] = defaultdict(list)
    for control in shown:
        together[control.parent()].append((control, control.geometry()))
    return [
        f"{screen}: {a.accessibleName()!r} lies over {b.accessibleName()!r}"
        for beside in together.values()
        for (a, here), (b, there) in itertools.combinations(beside, 2)
        if here.intersects(there)
    ]
