"""The whole in words: each figure with its name, its unit, what it says and what is usual."""

from collections.abc import Callable
from dataclasses import dataclass

from all_even.dsp.parameter import number
from all_even.figures.whole.whole import Whole


@dataclass(frozen=True, slots=True)
class Line:
    """A figure that is shown. tip: how it is defined. usual: what is usual, and who says so."""

    field: str
    name: str
    unit: str
    tip: str
    usual: str = "no rule"

    def text(self, found: Whole) -> str:
        """With its unit; a dash where it is unknown."""
        value = getattr(found, self.field)
        if value is None:
            return "–"
        if self.unit == "%":
            return f"{100.0 * value:.0f} %"
        return f"{number(value)} {self.unit}"


LINES: tuple[Line, ...] = (
    Line("lead_db", "Lead over the rest", "dB",
         "Median over 400 ms while the lead plays, 300 to 3500 Hz, against everything else", "-3 to 3 dB (our rule)"),
    Line("lead_spread_db", "… phrase to phrase", "dB", "P90 less P10 of the same over its phrases",
         "under 6 dB (our rule)"),
    Line("kick_low_db", "Kick over the rest", "dB", "On its hits, 40 to 120 Hz, the first 100 ms"),
    Line("kick_click_db", "… its click", "dB", "On its hits, 2 to 6 kHz"),
    Line("snare_body_db", "Snare over the rest", "dB", "On its hits, 150 to 400 Hz, the first 100 ms"),
    Line("snare_crack_db", "… its crack", "dB", "On its hits, 2 to 8 kHz"),
    Line("bass_spread_db", "Bass, note to note", "dB", "P90 less P10 of a quarter of a second each, 40 to 120 Hz",
         "2 to 6 dB (seen on finger and synthesiser basses)"),
    Line("bass_to_kick_db", "Bass against the kick", "dB", "Its usual level against a hit of the kick, 40 to 120 Hz"),
    Line("masked", "Masked, 2nd opinion", "%", "By partial loudness behind gammatone filters, by priority; only "
         "Polish is searched on it, and only its change says something"),
    Line("masked_ours", "Masked", "%", "By the figure that Share goes by; an index, of which only the change counts"),
    Line("plr_db", "PLR", "dB", "True peak over integrated loudness: less is louder at one peak",
         "10 to 16 dB before mastering (common practice)"),
    Line("mono_db", "In mono", "dB", "Level of both sides as one against both as they are",
         "over -3 dB (common practice)"),
    Line("sides_db", "Left over right", "dB", "Difference of loudness over the song", "within 1 dB (common practice)"),
    Line("width_db", "Sides against middle", "dB", "Power of left less right against left plus right"),
    Line("room_db", "Room against dry", "dB", "All returns against all dry sounds, behind the same filters"),
)  # fmt: skip
SHORT: tuple[tuple[str, str, Callable[[Whole], float | None]], ...] = (
    ("lead", "dB", lambda found: found.lead_db),
    ("kick", "dB", lambda found: found.kick_low_db),
    ("snare", "dB", lambda found: found.snare_body_db),
)
APART = 0.02
"""By how much both figures of masking have to move, against each other, to disagree."""


def in_short(before: Whole, now: Whole) -> str:
    """What would stand over the rest, a sentence: `Over the rest then: lead -2.0 dB (now -4.1) …`."""
    parts = [
        f"{name} {number(then)} {unit} (now {number(was)})"
        for name, unit, read in SHORT
        if (was := read(before)) is not None and (then := read(now)) is not None
    ]
    told = f"Over the rest then: {', '.join(parts)}." if parts else ""
    if before.masked is not None and now.masked is not None:
        told += f" Masked, 2nd opinion: {100.0 * before.masked:.0f} → {100.0 * now.masked:.0f} %."
    return told.strip()


def disagreement(before: Whole, now: Whole) -> str:
    """Where both figures of masking say the opposite of each other; empty where they don't."""
    if None in (before.masked, now.masked, before.masked_ours, now.masked_ours):
        return ""
    ours, witness = now.masked_ours - before.masked_ours, now.masked - before.masked  # type: ignore[operator]
    if ours * witness >= 0.0 or min(abs(ours), abs(witness)) < APART / 2.0 or abs(ours - witness) < APART:
        return ""
    return (
        f"The two figures of masking disagree: {'less' if ours < 0.0 else 'more'} is masked by the first "
        f"({100.0 * ours:+.1f} %), {'less' if witness < 0.0 else 'more'} by the second ({100.0 * witness:+.1f} %). "
        "Listen."
    )
