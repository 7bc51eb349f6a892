"""A setting that is one of several words, as a box to choose from."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox

from all_even import texts
from all_even.app.style import fields

FIELD_WIDTH, WIDE_FIELD = 84, 110


def choice_box(name: str, entries: list[tuple[str, Any]]) -> QComboBox:
    """entries: (text, value), in order."""
    box = fields.choice()
    box.setAccessibleName(name)
    box.setToolTip(texts.tip(name))
    for text, value in entries:
        box.addItem(text, value)
    widest = max(fields.text_width(text) for text, _ in entries)
    box.setFixedWidth(min(FIELD_WIDTH if widest + 42 <= FIELD_WIDTH else WIDE_FIELD, widest + 42))
    view = box.view()
    if view is not None:
        view.setMinimumWidth(widest + 24)
    box.setMinimumHeight(26)
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    return box


def show_choice(box: QComboBox, value: Any) -> None:
    """Shows a value without telling anybody."""
    box.setCurrentIndex(max(0, box.findData(value)))
