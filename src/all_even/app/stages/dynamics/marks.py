"""Side effects as a short row of marks: empty where there is none, a ring where it stays within its limit, filled where
it does not. Each has a letter, so that its state is told by form and not by colour alone.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from all_even.app.style import paint, theme
from all_even.dsp.parameter import number, signed

if TYPE_CHECKING:
    from all_even.measure.dynamics.side_effects import SideEffects

SIDE, GAP = 15.0, 2.0
WIDTH = 6 * SIDE + 5 * GAP


@dataclass(frozen=True, slots=True)
class Mark:
    """text: its figure; empty where it was not measured. over: whether it passes its limit."""

    letter: str
    name: str
    text: str
    over: bool
    limit: str


def marks(side: "SideEffects | None") -> tuple[Mark, ...]:
    """All six, in their order; figures empty where there are none."""
    from all_even.measure.dynamics import side_effects as limits

    def told(value: float | None, unit: str, decimals: int = 1) -> str:
        return "" if value is None else f"{number(value, decimals)} {unit}"

    pump = side.pump_db if side is not None else None
    attack = side.attack_change_db if side is not None else None
    noise = side.noise_rise_db if side is not None else None
    ripple = side.ripple_db if side is not None else None
    contour = None if side is None or side.contour is None else 100.0 * side.contour
    louder = side.louder_lu if side is not None else None
    return (
        Mark("P", "Pumping", told(pump, "dB"), side is not None and side.pumps,
             f"over {number(limits.PUMP_FLAG_DB)} dB what is held breathes"),
        Mark("A", "Attacks", "" if attack is None else f"{signed(attack)} dB", side is not None and side.dulls,
             f"{number(limits.ATTACK_FLAG_DB)} dB less is heard as dull"),
        Mark("N", "Noise", told(noise, "dB"), side is not None and side.lifts_noise,
             f"breaths and noise up by over {number(limits.NOISE_FLAG_DB, 0)} dB"),
        Mark("R", "Ripple", told(ripple, "dB", 0), side is not None and side.shakes,
             f"over {number(limits.RIPPLE_FLAG_DB, 0)} dB the gain moves with the wave"),
        Mark("C", "Contour", told(contour, "%", 0), side is not None and side.flattens,
             f"under {number(100 * limits.CONTOUR_FLAG, 0)} % phrases lose their dynamics"),
        Mark("L", "Loudness", "" if louder is None else f"{signed(louder)} LU", side is not None and side.unmatched,
             f"over {number(limits.LOUDER_FLAG_LU)} LU apart the louder one wins"),
    )  # fmt: skip


def paint_marks(painter: QPainter, box: QRectF, found: "tuple[Mark, ...]") -> None:
    """The row, centred in a box."""
    left, top = box.left() + (box.width() - WIDTH) / 2.0, box.center().y() - SIDE / 2.0
    for index, mark in enumerate(found):
        at = QRectF(left + index * (SIDE + GAP), top, SIDE, SIDE)
        if not mark.text:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("line"))
            painter.drawEllipse(at.center(), 1.5, 1.5)
            continue
        painter.setPen(QPen(theme.colour("look" if mark.over else "quiet"), 1.0))
        painter.setBrush(theme.colour("look") if mark.over else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(at.adjusted(0.5, 0.5, -0.5, -0.5), 3.0, 3.0)
        tint = theme.colour("ground" if mark.over else "quiet")
        paint.text(painter, at, mark.letter, size=theme.SMALL, colour=tint, align=paint.CENTRE, strong=mark.over)


def sentences(found: "tuple[Mark, ...]") -> list[str]:
    """Each mark with its figure and its limit, for tips and screen readers."""
    return [f"{mark.letter}  {mark.name} {mark.text}{' !' if mark.over else ''}: {mark.limit}"
            for mark in found if mark.text]  # fmt: skip
