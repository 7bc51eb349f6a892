"""The figures of the whole, on sounds whose relations are known, and their filterbank against published bandwidths."""

import numpy as np
import pytest
from scipy import signal

from all_even.measure.sharing import hearing
from all_even.measure.whole import gammatone, standing, witness
from tests.measure.sounds import RATE, kick, placed, snare

RNG_SEED = 5


def noise(seconds: float, level: float = 0.1, seed: int = RNG_SEED) -> np.ndarray:
    return level * np.random.default_rng(seed).standard_normal(round(seconds * RATE))


def powers(sound: np.ndarray) -> np.ndarray:
    return gammatone.power_of(sound[:, np.newaxis], RATE)


def test_each_filter_is_as_wide_as_the_ear_s():
    """Equivalent rectangular bandwidths of B. R. Glasberg and B. C. J. Moore, Hear. Res. 47 (1990), table values
    (from memory): 132.6 Hz at 1 kHz, 456 Hz at 4 kHz."""
    frequencies = np.arange(0.0, 24_000.0, 1.0)
    response = gammatone.response(frequencies)
    widths = response.sum(axis=1)  # at most 1, a hertz apart
    for hz, width in ((1000.0, 132.6), (4000.0, 456.5)):
        assert np.interp(hz, gammatone.centres_hz(), widths) == pytest.approx(width, rel=0.02)


@pytest.mark.parametrize("hz", [250.0, 1000.0, 4000.0])
def test_each_filter_is_that_of_scipy(hz):
    """SciPy's gammatone of fourth order, itself after Slaney (1993), within one bandwidth to each side."""
    index = int(np.argmin(np.abs(gammatone.centres_hz() - hz)))
    centre = float(gammatone.centres_hz()[index])
    taps, _ = signal.gammatone(centre, "fir", fs=RATE, numtaps=1 << 14)
    near = centre + np.linspace(-1.0, 1.0, 21) * 24.7 * (4.37 * centre / 1000.0 + 1.0)
    _, found = signal.freqz(taps, 1.0, near, fs=RATE)
    theirs = 20.0 * np.log10(np.abs(found) / np.abs(found).max())
    ours = 10.0 * np.log10(gammatone.response(near)[index])
    assert np.abs(theirs - ours).max() < 1.0


def test_a_line_stands_as_far_over_the_rest_as_it_is_louder():
    rest = powers(noise(6.0))
    for db in (-6.0, 0.0, 6.0):
        line = powers(noise(6.0, 0.1 * 10.0 ** (db / 20.0), seed=9))
        assert standing.line_over_rest_db(line, rest, RATE, standing.LEAD_HZ) == pytest.approx(db, abs=0.3)


def test_phrases_are_what_lies_between_pauses_and_their_spread_is_that_of_their_levels():
    line = np.zeros(12 * RATE)
    levels = (0.1, 0.05, 0.1, 0.05, 0.1, 0.05)
    for index, level in enumerate(levels):
        at = round(2.0 * index * RATE)
        line[at : at + RATE] = noise(1.0, level, seed=index)
    own, rest = powers(line), powers(noise(12.0, 0.05, seed=30))
    found = standing.phrases(standing.in_band(own, standing.LEAD_HZ), RATE)
    assert len(found) == len(levels)
    assert standing.spread_over_phrases_db(own, rest, RATE, standing.LEAD_HZ) == pytest.approx(6.0, abs=0.6)


def test_hits_are_read_from_where_they_begin_on():
    times = [0.5 + 0.5 * i for i in range(10)]
    own, rest = powers(placed(kick(), times, 6.0)), powers(placed(0.1 * snare(), [t + 0.25 for t in times], 6.0))
    on_them = standing.hits_over_rest_db(own, rest, RATE, standing.KICK_LOW_HZ, times, 0.1)
    between = standing.hits_over_rest_db(own, rest, RATE, standing.KICK_LOW_HZ, [t + 0.25 for t in times], 0.1)
    assert on_them > 30.0
    assert between < on_them - 15.0
    assert standing.hits_over_rest_db(own, rest, RATE, standing.KICK_LOW_HZ, times[:3], 0.1) is None


def test_a_bass_is_as_uneven_as_its_notes():
    time = np.arange(round(0.45 * RATE)) / RATE
    note = np.sin(2 * np.pi * 70.0 * time) * np.minimum(1.0, (0.45 - time) / 0.02)
    even = placed(note, np.arange(0.0, 10.0, 0.5), 10.5)
    uneven = placed(note, np.arange(0.0, 10.0, 0.5), 10.5, levels=[1.0, 0.4] * 10)
    flat, rough = (standing.spread_of_notes_db(powers(sound), RATE) for sound in (even, uneven))
    assert rough - flat == pytest.approx(8.0, abs=2.5)


def test_the_witness_sees_nothing_masked_alone_and_all_under_what_is_far_louder():
    one, other = powers(noise(3.0, 0.1)), powers(noise(3.0, 0.1, seed=8))
    assert witness.masked([one], None, RATE)[0] == pytest.approx(0.0, abs=1e-6)
    shares = [witness.masked([one, other * 10.0 ** (db / 10.0)], None, RATE)[0] for db in (-20.0, 0.0, 20.0, 40.0)]
    assert shares == sorted(shares)
    assert shares[-1] > 0.97


def test_the_witness_is_its_formula():
    """Written down once more in double precision, frame by frame."""
    time = np.arange(2 * RATE) / RATE
    sounds = [noise(2.0, 0.1), 0.2 * np.sin(2 * np.pi * 300.0 * time) * (time < 1.0), np.zeros(2 * RATE)]
    parts, room = [powers(sound) for sound in sounds], powers(noise(2.0, 0.02, seed=9))
    weight = hearing.a_weighting(gammatone.centres_hz())
    weighted = [part.astype(np.float64) * weight for part in (*parts, room)]
    total = sum(weighted)
    quiet = np.percentile(total.sum(axis=1), 95) * 1e-7
    fall = 10.0 ** (-30.0 * gammatone.hop_frames(RATE) / RATE)
    for own, told in zip(weighted, witness.masked(parts, room, RATE), strict=False):
        others = np.maximum(total - own, 0.0)
        masker = others.copy()
        for t in range(1, len(others)):
            for back in range(1, min(4, t) + 1):
                masker[t] = np.maximum(masker[t], others[t - back] * fall**back)
        alone = ((own + quiet) ** 0.2 - quiet**0.2).sum()
        among = ((own + masker + quiet) ** 0.2 - (masker + quiet) ** 0.2).sum()
        if own.any():
            assert told == pytest.approx(1.0 - among / alone, abs=1e-5)
        else:
            assert np.isnan(told)


def test_the_witness_does_not_answer_to_the_level_of_the_whole():
    parts = [powers(noise(3.0, 0.1)), powers(noise(3.0, 0.05, seed=8))]
    assert witness.masked([8.0 * part for part in parts], None, RATE) == pytest.approx(
        witness.masked(parts, None, RATE), abs=1e-4
    )


def test_what_lies_far_apart_in_frequency_is_not_masked_and_a_room_masks():
    time = np.arange(3 * RATE) / RATE
    low, high = powers(0.1 * np.sin(2 * np.pi * 200.0 * time)), powers(0.1 * np.sin(2 * np.pi * 4000.0 * time))
    apart = witness.masked([low, high], None, RATE)
    beside = witness.masked([low, powers(0.1 * np.sin(2 * np.pi * 215.0 * time))], None, RATE)
    assert apart[0] < 0.25 < 0.5 < beside[0]
    assert witness.masked([low, high], low, RATE)[0] > apart[0] + 0.3


def test_what_was_loud_a_moment_ago_still_masks():
    loud, soft = np.zeros(2 * RATE), np.zeros(2 * RATE)
    loud[: RATE // 2] = noise(0.5, 0.3)
    at = RATE // 2 + round(0.03 * RATE)
    soft[at : at + RATE // 20] = noise(0.05, 0.003, seed=4)
    later = np.roll(soft, RATE)
    just_behind, long_after = (witness.masked([powers(part), powers(loud)], None, RATE)[0] for part in (soft, later))
    assert just_behind > long_after + 0.1


def test_nothing_sounds_is_unknown():
    silence = np.zeros((10, len(gammatone.centres_hz())), np.float32)
    assert np.isnan(witness.masked([silence], None, RATE)).all()
    assert standing.line_over_rest_db(silence, silence, RATE, standing.LEAD_HZ) is None
    assert standing.spread_of_notes_db(silence, RATE) is None
