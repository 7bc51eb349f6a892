"""Finding the one number: a processor's threshold at which it does what is asked for, on the sound itself."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import Processor, Single
from all_even.figures.book.look import Look
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.strips import MIX

Array = NDArray[np.float64]


def find_threshold(
    station: Callable[[float], Processor],
    sound: Array,
    sample_rate: int,
    aim_db: float,
    figure: Callable[[Array, Array], float],
) -> float:
    """The threshold in dB at which a processor takes `aim_db` off a sound, within 0.05 dB, by halving.

    figure: reads the reduction (positive dB) from gains per frame and the sound's power per frame.
    """
    low, high = -80.0, 12.0
    power = np.mean(sound**2, axis=1)
    for _ in range(14):
        middle = 0.5 * (low + high)
        gain = np.zeros(len(sound))
        Single(station(middle), sample_rate)(sound, None, gain)
        if figure(gain, power) > aim_db:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def strongest(gain_db: Array, power: Array) -> float:
    return -float(gain_db.min(initial=0.0))


def _strip(look: Look, arguments: Arguments) -> str | None:
    """The strip that a metric is about: by id, or the bus of a name."""
    if "bus" in arguments:
        return next((bus.id for bus in look.session.buses if bus.name == arguments["bus"]), None)
    strip = str(arguments["strip"])
    return strip if strip == MIX or strip in {item.id for item in look.session.strips} else None


def strongest_gain_db(look: Look, arguments: Arguments) -> float | None:
    """The strongest gain in dB that the last station of a kind applied. arguments: strip or bus, station."""
    strip = _strip(look, arguments)
    flow = look.strip_flow(strip) if strip is not None else None
    known = flow.strip(look.session, strip) if flow is not None and strip is not None else None
    for item in reversed(known.stations) if known else ():
        if type(item.station).__name__ == arguments["station"] and len(item.gain_db):
            return float(item.gain_db[:, 1].min(initial=0.0))
    return None


STRONGEST_GAIN = Metric("strongest-gain", "strongest gain", "dB", 1, 0.3, ("mix", "strips"), strongest_gain_db)
