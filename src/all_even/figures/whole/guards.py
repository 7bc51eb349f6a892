"""What may not get worse while something else is made better, and by how much it may.

Of the figures of the whole six are guarded: what leads, the kick and the snare on their hits, the steadiness of the
bass, loudness at equal peak, mono; and what is masked, by both figures of it, so that no gain is bought from everybody
else. (By one alone, rooms and evening gave back what equalisers had won by the other.)
Tolerances are our own: about what is heard as a change of a level (1 dB), more for what differs from hit to hit, and
for the peak over loudness, since peaks are held when the buses are made (2 to 4 dB, seen on 20 mixes). What is guarded
is the relation, not the level: a lead that goes down with everything else has lost nothing.
"""

from dataclasses import dataclass, replace

from all_even.figures.whole.whole import Whole


@dataclass(frozen=True, slots=True)
class Guard:
    """field: of `Whole`. worse: +1 where more is worse, -1 where less is. most: worse by more than this is too much.
    enough: beyond it more or less changes nothing that matters (a kick 12 dB over the rest); gone: so far under the
    rest nobody hears it, and less of it is no loss (a click at -20 dB). None where there is no such place."""

    field: str
    label: str
    unit: str
    worse: float
    most: float
    enough: float | None = None
    gone: float | None = None

    def worse_by(self, before: Whole, now: Whole) -> float:
        """How much worse it is, in its unit; 0 where it is no worse, or where it can't be known."""
        was, is_ = getattr(before, self.field), getattr(now, self.field)
        if was is None or is_ is None:
            return 0.0
        was, is_ = (self._held(value) for value in (was, is_))
        return max(0.0, self.worse * (is_ - was))

    def text(self, by: float) -> str:
        """So much of it, with its unit."""
        return f"{100.0 * by if self.unit == '%' else by:.1f} {self.unit}"

    def _held(self, value: float) -> float:
        """Inside what matters."""
        if self.enough is not None:
            value = min(value, self.enough) if self.worse < 0.0 else max(value, self.enough)
        return value if self.gone is None else max(value, self.gone)


GUARDS = (
    Guard("lead_db", "lead over the rest", "dB", -1.0, 0.7),
    Guard("lead_spread_db", "spread of the lead over its phrases", "dB", 1.0, 0.7),
    Guard("kick_low_db", "low of the kick over the rest", "dB", -1.0, 1.0, 12.0),
    Guard("kick_click_db", "click of the kick over the rest", "dB", -1.0, 1.5, 6.0, -10.0),
    Guard("snare_body_db", "body of the snare over the rest", "dB", -1.0, 1.0, 6.0, -10.0),
    Guard("snare_crack_db", "crack of the snare over the rest", "dB", -1.0, 1.5, 6.0, -10.0),
    Guard("bass_spread_db", "spread of the bass", "dB", 1.0, 1.0, 4.0),
    Guard("plr_db", "PLR", "dB", 1.0, 1.2),
    Guard("mono_db", "level in mono", "dB", -1.0, 1.0, -1.0),
    Guard("masked", "masked, 2nd opinion", "%", 1.0, 0.004),
    Guard("masked_ours", "masked", "%", 1.0, 0.006),
)
OF_RELATIONS = tuple(guard for guard in GUARDS if guard.field not in ("plr_db", "mono_db", "masked_ours"))
"""Those that are known without rendering the mix."""
OF_ROOMS = tuple(replace(guard, most=0.005) if guard.field == "masked" else guard for guard in GUARDS)
"""Those of rooms: all that a room does to the others is to mask them. By this figure, which counts what is soft, one
that is just missed when muted masks 0.5 to 0.9 %, and 3 dB less of it a third less; that is borne, of one room or two.
"""


@dataclass(frozen=True, slots=True)
class Loss:
    """by: in the guard's unit."""

    guard: Guard
    by: float

    @property
    def text(self) -> str:
        return f"{self.guard.label} {self.guard.text(self.by)} worse"


def losses(before: Whole, now: Whole, guards: tuple[Guard, ...] = GUARDS) -> tuple[Loss, ...]:
    """What got worse by more than it may, the worst against its tolerance first."""
    found = [Loss(guard, by) for guard in guards if (by := guard.worse_by(before, now)) > guard.most]
    return tuple(sorted(found, key=lambda loss: -loss.by / loss.guard.most))
