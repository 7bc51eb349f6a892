"""What a drawing gets of mouse, wheel and keys."""

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from all_even.app.bench.handled import Handled
from all_even.app.style import fields
from tests.app.mouse import drag, turn


class Dial(Handled):
    """A handle in the left half; it notes what is asked of it."""

    def __init__(self) -> None:
        super().__init__()
        self.told: list[object] = []
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.released.connect(lambda: self.told.append("released"))

    def handle_at(self, at: QPointF) -> str | None:
        return "handle" if at.x() < 50 else None

    def press(self, at: QPointF) -> None:
        self.told.append(("press", self.held))

    def drag(self, at: QPointF, *, fine: bool) -> None:
        self.told.append(("drag", at.x(), fine))

    def double(self, at: QPointF) -> None:
        self.told.append("double")

    def turn(self, at: QPointF, notches: int, *, fine: bool) -> bool:
        self.told.append(("turn", notches, fine))
        return at.x() < 50

    def key(self, key: Qt.Key, *, fine: bool, control: bool) -> bool:
        self.told.append((key, fine, control))
        return key == Qt.Key.Key_Up


class Holder(QWidget):
    """Around it; notes what is passed on."""

    def __init__(self) -> None:
        super().__init__()
        self.passed: list[str] = []
        self.dial = Dial()
        QVBoxLayout(self).addWidget(self.dial)
        self.layout().setContentsMargins(0, 0, 0, 0)
        self.resize(100, 100)
        self.show()

    def keyPressEvent(self, event) -> None:
        self.passed.append("key")


@pytest.fixture
def holder(qapp):
    made = Holder()
    yield made
    made.close()


def test_a_handle_is_dragged_and_let_go_and_beside_it_nothing_is(holder):
    drag(holder.dial, QPoint(10, 10), QPoint(30, 10))
    assert holder.dial.told == [("press", "handle"), ("drag", 20.0, False), ("drag", 30.0, False), "released"]
    holder.dial.told.clear()
    drag(holder.dial, QPoint(70, 10), QPoint(90, 10))
    assert holder.dial.told == [("press", None)]


def test_the_pointer_says_where_a_handle_is(holder):
    holder.dial.hover(QPointF(10, 10))
    assert holder.dial.cursor().shape() == Handled.OVER
    holder.dial.hover(QPointF(80, 10))
    assert holder.dial.cursor().shape() == Qt.CursorShape.ArrowCursor


def test_only_the_left_button_takes_hold(holder):
    QTest.mouseClick(holder.dial, Qt.MouseButton.RightButton, pos=QPoint(10, 10))
    QTest.mouseClick(holder.dial, Qt.MouseButton.MiddleButton, pos=QPoint(10, 10))
    assert holder.dial.told == []


def test_a_double_click_lets_go(holder):
    QTest.mouseDClick(holder.dial, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    assert holder.dial.told[-1] == "double"
    assert holder.dial.held is None


def test_small_turns_of_the_wheel_make_a_notch_together(holder):
    for _ in range(4):
        turn(holder.dial, QPointF(10, 10), 1 / 4)
    assert holder.dial.told == [("turn", 1, False)]
    turn(holder.dial, QPointF(10, 10), -2, Qt.KeyboardModifier.ShiftModifier)
    assert holder.dial.told[-1] == ("turn", -2, True)
    assert fields.NOTCH % 4 == 0


def test_what_means_nothing_here_is_passed_on(holder):
    assert turn(holder.dial, QPointF(10, 10), 1)
    assert not turn(holder.dial, QPointF(80, 10), 1)
    QTest.keyClick(holder.dial, Qt.Key.Key_Up)
    assert holder.passed == []
    QTest.keyClick(holder.dial, Qt.Key.Key_A)
    assert holder.passed == ["key"]


def test_modifiers_are_told(holder):
    QTest.keyClick(holder.dial, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert holder.dial.told[-1] == (Qt.Key.Key_Up, True, False)
    QTest.keyClick(holder.dial, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert holder.dial.told[-1] == (Qt.Key.Key_Up, False, True)
