"""Players and their microphones in a simulated shoebox room.

Reflections by mirror sources (Allen and Berkley, J. Acoust. Soc. Am. 65, 1979: 943), each at its time with its level,
walls softer at the top; a microphone turned to its player hears what comes from behind less (a cardioid).
"""

from dataclasses import dataclass
from itertools import product

import numpy as np
from scipy import signal

SOUND_M_PER_S = 343.0
HIGHEST_ORDER = 8
Point = tuple[float, float, float]


@dataclass(frozen=True)
class Room:
    """size_m of the three edges; reflection: what a wall sends back of the pressure, 0 to 1."""

    size_m: Point
    reflection: float
    rate: int

    def response(self, source: Point, microphone: Point, turned_to: Point, length_s: float = 0.5) -> np.ndarray:
        """From a player to a microphone that looks at `turned_to`."""
        out = np.zeros(round(length_s * self.rate) + 64)
        look = np.subtract(turned_to, microphone)
        look = look / np.linalg.norm(look)
        span = range(-HIGHEST_ORDER, HIGHEST_ORDER + 1)
        taps = np.arange(-16, 17)
        for cell in product(span, span, span):
            order = sum(map(abs, cell))
            if order > HIGHEST_ORDER:
                continue
            image = [
                n * size + (at if n % 2 == 0 else size - at)
                for n, size, at in zip(cell, self.size_m, source, strict=True)
            ]
            way = np.subtract(image, microphone)
            distance = max(float(np.linalg.norm(way)), 0.05)
            at = distance / SOUND_M_PER_S * self.rate
            if at > len(out) - 40:
                continue
            towards = 0.5 + 0.5 * float(np.dot(way, look)) / distance
            level = towards * self.reflection**order / distance
            whole = int(at)
            kernel = np.sinc(taps - (at - whole)) * np.hanning(35)[1:-1]
            out[whole : whole + 33] += level * kernel
        return out[16:]


def heard(room: Room, players: dict[str, tuple[np.ndarray, Point]], microphone: Point, turned_to: Point,
          levels: dict[str, float] | None = None) -> np.ndarray:  # fmt: skip
    """What a microphone picks up of all players. levels: a gain for some of them."""
    total: np.ndarray | None = None
    for name, (sound, place) in players.items():
        part = signal.fftconvolve(sound, room.response(place, microphone, turned_to))[: len(sound)]
        part = part * (levels or {}).get(name, 1.0)
        total = part if total is None else total + part
    if total is None:
        raise ValueError("nobody plays")
    return total
