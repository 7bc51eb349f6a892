"""Automation that is drawn plays sample for sample; mutes over time; lines over their backing; sections as heard."""

import numpy as np
import pytest
import soundfile

from all_even.engine import automation
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.engine.sources import Sources
from all_even.figures.rides import rides
from all_even.figures.rides.sections_heard import heard_sections
from all_even.session.editing import curves, edits, ride_edits
from all_even.session.model.on_time_line import SectionMark
from all_even.session.song import song_map
from tests.moves import rides_sessions
from tests.moves.looks import look_at

RATE = 48_000


@pytest.fixture(scope="module")
def steady(tmp_path_factory):
    """One mono file of full scale, two seconds."""
    folder = tmp_path_factory.mktemp("steady")
    soundfile.write(folder / "Voice.wav", np.full(2 * RATE, 0.5), RATE, subtype="FLOAT")
    return look_at(folder)


def mix_of(session) -> np.ndarray:
    sources = Sources()
    sources.update(session)
    return np.concatenate(list(render(make_plan(session, sources))))[:, 0]


def test_a_curve_that_was_drawn_plays_sample_for_sample(steady):
    lane = steady.session.lanes[0].id
    drawn = [(0.0, -6.0), (0.35, -6.0), (0.5, 3.0), (0.9, 3.0), (0.9, -12.0), (1.6, 0.0)]
    made = ride_edits.set_curve(steady.session, lane, "level_db", drawn)
    times = np.arange(2 * RATE) / RATE
    expected = 0.5 * np.sqrt(0.5) * 10.0 ** (curves.values_at(drawn, times) / 20.0)
    assert mix_of(made)[: 2 * RATE] == pytest.approx(expected, abs=2e-6)


def test_a_mute_over_time_is_silent_inside_untouched_outside_and_does_not_click(steady):
    lane = steady.session.lanes[0].id
    plain = mix_of(steady.session)
    muted = mix_of(ride_edits.toggle_mute(steady.session, lane, 0.5, 1.0))
    fade = round(automation.MUTE_S * RATE)
    first, last = round(0.5 * RATE), RATE
    assert (muted[:first] == plain[:first]).all()
    assert (muted[first + fade : last] == 0.0).all()
    assert (muted[last + fade : 2 * RATE] == plain[last + fade : 2 * RATE]).all()
    assert np.abs(np.diff(muted)).max() < 0.1


def test_a_fader_that_is_off_lets_no_ride_through(steady):
    lane = steady.session.lanes[0].id
    ridden = ride_edits.add_ride(steady.session, lane, "level_db", [(0.0, 0.0), (1.0, 3.0)])
    assert not mix_of(edits.change_strips(ridden, [lane], level_db=-120.0)).any()
    muted = ride_edits.toggle_mute(steady.session, lane, 0.5, 1.0)
    assert not mix_of(edits.change_strips(muted, [lane], level_db=-120.0)).any()


@pytest.fixture(scope="module")
def song(tmp_path_factory):
    look = look_at(rides_sessions.song(tmp_path_factory.mktemp("rides") / "song"))
    return look.at(rides_sessions.told(look.session))


def test_levels_are_those_of_the_sources_and_add_up_to_the_backing(song):
    found = rides.levels(song)
    place = found.place(song.session.lanes[0].id)
    assert found.backing(place) + found.power[place] == pytest.approx(found.power.sum(axis=0), rel=1e-4)
    softer = edits.change_strips(song.session, [song.session.lanes[0].id], level_db=-6.0)
    now = rides.levels(song.at(softer)).power[place]
    sounding = found.power[place] > found.power[place].max() * 1e-4
    assert 10.0 * np.log10(now[sounding] / found.power[place][sounding]) == pytest.approx(-6.0, abs=0.01)


def test_words_stay_the_same_whatever_rides_them(song):
    lane = next(lane.id for lane in song.session.lanes if lane.role == "lead voice")
    before = rides.riding_of(song, lane)
    for parameter in ("level_db", "clip_gain_db"):
        after = rides.riding_of(
            song.at(ride_edits.add_ride(song.session, lane, parameter, [(3.0, 0.0), (4.0, 5.0)])), lane
        )
        assert after.words.starts_s == pytest.approx(before.words.starts_s)
        moved = after.relation_db - before.relation_db
        late = before.words.starts_s > 4.5
        assert moved[late] == pytest.approx(5.0, abs=0.05)
        assert moved[before.words.ends_s < 2.5] == pytest.approx(0.0, abs=0.01)


def test_a_drum_and_a_bass_have_no_words(song):
    for role in ("kick", "snare top", "bass"):
        lane = next(lane.id for lane in song.session.lanes if lane.role == role)
        assert rides.riding_of(song, lane) is None


def test_sections_are_heard_as_the_mix_of_each_is(song):
    heard = heard_sections(song)
    assert [item.section.letter for item in heard] == ["Verse", "Chorus", "End"]
    sound = song.book.sound(song.session, "mix")
    part = np.array(sound.read(round(heard[1].section.start_s * RATE),
                               round((heard[1].section.end_s - heard[1].section.start_s) * RATE)))  # fmt: skip
    pyloudnorm = pytest.importorskip("pyloudnorm")  # an independent BS.1770 meter
    assert heard[1].lufs == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(part.astype(float)), abs=0.3)
    assert heard[1].playing > heard[2].playing
    assert heard[1].width_db is None  # everything in the centre has no side


def test_a_song_without_sections_is_one(song):
    plain = song_map.set_song(song.session, sections=(SectionMark(start_s=0.0, name="All"),))
    assert [item.section.letter for item in heard_sections(song.at(plain))] == ["All"]
