"""The offline mix against sums made independently with NumPy."""

import math

import numpy as np
import pytest
import soundfile

from all_even.decibels import gain
from all_even.dsp import pan
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.engine.sources import Sources
from all_even.figures.arriving import arrival
from all_even.measure.recording.files import measure_file
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from tests.conftest import RATE, noise, sine
from tests.measuring import measure_mix


@pytest.fixture
def small(write, tmp_path, home):
    """A mono and a stereo lane and one that starts later, opened."""
    write("mix/a.wav", noise(0.5, 1))
    write("mix/b.wav", np.stack([noise(0.4, 2), noise(0.4, 3)], axis=1))
    write("mix/c.wav", sine(300.0, 0.3, -12.0))
    infos, _ = inspect_all(sound_paths(tmp_path / "mix"))
    session = new_session(tmp_path / "mix", infos)
    sources = Sources()
    sources.update(session)
    return session, sources


def mixed(session, sources, **options) -> np.ndarray:
    return np.concatenate(list(render(make_plan(session, sources), **options)))


@pytest.mark.parametrize(
    ("law", "left", "right"),
    [("-3 dB", math.sqrt(0.5), math.sqrt(0.5)), ("-6 dB", 0.5, 0.5), ("-4.5 dB", 0.5946, 0.5946)],
)
def test_pan_laws_in_the_centre(law, left, right):
    assert pan.mono_gains(0.0, law) == pytest.approx((left, right), abs=1e-4)
    assert pan.mono_gains(-1.0, law) == pytest.approx((1.0, 0.0), abs=1e-9)
    assert pan.stereo_gains(0.0, law) == pytest.approx((1.0, 1.0))
    assert pan.stereo_gains(1.0, law) == pytest.approx((0.0, 1.0), abs=1e-9)


def test_constant_power_holds_across_the_whole_rail():
    powers = [sum(g * g for g in pan.mono_gains(place)) for place in np.linspace(-1, 1, 41)]
    np.testing.assert_allclose(powers, 1.0, atol=1e-12)


def test_the_mix_is_the_sum_of_lanes_with_their_gains(small):
    session, sources = small
    a, b, c = (lane.id for lane in session.lanes)
    session = edits.change_strips(session, [a], level_db=-6.0, pan=-0.5)
    session = edits.change_strips(session, [b], pan=0.4, polarity_inverted=True)
    session = edits.change_strips(session, [c], start_s=0.35)
    session = edits.set_trim(session, -2.0)
    opened = sources.frames(session)
    mono, both, late = (opened[i].read(0, opened[i].frames).astype(float) for i in (a, b, c))
    expected = np.zeros((round(0.65 * RATE), 2))
    expected[: len(mono)] += gain(-6.0) * mono @ np.array([[math.cos(math.pi / 8), math.sin(math.pi / 8)]])
    expected[: len(both)] -= both * [math.cos(0.7 * math.pi * 2 / 4) / math.sqrt(0.5), 1.0]
    expected[round(0.35 * RATE) :] += late * math.sqrt(0.5)
    np.testing.assert_allclose(mixed(session, sources), expected * gain(-2.0), atol=1e-9)


def test_block_length_does_not_matter(small):
    session, sources = small
    whole = mixed(session, sources)
    for length in (1, 37, 512, 100_000):
        part = mixed(session, sources, block_frames=length) if length > 1 else whole
        np.testing.assert_allclose(part, whole, atol=1e-12)


def test_a_render_from_the_middle_equals_the_full_render(small):
    session, sources = small
    np.testing.assert_array_equal(mixed(session, sources, start_frame=7001), mixed(session, sources)[7001:])


def test_muted_unsoloed_and_off_lanes_are_not_heard(small):
    session, sources = small
    a, b, c = (lane.id for lane in session.lanes)
    only_c = mixed(edits.change_strips(session, [c], solo=True), sources)
    session = edits.change_strips(edits.change_strips(session, [a], mute=True), [b], level_db=-120.0)
    np.testing.assert_array_equal(mixed(session, sources), only_c)


def test_inverted_copies_cancel(small):
    session, sources = small
    lane = session.lanes[0]
    twin = edits.add_lanes(session, [type(lane)(id="twin", name="Twin", file=lane.file, polarity_inverted=True)])
    sources.update(twin)
    twin = edits.change_strips(twin, [item.id for item in twin.lanes if item.id not in (lane.id, "twin")], mute=True)
    assert np.abs(mixed(twin, sources)).max() == 0.0


def test_a_file_that_goes_missing_leaves_the_others(small, tmp_path):
    session, _ = small
    (tmp_path / "mix" / "b.wav").unlink()
    sources = Sources()
    sources.update(session)
    problems = sources.problems(session)
    assert list(problems) == [session.lanes[1].id]
    assert problems[session.lanes[1].id].startswith("b.wav is not there any more: ")
    assert len(make_plan(session, sources).lane_ids) == 2


def test_arrival_predicts_what_a_lane_alone_measures_in_the_mix(write, tmp_path, home):
    write("two/a.wav", noise(4.0, 1))
    write("two/b.wav", np.stack([noise(4.0, 2), 0.3 * noise(4.0, 3)], axis=1))
    infos, _ = inspect_all(sound_paths(tmp_path / "two"))
    session, sources = new_session(tmp_path / "two", infos), Sources()
    sources.update(session)
    for lane in session.lanes[:2]:
        alone = edits.change_strips(session, [lane.id], solo=True, level_db=-4.0, pan=0.3)
        alone = edits.set_trim(alone, 1.5)
        predicted = arrival.arrival(
            alone, alone.lane(lane.id), measure_file(store.lane_path(alone, lane)).measures
        ).integrated_lufs
        measured = measure_mix(make_plan(alone, sources)).integrated_lufs
        assert predicted == pytest.approx(measured, abs=0.05)


def test_the_mix_of_the_demo_is_the_numpy_sum_of_its_files(brief_demo, home):
    """Defaults: faders 0 dB, centre, mono at -3 dB, stereo at 0 dB; all files of the session's rate."""
    infos, _ = inspect_all(sound_paths(brief_demo))
    session = new_session(brief_demo, infos)
    session = edits.change_strips(session, [lane.id for lane in session.lanes if lane.file == "MANDO.wav"], mute=True)
    sources = Sources()
    sources.update(session)
    frames = 10 * RATE
    rendered = mixed(session, sources, start_frame=0, end_frame=frames)
    expected = np.zeros((frames, 2))
    for path in sound_paths(brief_demo):
        if path.name != "MANDO.wav":
            samples = soundfile.read(path, always_2d=True)[0][:frames]
            expected += samples if samples.shape[1] == 2 else samples * math.sqrt(0.5)
    np.testing.assert_allclose(rendered, expected, atol=2.0**-24)
