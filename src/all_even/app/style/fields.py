"""Small controls with the same manners everywhere: typed numbers with units, labelled figures, buttons."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QApplication,
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from all_even import texts
from all_even.app.style import icons, theme
from all_even.dsp.parameter import FINE, LOWEST_LEVEL_DB, LevelParameter, Parameter

NOTCH = 120
"""Of a wheel, as the toolkit counts."""


class NumberField(QLineEdit):
    """A setting as text with its unit: type it, nudge it with the arrows, double click for its default."""

    value_changed = pyqtSignal(float)

    def __init__(self, parameter: Parameter, name: str, shortcut: str = "") -> None:
        super().__init__()
        self.parameter = parameter
        self._value = parameter.default
        self._turned = 0
        """What the wheel has turned and that made no step yet."""
        self.setAccessibleName(name)
        tip = f"{name}: type a value, arrow keys or wheel nudge (Shift: finer), double click returns to "
        tip += parameter.text(parameter.default) + (f" ({shortcut})" if shortcut else "")
        self.setToolTip(texts.tip(tip))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(84)
        self.setMinimumHeight(theme.TARGET)
        self.editingFinished.connect(self._typed)
        self.set_value(parameter.default)

    def take_over(self) -> None:
        """Takes the keyboard, with everything selected."""
        self.setFocus()
        self.selectAll()

    def set_value(self, value: float) -> None:
        """Shows a value without telling anybody."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self.setText(self.parameter.text(value))

    def _typed(self) -> None:
        if not self.isModified():
            return
        value = self.parameter.parse(self.text())
        self.setModified(False)
        if value is None:
            self.setText(self.parameter.text(self._value))
        else:
            self._emit(value)
            self.setText(self.parameter.text(value))

    def _emit(self, value: float) -> None:
        value = self.parameter.clamped(value)
        if value != self._value:
            self._value = value
            self.setText(self.parameter.text(value))
            self.value_changed.emit(value)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        direction = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0}.get(Qt.Key(event.key()))
        if direction is None:
            super().keyPressEvent(event)
            return
        fine = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self.setModified(False)
        lowest = LOWEST_LEVEL_DB if isinstance(self.parameter, LevelParameter) else self.parameter.low
        self._emit(round(self.parameter.nudged(max(self._value, lowest), direction * fine), 4))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """A step each notch; inside what scrolls only while the field has the keyboard or Ctrl is held."""
        if event is None:
            return
        if wheel_scrolls(self, event):
            event.ignore()
            return
        self._turned += event.angleDelta().y() or event.angleDelta().x()
        notches = int(self._turned / NOTCH)
        self._turned -= notches * NOTCH
        if notches:
            fine = FINE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.setModified(False)
            lowest = LOWEST_LEVEL_DB if isinstance(self.parameter, LevelParameter) else self.parameter.low
            self._emit(round(self.parameter.nudged(max(self._value, lowest), notches * fine), 4))
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.setModified(False)
        self._emit(self.parameter.default)


def wheel_scrolls(widget: QWidget, event: QWheelEvent) -> bool:
    """Whether the wheel over a control should move what scrolls around it rather than the control."""
    if widget.hasFocus() or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
        return False
    around = widget.parentWidget()
    while around is not None:
        if isinstance(around, QAbstractScrollArea):
            bar = around.verticalScrollBar()
            return bar is not None and bar.maximum() > bar.minimum()
        around = around.parentWidget()
    return False


class Figure(QLabel):
    """A measured value, right-aligned, its unit quieter."""

    def __init__(self, name: str, tip: str, *, large: bool = False) -> None:
        super().__init__("–")
        self.setAccessibleName(name)
        self.setToolTip(texts.tip(tip))
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._size = theme.FIGURE if large else theme.BODY
        self.setFont(theme.font(self._size, strong=large))

    def show_value(self, text: str, *, look: bool = False, stale: bool = False) -> None:
        """`−23.4 LUFS`; `look` marks a value outside its window, `stale` one that is being measured anew."""
        number, _, unit = text.partition(" ")
        palette = theme.current()
        colour = palette.look if look else palette.quiet if stale else palette.text
        weight = 600 if self._size == theme.FIGURE else 400
        self.setText(
            f'<span style="color:{colour};font-size:{self._size}px;font-weight:{weight}">{number}</span>'
            f'<span style="color:{palette.quiet};font-size:{theme.SMALL}px"> {unit}</span>'
        )


def label(text: str, role: str = "") -> QLabel:
    """A plain-text label; roles: quiet, small, title, figure, look."""
    result = QLabel(text)
    result.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        result.setProperty("role", role)
    return result


def set_main(button: QPushButton, main: bool) -> None:
    """Makes a button the one to press, or one like others."""
    role = "main" if main else ""
    if (button.property("role") or "") != role:
        button.setProperty("role", role)
        style = button.style()
        if style is not None:
            style.unpolish(button)
            style.polish(button)


def wrapped(text: str, role: str = "") -> QLabel:
    result = label(text, role)
    result.setWordWrap(True)
    return result


def button(
    text: str, tip: str, pressed: Callable[[], object], *, icon: str = "", role: str = "", checkable: bool = False
) -> QPushButton:
    """A text button; `tip` says what it does and names its shortcut in brackets."""
    result = QPushButton(f" {text}" if icon else text)
    result.setAccessibleName(text)
    result.setToolTip(texts.tip(tip))
    result.setCheckable(checkable)
    result.setMinimumHeight(theme.TARGET)
    result.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
    if role:
        result.setProperty("role", role)
    if icon:
        result.setProperty("icon_name", icon)
        result.setProperty("icon_tint", "on_act" if role == "main" else "act" if role == "plain" else "text")
    result.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # after a click, Space still plays
    result.clicked.connect(lambda _checked=False: pressed())
    return result


def icon_button(
    icon: str, name: str, tip: str, pressed: Callable[[], object], *, checkable: bool = False
) -> QToolButton:
    """A button with an icon only; `name` is what a screen reader says."""
    result = QToolButton()
    result.setAccessibleName(name)
    result.setToolTip(texts.tip(tip))
    result.setCheckable(checkable)
    result.setFixedSize(QSize(32, 30))
    result.setIconSize(QSize(18, 18))
    result.setProperty("icon_name", icon)
    result.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # after a click, Space still plays
    result.clicked.connect(lambda _checked=False: pressed())
    return result


def view_buttons(
    owner: QWidget, row: QHBoxLayout, views: Sequence[tuple[str, str]], show: Callable[[int], object]
) -> QButtonGroup:
    """A button for each view (text, tip), one of them down; each shows its view by number."""
    group = QButtonGroup(owner)
    for index, (text, tip) in enumerate(views):
        made = button(text, tip, partial(show, index), checkable=True)
        group.addButton(made, index)
        row.addWidget(made)
    group.setExclusive(True)
    return group


def swap(area: QScrollArea, widget: QWidget) -> None:
    """Puts another widget into a scroll area; the old one goes when nothing is being done with it any more.

    The area itself would delete it at once, also in the middle of an event that it, or what had the focus, has
    to finish: a press on a card that takes the focus from a field whose new value renews the cards.
    """
    old = area.takeWidget()
    if old is not None:
        old.hide()
        old.deleteLater()
    area.setWidget(widget)


def lay_out(body: QWidget) -> None:
    """Gives what was just put into a scroll area its place and height now: left to itself Qt shows new widgets in a
    later round, and paints them once squeezed into the old height."""
    for child in body.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly):
        child.show()
    # Cards ask for their height when they know their width: what they ask then is done as well.
    QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)


def choice() -> QComboBox:
    """A list to choose one of, in the present theme."""
    made = QComboBox()
    theme.dress(made)
    return made


def check(text: str = "") -> QCheckBox:
    """A box to tick, in the present theme."""
    made = QCheckBox(text)
    theme.dress(made)
    return made


def tint_icons(widget: QWidget) -> None:
    """Gives every button below `widget` its icon in the present palette."""
    for found in [*widget.findChildren(QPushButton), *widget.findChildren(QToolButton)]:
        name = found.property("icon_name")
        if name:
            found.setIcon(icons.icon(name, found.property("icon_tint") or "text"))


def figure_grid(rows: list[tuple[str, Figure]], columns: int = 1) -> QGridLayout:
    """Names on the left, figures on the right, aligned; filled column by column."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(8)
    grid.setVerticalSpacing(2)
    height = -(-len(rows) // columns)
    for index, (name, figure) in enumerate(rows):
        column, row = divmod(index, height)
        grid.addWidget(label(name, "quiet"), row, column * 3)
        grid.addWidget(figure, row, column * 3 + 1)
        if column:
            grid.setColumnMinimumWidth(column * 3 - 1, 8)
    return grid


def elided(widget: QWidget, text: str, width: int) -> str:
    """As much of a text as fits, with an ellipsis at its end."""
    return widget.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width)


def text_width(text: str, size: int = theme.BODY) -> int:
    return QFontMetrics(theme.font(size)).horizontalAdvance(text)
