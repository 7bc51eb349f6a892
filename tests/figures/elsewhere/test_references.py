"""The mix beside finished ones: like with like, judged from five on, heard at one loudness, never copied."""

import numpy as np
import pyloudnorm
import pytest
import soundfile
from msgspec.structs import replace

from all_even.engine.render import render
from all_even.figures.elsewhere import hearing
from all_even.figures.elsewhere.references import Listed, Looped, beside, listed
from all_even.measure.level import zones
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.new import add_reference
from all_even.session.model.on_time_line import Loop
from tests.engine.sessions import Memory
from tests.figures.elsewhere.mixes import references
from tests.measure.sounds import both, pink
from tests.moves import check_sessions

RATE = 48_000


@pytest.fixture(scope="module")
def look(tmp_path_factory):
    return check_sessions.dark(tmp_path_factory.mktemp("dark"))


def with_references(look, paths):
    session = look.session
    for path in paths:
        session = add_reference(session, path)
    return look.at(session)


def test_under_five_references_nothing_is_judged(look, tmp_path):
    found = beside(with_references(look, references(tmp_path, 4)))
    assert len(found.references) == 4
    assert found.bands == (None,) * len(zones.NAMES)
    assert found.flags == ()


def test_from_five_on_what_lies_outside_is_told(look, tmp_path):
    found = beside(with_references(look, references(tmp_path, 6, tilt_db=-6.0)))
    assert len(found.references) == 6
    outside = dict(found.flags)
    assert outside
    for index, off in outside.items():
        band, level = found.bands[index], found.mix.zones_db[index]
        assert off == pytest.approx(level - (band.high_db if off > 0.0 else band.low_db))


def test_the_rough_mix_belongs_to_no_band(look, tmp_path):
    paths = references(tmp_path, 5)
    session = edits.use_reference(with_references(look, paths).session, 0, "rough mix")
    found = beside(look.at(session))
    assert len(found.references) == 4
    assert [item.listed.use for item in found.others].count("rough mix") == 1


def test_a_file_that_can_not_be_read_is_said_and_the_others_go_on(look, tmp_path):
    paths = references(tmp_path, 2)
    (tmp_path / "notes.wav").write_text("no sound")
    found = beside(with_references(look, [tmp_path / "notes.wav", *paths]))
    assert "notes.wav" in found.others[0].problem
    assert len(found.references) == 2
    paths[0].unlink()
    gone = beside(with_references(look, paths))
    assert [bool(item.problem) for item in gone.others] == [True, False]


def test_references_are_kept_with_the_session_by_their_place(look, tmp_path):
    paths = references(tmp_path / "", 1)
    session = with_references(look, [*paths, *paths]).session
    assert len(session.references) == 1
    path = tmp_path / "kept.alleven"
    store.save(session, path)
    again = store.load(path)
    assert again.references == session.references
    assert [item.path for item in listed(again)] == paths


def test_a_passage_repeats_without_a_step():
    time = np.arange(RATE) / RATE
    sound = Memory(np.tile((0.3 * np.sin(2 * np.pi * 50.0 * time))[:, None], 2))
    looped = Looped(sound, 0, RATE, RATE // 10, 10 * RATE)
    whole = looped.read(0, 4 * RATE)
    assert np.abs(np.diff(whole[:, 0])).max() < 0.01
    np.testing.assert_array_equal(looped.read(3 * RATE, 100), whole[3 * RATE : 3 * RATE + 100])


def loudness_of(plan, gain_db, start_s, end_s):
    """Of what is heard, by a reference library: pyloudnorm, ITU-R BS.1770-4."""
    sound = np.concatenate(list(render(plan, round(start_s * RATE), round(end_s * RATE)))) * 10.0 ** (gain_db / 20.0)
    return pyloudnorm.Meter(RATE).integrated_loudness(sound)


def test_versions_and_references_are_equally_loud_within_a_tenth(look, tmp_path):
    looped = look.at(replace(look.session, loop=Loop(start_s=2.0, end_s=8.0, active=True)))
    softer = edits.nudge_levels(looped.session, [lane.id for lane in look.session.lanes], -7.0)
    paths = references(tmp_path, 1)
    item = Listed("Finished", paths[0], "reference")
    found = hearing.equally_loud(looped, [looped.session, softer, item])
    loud = [loudness_of(plan, gain_db, 2.0, 8.0) for plan, gain_db in found]
    assert max(gain_db for _, gain_db in found) == 0.0  # the louder ones are lowered
    assert loud[0] == pytest.approx(loud[1], abs=0.1)
    assert loud[0] == pytest.approx(loud[2], abs=0.5)  # of another stretch of the reference than its whole passage


def test_a_reference_in_place_of_the_mix_is_as_loud_and_never_raised_by_much(look, tmp_path):
    loud = Listed("Loud", references(tmp_path, 1)[0], "reference")
    _, gain_db = hearing.reference(look, loud)
    own = hearing.mix_lufs(look)
    found = beside(with_references(look, [loud.path])).others[0].passage
    peak_dbtp = found.integrated_lufs + found.peak_to_loudness_db
    assert gain_db == pytest.approx(hearing.raised(own - found.integrated_lufs, peak_dbtp), abs=0.01)
    assert peak_dbtp + gain_db <= hearing.HIGHEST_PEAK_DBFS + 0.01
    soft_path = tmp_path / "soft.wav"
    soundfile.write(soft_path, both(0.02 * pink(22.0)), RATE)
    _, raised = hearing.reference(look, Listed("Soft", soft_path, "reference"))
    assert raised == pytest.approx(hearing.MOST_RAISED_DB)


def test_a_boost_of_the_lows_is_played_no_louder(look):
    from all_even.figures.elsewhere.translation import translation
    from all_even.measure.sharing import translation as measure

    for key in ("club", "car", "phone"):
        plan, gain_db = hearing.on_system(look, key)
        assert gain_db == pytest.approx(hearing.raised(translation(look).matched_db(key), look.mix.sample_peak_dbfs))
        assert plan.strips[-1].stations
    assert measure.VANISHES == -10.0
