"""A room in which an ensemble sits: its first reflections by image sources, then one tail that all share.

A pair of cardioids, 17 cm apart and turned outwards by 55 degrees each (a usual near-coincident pair), stands at the
front of a box. A sound on the left comes from a player half left at the row's distance, one on the right from one half
right; what stands between them comes from both. Each reflection in a wall is heard as from behind it, by the image
sources of J. B. Allen and D. A. Berkley, "Image method for efficiently simulating small-room acoustics", JASA 65
(1979). After sqrt(V) ms (V in cubic metres) reflections are too many to be told apart, and one tail of noise follows,
the same for every row, as strong as the diffuse field is: 16 pi / A against 1 / r^2 of the sound itself, with
A = 0.161 V / T (Sabine; textbooks of room acoustics). From memory.

The sound itself is left out: the lane brings it. Everything is relative to it, so a row further back has more room at
the same send.
"""

import math
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.processor import setting
from all_even.dsp.space.convolution import Convolver
from all_even.late import scipy

Array = NDArray[np.float64]

SOUND_M_S = 343.0
BEARING = math.radians(40.0)
"""Where the players on the left and right sit, from the pair."""
TURNED, APART_M = math.radians(55.0), 0.17
PAIR_EFFICIENCY = 1.0 / 3.0
"""Of a cardioid, for sound from everywhere against sound from the front."""
MOST_REFLECTIONS = 4
BANDS_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
SEED = 29
SETTLED = 80.0 / 60.0
"""The response ends 80 dB down."""


class Room(Convolver, frozen=True, kw_only=True, tag_field="kind", tag="room"):
    """A room for an ensemble, one row of it."""

    LABEL: ClassVar[str] = "Room"
    SHORT: ClassVar[str] = "Room"
    WORDS: ClassVar[str] = "ensemble seats row reverb space hall chamber"
    FIRST: ClassVar[tuple[str, ...]] = ("distance_m", "decay_s", "width_m", "length_m", "height_m")

    distance_m: Annotated[float, setting("Row stands at", "m", 1.0, 15.0, step=0.5, fixed=True)] = 3.0
    decay_s: Annotated[float, setting("Decay time", "s", 0.2, 4.0, step=3.0, scale="log", decimals=2, fixed=True)] = 1.2
    high_ratio: Annotated[float, setting("High time", "×", 0.2, 1.0, step=0.05, decimals=2, fixed=True)] = 0.6
    width_m: Annotated[float, setting("Width", "m", 3.0, 40.0, step=0.5, fixed=True)] = 14.0
    length_m: Annotated[float, setting("Length", "m", 3.0, 60.0, step=0.5, fixed=True)] = 20.0
    height_m: Annotated[float, setting("Height", "m", 2.2, 20.0, step=0.5, fixed=True)] = 7.0

    def longest_s(self) -> float:
        return self.decay_s * SETTLED + self.mixing_s()

    @property
    def volume_m3(self) -> float:
        return self.width_m * self.length_m * self.height_m

    def mixing_s(self) -> float:
        """From then on reflections are too many to be told apart, s after the sound itself."""
        return math.sqrt(self.volume_m3) / 1000.0

    def decay_at(self, frequency_hz: Array | float) -> Array:
        """The wished time at a frequency, s: falling towards the treble."""
        share = 1.0 / (1.0 + (3500.0 / np.maximum(np.asarray(frequency_hz, dtype=np.float64), 1.0)) ** 2)
        result: Array = self.decay_s * (1.0 - share * (1.0 - self.high_ratio))
        return result

    def coefficients(self, sample_rate: int) -> Array:
        return self.with_response(response(self, sample_rate), sample_rate)


def response(room: Room, sample_rate: int) -> Array:
    """(4, frames) from the left and the right player to both microphones, without the sound itself."""
    frames = room.taps(sample_rate)
    early = _early(room, frames, sample_rate)
    return early + _tail(room, frames, sample_rate)


def _places(room: Room) -> tuple[Array, Array]:
    """The pair's place, and both players'. Axes: across, along, up; the pair at a fifth of the length."""
    pair = np.array([0.5 * room.width_m, 0.2 * room.length_m, min(1.8, 0.6 * room.height_m)])
    reach = min(room.distance_m, 0.75 * room.length_m / math.cos(BEARING))
    across = min(reach * math.sin(BEARING), 0.45 * room.width_m)
    along = reach * math.cos(BEARING)
    low = min(1.2, 0.4 * room.height_m)
    players = np.array([
        [pair[0] - across, pair[1] + along, low], [pair[0] + across, pair[1] + along, low],
    ])  # fmt: skip
    return pair, players


def _early(room: Room, frames: int, sample_rate: int) -> Array:
    """Reflections until the mixing time, each a click between frames, darker with each wall."""
    size = np.array([room.width_m, room.length_m, room.height_m])
    pair, players = _places(room)
    surface = 2.0 * (size[0] * size[1] + size[1] * size[2] + size[0] * size[2])
    lost = 1.0 - math.exp(-0.161 * room.volume_m3 / (surface * room.decay_s))
    left_over = math.sqrt(max(0.0, 1.0 - lost))
    orders = [np.zeros((4, frames)) for _ in range(MOST_REFLECTIONS + 1)]
    for side, player in enumerate(players):
        direct_m = float(np.linalg.norm(player - pair))
        for image, walls in _images(player, size):
            if not 0 < walls <= MOST_REFLECTIONS:
                continue
            way = image - pair
            late_s = (float(np.linalg.norm(way)) - direct_m) / SOUND_M_S
            if not 0.0 < late_s < room.mixing_s():
                continue
            for ear, turn in enumerate((-1.0, 1.0)):
                _click(orders[walls][2 * side + ear], pair, image, turn, direct_m, left_over**walls, sample_rate)
    total = np.zeros((4, frames))
    pole = math.exp(-2.0 * math.pi * min(6000.0 + 8000.0 * room.high_ratio, 0.45 * sample_rate) / sample_rate)
    for walls, sound in enumerate(orders):
        heard = sound
        for _ in range(walls):
            heard = scipy.signal.lfilter([1.0 - pole], [1.0, -pole], heard, axis=1)
        total += heard
    return total


def _images(player: Array, size: Array) -> list[tuple[Array, int]]:
    """Image sources of a player and in how many walls each is reflected."""
    span = range(-2, 3)
    found = []
    for x in span:
        for y in span:
            for z in span:
                for mirrored in np.ndindex(2, 2, 2):
                    cell, turned = np.array([x, y, z]), np.array(mirrored)
                    image = (1 - 2 * turned) * player + 2.0 * cell * size
                    found.append((image, int(np.abs(2 * cell - turned).sum())))
    return found


def _click(path: Array, pair: Array, image: Array, turn: float, direct_m: float, gain: float, sample_rate: int) -> None:
    """Adds a reflection to what one microphone hears, later than the sound itself. turn: -1 left, 1 right."""
    microphone = pair + np.array([0.5 * turn * APART_M, 0.0, 0.0])
    way = image - microphone
    metres = float(np.linalg.norm(way))
    front = np.array([turn * math.sin(TURNED), math.cos(TURNED), 0.0])
    cardioid = 0.5 * (1.0 + float(way @ front) / max(metres, 1e-9))
    at = (metres - direct_m) / SOUND_M_S * sample_rate
    whole = int(at)
    if 0 <= whole < len(path) - 1:
        level = gain * cardioid * direct_m / max(metres, 1e-9)
        path[whole] += level * (1.0 - (at - whole))
        path[whole + 1] += level * (at - whole)


def _tail(room: Room, frames: int, sample_rate: int) -> Array:
    """Noise that falls at each frequency in its own time, from the mixing time on: independent left and right.

    Both players are in the same diffuse field; each excites it by noise of its own half, so that one in the middle is
    as loud as one aside.
    """
    start = round(room.mixing_s() * sample_rate)
    rng = np.random.default_rng(SEED)
    time_s = np.arange(frames) / sample_rate
    shaped = np.zeros((4, frames))
    spectrum = scipy.fft.rfft(rng.standard_normal((4, frames)), axis=1)
    hz = np.fft.rfftfreq(frames, 1.0 / sample_rate)
    octaves = np.log2(np.maximum(hz, 1.0))
    centres = np.log2(np.array(BANDS_HZ))
    for number, centre_hz in enumerate(BANDS_HZ):
        weight = np.clip(1.0 - np.abs(octaves - centres[number]), 0.0, 1.0)
        if number == 0:
            weight[octaves < centres[0]] = 1.0
        if number == len(BANDS_HZ) - 1:
            weight[octaves > centres[-1]] = 1.0
        band = scipy.fft.irfft(spectrum * weight, frames, axis=1)
        shaped += band * 10.0 ** (-3.0 * time_s / float(room.decay_at(centre_hz)))
    absorbing_m2 = 0.161 * room.volume_m3 / room.decay_s
    direct_m = float(np.linalg.norm(_places(room)[1][0] - _places(room)[0]))
    energy = 16.0 * math.pi / absorbing_m2 * PAIR_EFFICIENCY * direct_m**2
    rate_of_fall = 6.0 * math.log(10.0) / room.decay_s
    # The noise has unit power at time 0; the field's whole energy is that of all its frames.
    shaped *= math.sqrt(energy * rate_of_fall / sample_rate)
    rise = min(start, max(1, round(0.25 * room.mixing_s() * sample_rate)))
    shaped[:, : start - rise] = 0.0
    if rise:
        shaped[:, start - rise : start] *= np.sin(0.5 * np.pi * np.arange(rise) / rise)
    return shaped
