"""What moves of Check are judged by: what is left of a source on a system; and what a change would do everywhere."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.parameter import number, signed
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import Translation, translation
from all_even.measure.sharing.scene import loudness_weights
from all_even.measure.sharing.translation import VANISHES
from all_even.moves.metric import Arguments, Metric
from all_even.session.tracks.importance import weight_of

Array = NDArray[np.float64]
Bands = NDArray[np.float32]
DEPENDS_ON = ("mix", "strips", "files", "order", "levels", "routing", "chains", "settings")
MEASURED_ON = ("mix", "files", "order", "settings")
RAISED_DB = 3.0
"""A move has to bring back at least this..."""
NOTHING_DB = -20.0
"""What comes back to less than a quarter is not back."""
COST_DB = 2.0
"""...and nothing may lose more than this anywhere else, nor the fader have to go down further."""
MOST_SOURCES = 3
SMALL = ("phone", "laptop", "small")
BELONGS = frozenset({"lead", "carrying"})


def left(look: Look, arguments: Arguments) -> float | None:
    """What is left of a lane's source on a system; None where either is not known."""
    key = str(arguments.get("system", ""))
    return translation(look).of(str(arguments.get("lane", "")), key) if key in systems.KEYS else None


@dataclass(frozen=True, slots=True, eq=False)
class Outcome:
    """What a change of one source does. before, after: (systems,) what is left of it. kept_db: change of its fader
    with which it is as loud here as it was. others_db: the most that any other source loses anywhere."""

    before: Array
    after: Array
    kept_db: float
    others_db: float

    def change(self, key: str) -> float:
        column = systems.KEYS.index(key)
        return float(self.after[column] - self.before[column])

    @property
    def cost_db(self) -> float:
        """What it costs most, anywhere: the source itself, others, or its fader."""
        return max(float((self.before - self.after).max(initial=0.0)), self.others_db, abs(self.kept_db), 0.0)

    def is_worth(self, key: str, raised_db: float = RAISED_DB) -> bool:
        return self.change(key) >= raised_db and self.cost_db <= COST_DB

    def evidence(self, key: str) -> dict[str, float | int | str | None]:
        """Phone and club always, and the system it is about."""
        told: dict[str, float | int | str | None] = {}
        for name in dict.fromkeys((key, "phone", "club")):
            column = systems.KEYS.index(name)
            told[f"{name}_before"], told[f"{name}_after"] = float(self.before[column]), float(self.after[column])
        return {**told, "fader_db": self.kept_db, "others_lose_db": self.others_db}

    def words(self, key: str) -> str:
        """The same as a sentence."""
        told = []
        for name in dict.fromkeys((key, "phone", "club")):
            column = systems.KEYS.index(name)
            was, now = float(self.before[column]), float(self.after[column])
            told.append(f"{systems.system(name).name.lower()} {number(was)} to {number(now)}")
        fader = (
            "" if abs(self.kept_db) < 0.05 else f" Its fader goes {signed(self.kept_db)} dB, as loud here as before."
        )
        return f"{'; '.join(told).capitalize()} (−10 is half as loud).{fader}"


T = TypeVar("T")


def chosen(
    tried: Iterable[tuple[T, Outcome]], key: str, *, enough_db: float = VANISHES, raised_db: float = RAISED_DB
) -> tuple[T, Outcome] | None:
    """The first change, from the smallest up, with which there is enough of it again; else, of those that are worth it,
    the one that brings back most. None where none is, or where it would be next to nothing still."""
    column, best = systems.KEYS.index(key), None
    for change, result in tried:
        if result.is_worth(key, raised_db) and result.after[column] > NOTHING_DB:
            if result.after[column] > enough_db:
                return change, result
            if best is None or result.after[column] > best[1].after[column]:
                best = change, result
    return best


def loudness_change_db(found: Translation, place: int, both: Bands, rate: int) -> float:
    """By how much a source with other powers is louder here, dB, while it plays."""
    weights, playing = loudness_weights(rate), found.stage.playing[place]
    now, then = found.stage.both[place][playing] @ weights, both[playing] @ weights
    return float(10.0 * np.log10(max(float(then.sum()), 1e-30) / max(float(now.sum()), 1e-30)))


def outcome(look: Look, place: int, both: Bands, middle: Bands) -> Outcome:
    """What other powers of a source, (frames, bands), would do, its loudness here kept by its fader."""
    look.stop_if_cancelled()
    found, rate = translation(look), look.session.sample_rate
    kept_db = -loudness_change_db(found, place, both, rate)
    factor = np.float32(10.0 ** (kept_db / 10.0))
    return _outcome(found, place, found.tried(place, both * factor, middle * factor, rate), kept_db)


def outcome_at(look: Look, place: int, both: Bands, middle: Bands) -> Outcome:
    """The same without a fader that keeps its loudness."""
    look.stop_if_cancelled()
    found = translation(look)
    return _outcome(found, place, found.tried(place, both, middle, look.session.sample_rate), 0.0)


def _outcome(found: Translation, place: int, after: Array, kept_db: float) -> Outcome:
    others = np.delete(found.left - after, place, axis=0)
    return Outcome(found.left[place], after[place], kept_db, float(np.nanmax(others, initial=0.0)))


def lost(look: Look, keys: tuple[str, ...], under: float = VANISHES) -> list[tuple[int, str]]:
    """What vanishes where, by source: the system that its parts would be looked for on first. What matters most
    first, and only what has to be there: leads and what carries."""
    found = translation(look)
    told: dict[int, str] = {}
    for key in keys:
        column = systems.KEYS.index(key)
        for place, unit in enumerate(found.units):
            matters = any(weight_of(lane) in BELONGS for lane in unit.lanes)
            if matters and place not in told and found.left[place, column] <= under:
                told[place] = key
    order = sorted(told, key=lambda place: (-found.importance[place], found.left[place].min(initial=0.0)))
    return [(place, told[place]) for place in order[:MOST_SOURCES]]


LEFT = Metric("left-elsewhere", "level left on that system", "dB", 1, 1.0, MEASURED_ON, left)
