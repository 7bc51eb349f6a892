"""How a setting is described once: name, unit, range, default, text both ways.

The control on the screen, the range check of the session file, the sentence in the ledger and the
line of the recall sheet all come from this description.
"""

import math
import re
from dataclasses import dataclass
from typing import Literal

from all_even.decibels import OFF_DB

MINUS = "−"
FINE = 0.2
"""A nudge or a drag with Shift, against one without."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """One number. low, high, default: in `unit`. step: one nudge; a fine nudge is a fifth of it (`FINE`).

    scale: how a rail divides the range; a nudge on a log scale is `step` percent. fixed: it changes
    latency or structure, and can't be automated.
    """

    name: str
    unit: str
    low: float
    high: float
    default: float
    step: float
    decimals: int = 1
    scale: Literal["linear", "log"] = "linear"
    fixed: bool = False

    def clamped(self, value: float) -> float:
        """The value inside the range; the default for a value that is not a number."""
        return self.default if math.isnan(value) else min(self.high, max(self.low, value))

    def text(self, value: float) -> str:
        """The value for people, with a true minus sign and the unit."""
        if self.high == math.inf and value == math.inf:
            return f"∞ {self.unit}".strip()
        if self.unit == "Hz" and value >= 1000.0:
            return f"{number(value / 1000.0, 2)} kHz"
        decimals = min(2, self.decimals + 1) if self.scale == "log" and abs(value) < 10.0 else self.decimals
        return f"{number(value, decimals)} {self.unit}".strip()

    def nudged(self, value: float, steps: float) -> float:
        """The value some nudges further."""
        if self.scale == "log":
            return self.clamped(value * (1.0 + self.step / 100.0) ** steps)
        return self.clamped(value + steps * self.step)

    def parse(self, text: str) -> float | None:
        """The value people typed, with or without unit; None where it can't be understood."""
        value = spoken(text, self.unit)
        return None if value is None else self.clamped(value)


SPOKEN = re.compile(r"([+-]?)(\d+\.?\d*|\.\d+)\s*(?:(k)(\d*))?\s*(\D*)")
"""Sign, digits, a k that may stand for the point (1k2), and a unit."""
LEVELS = frozenset({"db", "dbfs", "dbtp", "dbv", "lu", "lufs"})
IN_S = {"s": 1.0, "ms": 0.001}


def spoken(text: str, unit: str) -> float | None:
    """A number as people type it, in `unit`: +1.5, -2 dB, 1k2, 0.5 s for 500 ms; None where it can't be understood."""
    own = unit.lower()
    plain = text.strip().lower().replace(MINUS, "-").replace(",", ".")
    found = SPOKEN.fullmatch(plain.removesuffix(own).rstrip() if own.startswith(":") else plain)
    if found is None:
        return None
    sign, digits, kilo, after, said = found.groups()
    if after and "." in digits:
        return None
    value = float(f"{digits}.{after}" if after else digits) * (1000.0 if kilo else 1.0) * (-1.0 if sign == "-" else 1.0)
    said = said.strip()
    if said in ("", own) or {said, own} <= LEVELS:
        return value
    if said in IN_S and own in IN_S:
        return value * IN_S[said] / IN_S[own]
    return value if kilo and said == "hz" and own == "hz" else None


@dataclass(frozen=True, slots=True)
class Choice:
    """One of several words or numbers."""

    name: str
    options: tuple[str | int, ...]
    default: str | int

    def text(self, value: str | int) -> str:
        return str(value).replace("-", MINUS) if isinstance(value, int) else value


@dataclass(frozen=True, slots=True)
class Switch:
    """On or off."""

    name: str
    default: bool

    def text(self, value: bool) -> str:
        return "on" if value else "off"


Setting = Parameter | Choice | Switch


class LevelParameter(Parameter):
    """A fader: dB, with everything at or below `OFF_DB` shown as −∞."""

    def text(self, value: float) -> str:
        return f"{MINUS}∞ dB" if value <= OFF_DB else f"{signed(value)} dB"

    def parse(self, text: str) -> float | None:
        cleaned = text.strip().lower().removesuffix("db").strip()
        if cleaned in ("off", "-inf", "-∞", f"{MINUS}∞", f"{MINUS}inf"):
            return OFF_DB
        value = Parameter.parse(self, text)
        return OFF_DB if value is not None and value < LOWEST_LEVEL_DB else value


class PanParameter(Parameter):
    """A place from -1 (left) to 1 (right), shown as L 100 to R 100."""

    def text(self, value: float) -> str:
        percent = round(abs(value) * 100)
        return "centre" if percent == 0 else f"{'L' if value < 0 else 'R'} {percent}"

    def parse(self, text: str) -> float | None:
        cleaned = text.strip().lower().replace(MINUS, "-")
        if cleaned in ("c", "centre", "center", "0", ""):
            return 0.0
        sign = 1.0
        for word, side in (("left", -1.0), ("right", 1.0), ("l", -1.0), ("r", 1.0)):
            if cleaned.startswith(word) or cleaned.endswith(word):
                sign = side
                cleaned = cleaned.removeprefix(word).removesuffix(word)
                break
        try:
            return self.clamped(sign * float(cleaned) / 100.0)
        except ValueError:
            return None


class MuteParameter(Parameter):
    """0 heard, 1 muted; what lies between counts as the nearer."""

    def text(self, value: float) -> str:
        return "muted" if value >= 0.5 else "heard"

    def parse(self, text: str) -> float | None:
        word = text.strip().lower()
        if word in ("muted", "mute", "off"):
            return 1.0
        return 0.0 if word in ("heard", "on", "unmuted") else Parameter.parse(self, text)


LOWEST_LEVEL_DB = -80.0
"""The rail's last step before off."""

LEVEL = LevelParameter("Level", "dB", OFF_DB, 12.0, 0.0, 0.5)
PAN = PanParameter("Pan", "", -1.0, 1.0, 0.0, 0.05)
MUTE = MuteParameter("Mute", "", 0.0, 1.0, 0.0, 1.0, 0)
"""As automation; a strip's own switch is no number."""
TRIM = LevelParameter("Mix trim", "dB", -40.0, 12.0, 0.0, 0.5)
CLIP_GAIN = Parameter("Clip gain", "dB", -36.0, 36.0, 0.0, 0.5)
"""Before the chain, on the recording itself."""


def number(value: float, decimals: int = 1) -> str:
    """A number with a true minus sign and no negative zero."""
    text = f"{value:.{decimals}f}"
    if float(text) == 0.0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def signed(value: float, decimals: int = 1) -> str:
    """A number with its sign, also where it is positive; 0 has none."""
    text = number(value, decimals)
    return text if text.startswith(MINUS) or float(text) == 0.0 else f"+{text}"


def decibel_text(value: float | None, unit: str = "dB") -> str:
    """A measured level with its unit; a dash where it is unknown."""
    return "–" if value is None or not math.isfinite(value) else f"{number(value)} {unit}"


def time_text(seconds: float) -> str:
    """A position as minutes, seconds and tenths."""
    tenths = max(0, round(seconds * 10))
    return f"{tenths // 600}:{tenths // 10 % 60:02d}.{tenths % 10}"
