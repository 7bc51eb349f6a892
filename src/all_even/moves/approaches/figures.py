"""Figures that approaches are judged by where no other rule has them: a band of a part, what others gain, what is
heard of a part, how wide it is."""

import numpy as np

from all_even import decibels
from all_even.audio.sides import middle_of
from all_even.figures.arriving.contribution import Samples, parts
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import kicks_and_basses
from all_even.figures.sharing.sharing import sharing
from all_even.late import scipy
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.session import Session

SPECTRUM_FRAMES = 8192
SILENCE = 1e-20
MONO_DB = -60.0
"""Less than this at the sides is none."""
ON_MIX, ON_SOUND = ("mix", "files", "order"), ("files", "order", "levels", "strips", "routing")


def members(session: Session, of: object) -> set[str]:
    """The tracks that an argument names: `kick`, `bass`, or some by their ids, with commas between."""
    kicks, basses = kicks_and_basses(session)
    named = {"kick": kicks, "bass": basses}.get(str(of))
    return named if named is not None else {lane.id for lane in session.lanes} & set(str(of).split(","))


def arriving(look: Look, of: object) -> Samples | None:
    """(frames, 2) of these tracks as they arrive, with what their parallel buses bring back."""
    wanted = members(look.session, of)
    return parts(look, {"it": wanted}).get("it") if wanted else None


def band_of_all_db(sound: Samples, rate: int, low_hz: float, high_hz: float) -> float | None:
    """Power of a band against all of a sound, dB; None of silence."""
    hertz, power = scipy.signal.welch(middle_of(sound), rate, nperseg=min(SPECTRUM_FRAMES, len(sound)))
    whole = float(power.sum())
    if not whole > SILENCE:
        return None
    inside = float(power[(hertz >= low_hz) & (hertz <= high_hz)].sum())
    return decibels.level_db(float(np.sqrt(inside / whole)))


def _band(look: Look, arguments: Arguments) -> float | None:
    sound = arriving(look, arguments.get("of"))
    low, high = arguments.get("low_hz"), arguments.get("high_hz")
    if sound is None or not isinstance(low, int | float) or not isinstance(high, int | float):
        return None
    return band_of_all_db(sound, look.session.sample_rate, float(low), float(high))


def _shares(look: Look, of: object) -> tuple[float | None, float | None]:
    """Masked share of these tracks, and of all others, weighted by priority; 0 to 1."""
    found = sharing(look)
    if found is None:
        return None, None
    wanted = members(look.session, of)
    own = np.array([any(lane.id in wanted for lane in unit.lanes) for unit in found.units])
    known = ~np.isnan(found.shares)

    def mean(chosen: np.ndarray) -> float | None:
        weights = found.scene.importance[chosen & known]
        return float(weights @ found.shares[chosen & known] / weights.sum()) if weights.sum() > 0.0 else None

    return mean(own), mean(~own)


def _others(look: Look, arguments: Arguments) -> float | None:
    value = _shares(look, arguments.get("of"))[1]
    return None if value is None else 100.0 * value


def _masked(look: Look, arguments: Arguments) -> float | None:
    value = _shares(look, arguments.get("of"))[0]
    return None if value is None else 100.0 * value


def _sides(look: Look, arguments: Arguments) -> float | None:
    sound = arriving(look, arguments.get("of"))
    if sound is None or not np.any(sound):
        return None
    middle, side = sound.sum(axis=1), sound[:, 0] - sound[:, 1]
    powers = [float(np.mean(np.square(part, dtype=np.float64))) for part in (side, middle)]
    return max(MONO_DB, 10.0 * float(np.log10((powers[0] + SILENCE) / (powers[1] + SILENCE))))


BAND = Metric("band-of-all", "the band, of all of it", "dB", 1, 0.3, ON_SOUND, _band)
OTHERS = Metric("others-masked", "the others masked", "%", 1, 0.1, ON_MIX, _others)
MASKED = Metric("part-masked", "masked itself", "%", 1, 0.5, ON_MIX, _masked)
SIDES = Metric("part-sides", "sides against middle", "dB", 1, 0.5, ON_SOUND, _sides)
METRICS = (BAND, OTHERS, MASKED, SIDES)
