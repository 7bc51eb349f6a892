"""Convolution against a reference library; rooms by textbook acoustics; what a widener does."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.signal import fftconvolve

from all_even.dsp.processor import Single
from all_even.dsp.space.convolution import Convolution, LoadedResponse, four_paths, with_loaded
from all_even.dsp.space.room import Room, response
from all_even.dsp.space.widener import Widener
from all_even.measure.space import mono
from all_even.measure.space import response as figures

RATE = 48_000


def noise(frames: int, channels: int, seed: int = 0) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal((frames, channels))


def falling(frames: int, channels: int, seed: int = 0) -> np.ndarray:
    return noise(frames, channels, seed) * 10.0 ** (-3.0 * np.arange(frames) / frames)[:, np.newaxis]


def convolved(sound: np.ndarray, paths: np.ndarray) -> np.ndarray:
    """By SciPy."""
    left = fftconvolve(sound[:, 0], paths[0]) + fftconvolve(sound[:, 1], paths[2])
    right = fftconvolve(sound[:, 0], paths[1]) + fftconvolve(sound[:, 1], paths[3])
    return np.stack((left, right), axis=1)[: len(sound)]


@pytest.mark.parametrize("channels", [1, 2, 4])
@pytest.mark.parametrize("taps", [100, 256, 3000, 20_000])
def test_it_is_the_convolution_of_a_reference_library_in_blocks_of_any_size(channels, taps):
    """scipy.signal.fftconvolve; from the first sample on, since nothing is late."""
    recorded = LoadedResponse("r", falling(taps, channels), f"{channels} {taps}")
    station = Convolution(response="r", length_s=taps / RATE if taps >= 2400 else 0.05)
    sound = noise(14_000, 2, 1)
    run = Single(station, RATE, coefficients=with_loaded(station, recorded, RATE))
    cuts = np.cumsum(np.random.default_rng(taps).integers(1, 900, 60))
    heard = np.concatenate([run(part) for part in np.split(sound, cuts[cuts < len(sound)])])
    np.testing.assert_allclose(heard, convolved(sound, four_paths(recorded.samples)), atol=1e-10)


@pytest.mark.parametrize("taps", [3000, 20_000])
def test_it_is_the_same_where_whole_partitions_come_at_once_and_short_blocks_after_them(taps):
    """scipy.signal.fftconvolve; a render's blocks, a player's, and again a render's, and back to a kept state."""
    recorded = LoadedResponse("r", falling(taps, 4), f"at once {taps}")
    station = Convolution(response="r", length_s=taps / RATE)
    sound = noise(60_000, 2, 1)
    wanted = convolved(sound, four_paths(recorded.samples))
    run = Single(station, RATE, coefficients=with_loaded(station, recorded, RATE))
    cuts = (8192, 8200, 8492, 17_000, 20_480, 36_864, 37_000, 37_001, 45_056)
    heard = np.concatenate([run(part) for part in np.split(sound, cuts)])
    np.testing.assert_allclose(heard, wanted, atol=1e-10)

    again = Single(station, RATE, coefficients=with_loaded(station, recorded, RATE))
    again(sound[:24_576])
    kept = again.state.copy()
    again(sound[24_576:29_000])
    again.state[:], again.position = kept, 24_576
    np.testing.assert_allclose(again(sound[24_576:30_000]), wanted[24_576:30_000], atol=1e-10)


def test_one_channel_is_heard_from_both_sides_and_two_keep_their_sides():
    one = four_paths(np.ones((3, 1)))
    np.testing.assert_array_equal(one[:, 0], (1.0, 0.0, 0.0, 1.0))
    both = four_paths(np.array([[1.0, 0.5]]))
    np.testing.assert_allclose(convolved(np.ones((1, 2)), both), [[1.0, 0.5]])  # a sound in the middle: the recording


def test_predelay_level_and_mix():
    click = np.zeros((9600, 2))
    click[0] = 1.0
    recorded = LoadedResponse("r", np.ones((1, 1)), "a click")
    station = Convolution(response="r", predelay_ms=100.0, level_db=-6.0206, mix_percent=50.0)
    heard = Single(station, RATE, coefficients=with_loaded(station, recorded, RATE))(click)
    assert heard[0, 0] == pytest.approx(0.5)
    assert heard[4800, 0] == pytest.approx(0.25, abs=1e-4)


def test_a_longer_recording_fades_out_at_the_length_that_is_set():
    recorded = LoadedResponse("r", np.ones((RATE, 1)), "a second of ones")
    station = Convolution(response="r", length_s=0.1)
    click = np.zeros((RATE // 2, 2))
    click[0] = 1.0
    heard = Single(station, RATE, coefficients=with_loaded(station, recorded, RATE))(click)[:, 0]
    assert heard[2000] == pytest.approx(1.0)
    assert abs(heard[4799]) < 1e-3
    assert np.abs(heard[4800:]).max() < 1e-12


def test_without_a_response_only_the_dry_part_is_heard():
    sound = noise(600, 2)
    np.testing.assert_allclose(Single(Convolution(mix_percent=40.0), RATE)(sound), 0.6 * sound)


# Rooms.


def test_a_room_falls_in_its_time_in_every_octave():
    """Of a diffuse tail of noise; Schroeder integration (JASA 37, 1965), the mean of four paths."""
    room = Room(decay_s=1.2)
    found = figures.decay_by_octave(response(room, RATE).T, RATE)
    assert len(found) == 8
    for hz, decay in found.items():
        assert decay.decay_s == pytest.approx(float(room.decay_at(hz)), rel=0.1), hz


def test_the_first_reflection_comes_from_the_floor_when_it_must():
    """Image sources (Allen and Berkley, JASA 65, 1979), by hand: pair at 1.8 m, player at 1.2 m, a = 3 m apart on the
    floor. The way over the floor is sqrt(a^2 + (1.8 + 1.2)^2)."""
    room = Room(distance_m=3.0, width_m=40.0, length_m=60.0, height_m=20.0)
    left = response(room, RATE)[0]
    direct = np.hypot(3.0, 0.6)
    late_s = (np.hypot(3.0, 3.0) - direct) / 343.0
    first = np.flatnonzero(np.abs(left) > 1e-3)[0]
    assert first / RATE == pytest.approx(late_s, abs=3e-4)


def test_a_row_further_back_has_more_room_and_the_same_tail():
    near, far = (response(Room(distance_m=metres), RATE) for metres in (2.0, 8.0))
    energy = [float((sound**2).sum()) for sound in (near, far)]
    assert 10.0 * np.log10(energy[1] / energy[0]) > 8.0
    tails = [sound[:, RATE // 10 :] for sound in (near, far)]
    scale = float((tails[0] * tails[1]).sum() / (tails[0] ** 2).sum())
    np.testing.assert_allclose(tails[1], scale * tails[0], atol=1e-9)


def test_the_tail_is_as_strong_as_a_diffuse_field():
    """16 pi / A against 1 / r^2 (Sabine; textbooks of room acoustics, from memory), a third of it for cardioids."""
    room = Room(distance_m=4.0, decay_s=1.0, width_m=10.0, length_m=15.0, height_m=6.0, high_ratio=1.0)
    sound = response(room, RATE)
    start = round(room.mixing_s() * RATE)
    absorbing = 0.161 * 10.0 * 15.0 * 6.0 / 1.0
    whole = 16.0 * np.pi / absorbing / 3.0 * (4.0**2 + 0.6**2)
    left_over = np.exp(-6.0 * np.log(10.0) * room.mixing_s() / room.decay_s)
    for path in sound:
        assert 10.0 * np.log10((path[start:] ** 2).sum() / (whole * left_over)) == pytest.approx(0.0, abs=1.0)


def test_who_sits_on_the_left_is_heard_more_on_the_left():
    sound = response(Room(distance_m=3.0, decay_s=0.4), RATE)
    early = (sound[:, : round(0.03 * RATE)] ** 2).sum(axis=1)
    assert early[0] > early[1]
    assert early[3] > early[2]


# Width.


def test_a_widener_delays_one_side():
    click = np.zeros((2400, 2))
    click[0] = 1.0
    heard = Single(Widener(late_ms=20.0, late_db=-6.0206), RATE)(click)
    assert heard[0].tolist() == [1.0, 0.0]
    assert heard[960, 1] == pytest.approx(0.5, abs=1e-4)
    swapped = Single(Widener(late_ms=20.0, late_db=-6.0206, side="left"), RATE)(click)
    np.testing.assert_array_equal(swapped, heard[:, ::-1])


@pytest.mark.parametrize(("late_ms", "late_db"), [(10.0, 0.0), (15.0, 0.0), (10.0, -6.0), (20.0, -6.0)])
def test_what_a_widener_loses_in_mono_is_its_comb(late_ms, late_db):
    """Of white noise, in closed form: the mean over a band of |1 + g exp(-jwt)|^2 / (1 + g^2)."""
    sound = np.repeat(noise(20 * RATE, 1, 5), 2, axis=1)
    told = mono.deviation_db(Single(Widener(late_ms=late_ms, late_db=late_db), RATE)(sound), RATE)
    gain, late_s = 10.0 ** (late_db / 20.0), late_ms / 1000.0
    for centre_hz, loss_db in zip(mono.CENTRES_HZ, told, strict=True):
        hz = np.linspace(centre_hz * 10.0**-0.05, centre_hz * 10.0**0.05, 2000)
        comb = np.mean(1.0 + gain**2 + 2.0 * gain * np.cos(2.0 * np.pi * hz * late_s)) / (1.0 + gain**2)
        assert loss_db == pytest.approx(10.0 * np.log10(comb), abs=0.7), centre_hz


def test_a_sound_of_one_channel_has_no_side_to_delay():
    sound = noise(500, 1)
    np.testing.assert_array_equal(Single(replace(Widener(), late_ms=5.0), RATE)(sound), sound)
