"""What is left on other systems, worked out once more with NumPy and SciPy alone, from the files of a tune.

Nothing of ours is used but the figures it is compared with: window, bands (Glasberg and Moore 1990), roex filters,
A-weighting (IEC 61672-1), masking and the systems are written down again from their definitions.
"""

import numpy as np
import pytest
import soundfile
from scipy import signal

from all_even.figures.elsewhere.translation import translation
from all_even.session.editing import edits
from tests.moves.looks import look_at, measured_again

RATE, SIZE = 48_000, 4096
ACTIVE_DB, FLOOR_DB = 40.0, -70.0
K_HZ, K_DB = (50.0, 63.0, 100.0, 160.0, 300.0, 500.0, 1000.0), (13.0, 9.7, 5.0, 2.0, -0.5, -2.0, -3.0)


def erb_number(hz):
    return 21.4 * np.log10(4.37 * np.asarray(hz) / 1000.0 + 1.0)


NUMBERS = np.arange(float(erb_number(30.0)), float(erb_number(15_500.0)) + 1e-9, 0.5)
CENTRES = (10.0 ** (NUMBERS / 21.4) - 1.0) * 1000.0 / 4.37
BINS_HZ = np.fft.rfftfreq(SIZE, 1.0 / RATE)


def triangles() -> np.ndarray:
    """(bins, bands)."""
    weights = np.maximum(0.0, 1.0 - np.abs(erb_number(BINS_HZ)[:, None] - NUMBERS[None, :]) / 0.5)
    for band in np.flatnonzero(weights.sum(axis=0) == 0.0):
        weights[np.argmin(np.abs(erb_number(BINS_HZ) - NUMBERS[band])), band] = 1.0
    return weights


TRIANGLES = triangles()
WIDTH = 24.7 * (4.37 * CENTRES / 1000.0 + 1.0)
P = 4.0 * CENTRES / WIDTH
APART = np.abs(CENTRES[None, :] - CENTRES[:, None]) / CENTRES[:, None]
ROEX = (1.0 + P[:, None] * APART) * np.exp(-P[:, None] * APART)
F2 = CENTRES**2
A = (12194.0**2 * F2**2 / ((F2 + 20.6**2) * np.sqrt((F2 + 107.7**2) * (F2 + 737.9**2)) * (F2 + 12194.0**2))
     * 10.0**0.1) ** 2  # fmt: skip
K = 10.0 ** (np.interp(np.log(CENTRES), np.log(K_HZ), K_DB) / 10.0)


def powers(sound: np.ndarray) -> np.ndarray:
    """(frames, bands) of (frames,), the song beginning in the middle of the first frame."""
    window = np.hanning(SIZE + 1)[:-1]
    padded = np.concatenate((np.zeros(SIZE // 2), sound, np.zeros(SIZE)))
    count = (len(sound) + SIZE // 2 - SIZE) // (SIZE // 2) + 2
    frames = np.stack([padded[i * SIZE // 2 : i * SIZE // 2 + SIZE] for i in range(count)])
    return np.abs(np.fft.rfft(frames * window, axis=1)) ** 2 @ TRIANGLES * 2.0 / (SIZE * np.sum(window**2))


def magnitude(*passes, bands=()) -> np.ndarray:
    """Of Butterworth passes (order, corner, kind) and of shelves and bells, at the bins."""
    total = np.ones(len(BINS_HZ))
    for order, corner, kind in passes:
        b, a = signal.butter(order, 2 * np.pi * corner, kind, analog=True)
        total *= np.abs(signal.freqs(b, a, worN=2 * np.pi * np.maximum(BINS_HZ, 1e-3))[1])
    for shape, corner, gain_db, q in bands:  # the audio EQ cookbook's prototypes
        s, height = 1j * BINS_HZ / corner, 10.0 ** (gain_db / 40.0)
        if shape == "bell":
            total *= np.abs((s * s + s * height / q + 1) / (s * s + s / (height * q) + 1))
        else:
            root = np.sqrt(height) / q
            total *= np.abs(height * (s * s + root * s + height) / (height * s * s + root * s + 1))
    return total


SYSTEMS = {
    "phone": (magnitude((4, 500.0, "highpass"), (2, 12_000.0, "lowpass"),
                        bands=[("bell", 2500.0, 3.0, 1.0)]), True, -40.0),
    "laptop": (magnitude((3, 250.0, "highpass"), (2, 14_000.0, "lowpass")), False, -50.0),
    "car": (magnitude((2, 35.0, "highpass"), (2, 13_000.0, "lowpass"),
                      bands=[("shelf", 70.0, 9.0, 0.7071), ("bell", 150.0, -3.0, 1.0)]), False, -25.0),
    "club": (magnitude((4, 30.0, "highpass"), bands=[("shelf", 80.0, 9.0, 0.7071)]), True, -50.0),
    "mono": (np.ones(len(BINS_HZ)), True, -50.0),
}  # fmt: skip
HERE = (np.ones(len(BINS_HZ)), False, -50.0)


def shares(sounds: list[np.ndarray], system) -> np.ndarray:
    """Share of the N of all, from the sounds as they arrive, (frames, 2) each."""
    response, mono, noise_db = system
    gains = (response**2) @ TRIANGLES / TRIANGLES.sum(axis=0)
    there = []
    for sound in sounds:
        sides = [sound.mean(axis=1)] if mono else [sound[:, 0], sound[:, 1]]
        there.append(np.mean([powers(side) for side in sides], axis=0) * gains)
    level = np.sum(there, axis=0) @ A
    loud = np.percentile(level[level > 0.0], 95)
    noise = np.full(len(CENTRES), 10.0 ** (noise_db / 10.0) / A.sum())
    spread = [track / loud @ ROEX.T for track in there]
    total = np.sum(spread, axis=0) + noise @ ROEX.T
    found = []
    for sound, track, own in zip(sounds, there, spread, strict=True):
        here = np.mean([powers(sound[:, 0]), powers(sound[:, 1])], axis=0) @ A
        playing = here > np.percentile(here[here > 0.0], 95) * 10.0 ** (-ACTIVE_DB / 10.0)
        threshold = K * np.maximum(0.0, total - own) + 10.0 ** (FLOOR_DB / 10.0)
        heard = (A * track / loud) ** 0.3 * (1.0 - 1.0 / (1.0 + (own / threshold) ** 2))
        found.append(heard[playing].sum() / playing.sum())
    return np.array(found) / np.sum(found)


@pytest.fixture(scope="module")
def tune(short_folder):
    """A tune with faders and pans, one lane to a source."""
    look = look_at(short_folder)
    session = look.session
    for index, lane in enumerate(session.lanes):
        session = edits.change_strips(session, [lane.id], level_db=-2.0 * (index % 5), pan=(index % 3 - 1) * 0.6)
    alone = {unit.head.id for unit in translation(look).units if len(unit.lanes) == 1}
    rest = [lane.id for lane in session.lanes if lane.id not in alone]
    return measured_again(look, edits.change_strips(session, rest, mute=True)), short_folder


def test_the_figures_of_a_tune_are_those_worked_out_by_hand(tune):
    look, folder = tune
    found = translation(look)
    sounds = []
    for unit in found.units:
        lane = unit.head
        sound, rate = soundfile.read(folder / lane.file, always_2d=True)
        assert rate == RATE
        gain, angle = 10.0 ** (lane.level_db / 20.0), (lane.pan + 1.0) * np.pi / 4.0
        if sound.shape[1] == 1:  # constant power, -3 dB in the centre
            sides = np.column_stack((sound[:, 0] * np.cos(angle), sound[:, 0] * np.sin(angle)))
        else:  # balance: 0 dB in the centre
            sides = sound * np.minimum(1.0, np.sqrt(2.0) * np.array((np.cos(angle), np.sin(angle))))
        sounds.append(gain * sides)
    longest = max(len(sound) for sound in sounds)
    sounds = [np.pad(sound, ((0, longest - len(sound)), (0, 0))) for sound in sounds]
    here = shares(sounds, HERE)
    assert len(found.units) >= 5
    for key, system in SYSTEMS.items():
        by_hand = 10.0 * np.log2(shares(sounds, system) / here)
        for place, unit in enumerate(found.units):
            ours = found.of(unit.id, key)
            if by_hand[place] > -30.0:  # of what is gone nothing is left to compare
                assert ours == pytest.approx(by_hand[place], abs=0.3), (unit.name, key)
            else:
                assert ours < -25.0
