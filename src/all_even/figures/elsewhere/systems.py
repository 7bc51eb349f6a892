"""Other systems to listen through: a phone, a car, a club, quietly at night. Responses of our own, every one readable.

No system is any maker's: each is a plain filter that stands for what its kind has in common, and `assumes` says it in
words. They are heard on the device path and never printed. Passes are Butterworth (12 dB per octave for each two
orders); shelves and bells as in the equaliser. *Quiet* is the difference of two contours of equal loudness: what is
played at 50 phon instead of 80 is heard with that much less bass (ISO 226:2003, constants from memory), set as eight
bands that keep within 0.1 dB of it from 20 Hz to 12.5 kHz.
"""

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.filters import biquad
from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.utility import Width
from all_even.session.model.session import Session

Array = NDArray[np.float64]
ROOM_NOISE_DB = -50.0
"""Noise around the listener under the A-weighted loud moments of the mix, where nothing else is said."""
LOW_END_HZ = 125.0
"""What is called the low end when it is listened to alone: the next zone begins there (`measure.level.zones`)."""


@dataclass(frozen=True, slots=True)
class System:
    """chain: its response, at a gain of 1 in the middle. mono: whether both sides come from one place. noise_db: of its
    surroundings, under the A-weighted loud moments (95th percentile) of the mix. assumes: the same in words."""

    key: str
    name: str
    assumes: str
    chain: tuple[AnyProcessor, ...] = ()
    mono: bool = False
    noise_db: float = ROOM_NOISE_DB

    def magnitude(self, frequencies_hz: Array, sample_rate: int) -> Array:
        """Linear gain at some frequencies, as it is heard."""
        result = np.ones(len(frequencies_hz))
        for station in self.chain:
            if isinstance(station, Equaliser):
                result = result * station.magnitude(frequencies_hz, sample_rate)
            elif isinstance(station, HighPass | LowPass):
                result = result * biquad.magnitude(station.sections(sample_rate), frequencies_hz, sample_rate)
        return result

    def stations(self) -> tuple[AnyProcessor, ...]:
        """What stands behind the mix bus while it is listened through; mono comes last."""
        found = (*self.chain, Width(width=0.0)) if self.mono else self.chain
        return tuple(replace(station, id=f"elsewhere-{place}") for place, station in enumerate(found))


def _equaliser(*bands: Band) -> Equaliser:
    return Equaliser(bands=bands)


def _shelf(hertz: float, gain_db: float) -> Band:
    return Band(shape="low shelf", frequency_hz=hertz, gain_db=gain_db, q=0.7071)


def _bell(hertz: float, gain_db: float) -> Band:
    return Band(frequency_hz=hertz, gain_db=gain_db, q=1.0)


QUIET_BANDS = (
    Band(shape="low shelf", frequency_hz=24.9, gain_db=-16.22, q=0.33),
    Band(shape="low shelf", frequency_hz=134.1, gain_db=-6.76, q=0.55),
    Band(frequency_hz=202.1, gain_db=-3.09, q=0.46),
    Band(frequency_hz=1359.2, gain_db=1.13, q=0.54),
    Band(frequency_hz=1041.0, gain_db=-0.41, q=1.88),
    Band(frequency_hz=5084.6, gain_db=0.81, q=0.92),
    Band(frequency_hz=11274.7, gain_db=0.39, q=1.81),
    Band(shape="high shelf", frequency_hz=13589.1, gain_db=-12.69, q=0.78),
)

SYSTEMS: tuple[System, ...] = (
    System(
        "phone", "Phone",
        "500 Hz (4th order) to 12 kHz (2nd), 3 dB more at 2.5 kHz, mono, in a noisy place",
        (HighPass(frequency_hz=500.0, slope=24), LowPass(frequency_hz=12_000.0, slope=12),
         _equaliser(_bell(2500.0, 3.0))),
        mono=True, noise_db=-40.0,
    ),
    System(
        "laptop", "Laptop", "nothing under 250 Hz (3rd order) or over 14 kHz (2nd)",
        (HighPass(frequency_hz=250.0, slope=18), LowPass(frequency_hz=14_000.0, slope=12)),
    ),
    System(
        "small", "Small speaker", "nothing under 110 Hz (2nd order) or over 16 kHz (2nd), 2 dB more at 180 Hz",
        (HighPass(frequency_hz=110.0, slope=12), LowPass(frequency_hz=16_000.0, slope=12),
         _equaliser(_bell(180.0, 2.0))),
    ),
    System(
        "car", "Car",
        "9 dB more under 70 Hz, nothing under 35 Hz (2nd order) or over 13 kHz (2nd), 3 dB less at 150 Hz, on the road",
        (HighPass(frequency_hz=35.0, slope=12), LowPass(frequency_hz=13_000.0, slope=12),
         _equaliser(_shelf(70.0, 9.0), _bell(150.0, -3.0))),
        noise_db=-25.0,
    ),
    System(
        "club", "Club", "9 dB more under 80 Hz, nothing under 30 Hz (4th order), mono",
        (HighPass(frequency_hz=30.0, slope=24), _equaliser(_shelf(80.0, 9.0))), mono=True,
    ),
    System("mono", "Mono", "both sides from one place, nothing else", mono=True),
    System(
        "quiet", "Quiet", "at 50 phon instead of 80: the ear takes in less bass (ISO 226); the room is not quieter",
        (Equaliser(bands=QUIET_BANDS),), noise_db=-30.0,
    ),
    System("headphones", "Headphones", "flat, both sides apart: the mix as it is, without a room"),
)  # fmt: skip
KEYS = tuple(system.key for system in SYSTEMS)
REFERENCE = "headphones"
"""What all others are compared with."""


def system(key: str) -> System:
    """The one of a key; KeyError where there is none."""
    return {item.key: item for item in SYSTEMS}[key]


def through(session: Session, key: str) -> Session:
    """The session as it is heard through a system: its response behind the mix bus. To listen to, not to keep."""
    return _behind(session, system(key).stations())


def low_end_alone(session: Session) -> Session:
    """The session with nothing over 125 Hz. To listen to, not to keep."""
    return _behind(session, low_end_stations())


def low_end_stations() -> tuple[AnyProcessor, ...]:
    return (LowPass(id="elsewhere-low", frequency_hz=LOW_END_HZ, slope=24),)


def _behind(session: Session, stations: tuple[AnyProcessor, ...]) -> Session:
    return replace(session, mix=replace(session.mix, chain=(*session.mix.chain, *stations)))
