"""What a return makes of a click: its response, how it decays, and how strong it is at each frequency.

Only what is the same at every level counts: dynamics in a return's chain are left out.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducking.shaped import coefficients_with
from all_even.dsp.processor import Processor, Single
from all_even.dsp.space.convolution import Convolution
from all_even.engine import responses
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.measure.level.hops import HOP_S
from all_even.measure.sharing import hearing, masking
from all_even.measure.space import response
from all_even.measure.space.response import Decay
from all_even.session.model.session import Session

Array = NDArray[np.float64]
LONGEST_S = 12.0
BLOCK_FRAMES = 1 << 14


@dataclass(frozen=True, slots=True, eq=False)
class Response:
    """decay: by octave centre in Hz. whole: of all of it. strength: (bands of the ear,) power behind the chain for a
    sound of power 1 on both sides together. fall_db: energy from 10 ms to 10 ms, dB re its loudest. first_s: when it
    begins."""

    decay: Mapping[float, Decay]
    whole: Decay | None
    strength: Array
    fall_db: Array
    first_s: float

    def decay_s(self, low_hz: float, high_hz: float) -> float | None:
        """Mean decay time of the octaves between two frequencies."""
        found = [one.decay_s for hz, one in self.decay.items() if low_hz <= hz <= high_hz]
        return float(np.mean(found)) if found else None


def response_of(look: Look, bus_id: str) -> Response:
    """Of the chain of a bus as it is set."""
    return look.get(RESPONSE, bus_id)


def steady(chain: tuple[Processor, ...]) -> list[Processor]:
    """The stations that do the same at every level."""
    return [item for item in chain if not item.bypass and not item.LEVEL_DEPENDENT and not item.DYNAMIC]


def response_rests_on(look: Look, target: str) -> str:
    """The fingerprint of what a return's chain does at every level."""
    chain = [replace(item, id="new", matched_db=0.0) for item in steady(look.session.chain(target))]
    heard = [responses.content(look.session, item.response) for item in chain if isinstance(item, Convolution)]
    return digest((chain, heard, look.session.sample_rate))


def _compute(look: Look, target: str) -> Response:
    return of_chain(look.session, steady(look.session.chain(target)))


def of_chain(session: Session, chain: list[Processor]) -> Response:
    """Of any chain, by one click on each side: four paths, whose mean is less a matter of chance than each."""
    rate = session.sample_rate
    length = sum(item.settling_s() for item in chain if np.isfinite(item.settling_s()))
    frames = round(min(LONGEST_S, max(0.1, length)) * rate)
    linked = responses.linked(session)
    paths = []
    for side in range(2):
        sound = np.zeros((frames, 2))
        sound[0, side] = 1.0
        for item in chain:
            run = Single(item, rate, coefficients=coefficients_with(item, linked, rate))
            late = item.latency_frames(rate)
            heard = [run(sound[at : at + BLOCK_FRAMES]) for at in range(0, frames, BLOCK_FRAMES)]
            if late:
                heard.append(run(np.zeros((late, 2))))
            sound = np.concatenate(heard)[late:]
        paths += [sound[:, 0], sound[:, 1]]
    four = np.stack(paths, axis=1)
    power = (four**2).sum(axis=1)
    hop = max(1, round(HOP_S * 0.1 * rate))
    energy = np.add.reduceat(power, np.arange(0, frames, hop))
    fall = 10.0 * np.log10(energy / max(float(energy.max(initial=0.0)), 1e-30) + 1e-12)
    heard_at = np.flatnonzero(power > 1e-8 * float(power.max(initial=0.0)))
    return Response(
        response.decay_by_octave(four, rate), response.decay(four, rate), _strength(four, rate), fall,
        float(heard_at[0]) / rate if len(heard_at) else 0.0,
    )  # fmt: skip


def _strength(paths: Array, rate: int) -> Array:
    """(bands,) what comes out of both sides for a sound of power 1 that enters half on each."""
    size = 1 << (len(paths) - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(paths, size, axis=0)) ** 2
    summed = np.concatenate(([0.0], np.cumsum(0.5 * spectrum.sum(axis=1))))
    centres = masking.centres_hz()
    half = 0.5 * masking.BAND_ERB * hearing.erb_hz(centres)
    low = np.clip(np.round((centres - half) * size / rate).astype(int), 0, len(summed) - 2)
    high = np.clip(np.round((centres + half) * size / rate).astype(int), low + 1, len(summed) - 1)
    return np.asarray((summed[high] - summed[low]) / (high - low))


def _rests_on(look: Look, _prints: Fingerprints, target: str) -> str:
    return response_rests_on(look, target)


RESPONSE = Figure("response of a return", 1, "bus", _rests_on, _compute)
