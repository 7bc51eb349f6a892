"""Side effects of dynamics, in words: those that pass their limit are named in the rows, all seven on the bench."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from all_even.app.style import paint, theme
from all_even.dsp.parameter import number, signed

if TYPE_CHECKING:
    from all_even.measure.dynamics.side_effects import SideEffects

SIDE, GAP = 9.0, 6.0
"""Of the mark before a name: filled where it passes its limit, else a ring."""
WIDTH = 112.0


@dataclass(frozen=True, slots=True)
class Mark:
    """short: one word for it. text: its figure; empty where it was not measured. over: whether it passes its limit."""

    short: str
    name: str
    text: str
    over: bool
    limit: str


def marks(side: "SideEffects | None") -> tuple[Mark, ...]:
    """All seven, in their order; figures empty where there are none."""
    from all_even.measure.dynamics import side_effects as limits

    def told(value: float | None, unit: str, decimals: int = 1) -> str:
        return "" if value is None else f"{number(value, decimals)} {unit}"

    pump = side.pump_db if side is not None else None
    attack = side.attack_change_db if side is not None else None
    treble = side.treble_change_db if side is not None else None
    noise = side.noise_rise_db if side is not None else None
    ripple = side.ripple_db if side is not None else None
    contour = None if side is None or side.contour is None else 100.0 * side.contour
    louder = side.louder_lu if side is not None else None
    return (
        Mark("Pumping", "Pumping", told(pump, "dB"), side is not None and side.pumps,
             f"over {number(limits.PUMP_FLAG_DB)} dB the level of sustained notes pumps"),
        Mark("Attacks", "Attacks", "" if attack is None else f"{signed(attack)} dB", side is not None and side.dulls,
             f"{number(limits.ATTACK_FLAG_DB)} dB less is heard as dull"),
        Mark("Treble", "Treble of hits", "" if treble is None else f"{signed(treble)} dB",
             side is not None and side.darkens,
             f"{number(limits.TREBLE_FLAG_DB)} dB less at equal loudness is heard as dark"),
        Mark("Noise", "Noise", told(noise, "dB"), side is not None and side.lifts_noise,
             f"breaths and noise up by over {number(limits.NOISE_FLAG_DB, 0)} dB"),
        Mark("Distortion", "Low-frequency distortion", told(ripple, "dB", 0), side is not None and side.shakes,
             f"over {number(limits.RIPPLE_FLAG_DB, 0)} dB the gain moves with the wave"),
        Mark("Phrases", "Phrase dynamics kept", told(contour, "%", 0), side is not None and side.flattens,
             f"under {number(100 * limits.CONTOUR_FLAG, 0)} % phrases lose their dynamics"),
        Mark("Loudness", "Loudness", "" if louder is None else f"{signed(louder)} LU",
             side is not None and side.unmatched, f"over {number(limits.LOUDER_FLAG_LU)} LU apart the louder one wins"),
    )  # fmt: skip


def paint_marks(painter: QPainter, box: QRectF, found: "tuple[Mark, ...]") -> None:
    """Those over their limit by name; how many more there are; `none over` where they were measured and stay within."""
    over = [mark.short for mark in found if mark.over]
    if over:
        more = f" +{len(over) - 1}" if len(over) > 1 else ""
        paint.text(painter, box, over[0] + more, size=theme.SMALL, colour=theme.colour("look"), align=paint.CENTRE,
                   strong=True)  # fmt: skip
    else:
        paint.note(painter, box, "none over" if any(mark.text for mark in found) else "–", align=paint.CENTRE)


def sentences(found: "tuple[Mark, ...]") -> list[str]:
    """Each mark with its figure and its limit, for tips and screen readers."""
    return [f"{mark.name} {mark.text}{', over its limit' if mark.over else ''}: {mark.limit}"
            for mark in found if mark.text]  # fmt: skip
