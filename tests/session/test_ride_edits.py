"""Automation of any setting: what can be chosen, what each edit leaves, and faders that take their rides along."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.decibels import OFF_DB
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.measure.time.sections import Section
from all_even.session.editing import chain_edits, edits, ride_edits, routing_edits, space_edits
from all_even.session.file import describe, store
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, Lane
from all_even.session.song import section_names


@pytest.fixture
def session() -> Session:
    lanes = tuple(
        Lane(id=name, name=name.capitalize(), file=f"{name}.wav", level_db=-6.0) for name in ("voice", "piano")
    )
    made = Session(name="Song", sample_rate=48_000, lanes=lanes, folders=(Folder(path="/none"),))
    made = chain_edits.add_station(made, "voice", Compressor())
    made = chain_edits.add_station(made, "voice", Equaliser(bands=(Band(), Band(gain_db=2.0))))
    return space_edits.add_return(made, "Hall", (STARTS["hall"],), ["voice"])[0]


def test_everything_that_can_be_automated_is_told_by_name(session):
    found = dict(ride_edits.choices(session, "voice"))
    assert {"level", "pan", "mute", "clip gain", "send to Hall", "1. Compressor, threshold"} <= set(found.values())
    assert "2. Equaliser, band 2 gain" in found.values()
    for strip_id in ("voice", session.buses[0].id):
        for parameter, words in ride_edits.choices(session, strip_id):
            rest = ride_edits.rest_of(session, strip_id, parameter)
            made = ride_edits.set_curve(session, strip_id, parameter, [(0.0, rest), (1.0, rest)])
            assert ride_edits.value_at(made, strip_id, parameter, 0.5) == pytest.approx(rest), words
    assert ride_edits.choices(session, MIX) == []
    with pytest.raises(KeyError):
        ride_edits.rest_of(session, "voice", "s99.gain_db")


def test_a_fader_takes_its_ride_along_and_says_so_once(session):
    ridden = ride_edits.add_ride(session, "voice", "level_db", [(0.0, 0.0), (2.0, 3.0)])
    assert ride_edits.curve_of(ridden, "voice", "level_db") == [(0.0, -6.0), (2.0, -3.0)]
    softer = edits.change_strips(ridden, ["voice"], level_db=-10.0)
    assert ride_edits.curve_of(softer, "voice", "level_db") == [(0.0, -10.0), (2.0, -7.0)]
    assert describe.sentence(ridden, softer) == "Voice: level −6.0 dB → −10.0 dB"
    assert edits.change_strips(softer, ["voice"], level_db=-6.0) == ridden
    # Off and up again: the ride is still there.
    off = edits.change_strips(ridden, ["voice"], level_db=OFF_DB)
    assert ride_edits.curve_of(edits.change_strips(off, ["voice"], level_db=-6.0), "voice", "level_db") == \
        ride_edits.curve_of(ridden, "voice", "level_db")  # fmt: skip


def test_pan_and_sends_go_along_as_well(session):
    hall = session.buses[0].id
    moved = ride_edits.set_curve(session, "voice", "pan", [(0.0, -0.2), (1.0, 0.2)])
    moved = edits.change_strips(moved, ["voice"], pan=0.5)
    assert ride_edits.curve_of(moved, "voice", "pan") == [(0.0, 0.3), (1.0, 0.7)]
    sent = ride_edits.set_curve(session, "voice", f"send:{hall}", [(0.0, -12.0), (1.0, -6.0)])
    sent = routing_edits.set_send(sent, ["voice"], hall, level_db=3.0)
    assert ride_edits.curve_of(sent, "voice", f"send:{hall}") == [(0.0, -9.0), (1.0, -3.0)]
    # One that is only opened for words stays as it is.
    thrown = routing_edits.set_send(session, ["voice"], hall, level_db=OFF_DB)
    thrown = ride_edits.set_curve(thrown, "voice", f"send:{hall}", [(0.0, OFF_DB), (1.0, 0.0)])
    thrown = routing_edits.set_send(thrown, ["voice"], hall, level_db=-6.0)
    assert ride_edits.curve_of(thrown, "voice", f"send:{hall}") == [(0.0, OFF_DB), (1.0, 0.0)]


def test_a_passage_is_trimmed_copied_thinned_and_smoothed_in_its_range(session):
    made = ride_edits.trim_passage(session, "voice", "level_db", 2.0, 4.0, 2.0)
    assert ride_edits.value_at(made, "voice", "level_db", 3.0) == -4.0
    made = ride_edits.copy_passage(made, "voice", "level_db", (2.0, 4.0), [(8.0, 10.0)])
    assert ride_edits.value_at(made, "voice", "level_db", 9.0) == -4.0
    assert (
        ride_edits.trim_passage(made, "voice", "level_db", 2.0, 4.0, 99.0).lane("voice").automation[0].points[2].value
        == 12.0
    )
    many = ride_edits.set_curve(made, "voice", "level_db", [(0.01 * i, -6.0 + 0.001 * i) for i in range(900)])
    assert len(ride_edits.curve_of(ride_edits.thin(many, "voice", "level_db"), "voice", "level_db")) == 2
    part = ride_edits.thin(many, "voice", "level_db", (1.0, 3.0))
    assert 690 < len(ride_edits.curve_of(part, "voice", "level_db")) < 710
    smooth = ride_edits.smooth(many, "voice", "level_db", (1.0, 3.0), 0.5)
    assert ride_edits.value_at(smooth, "voice", "level_db", 2.0) == pytest.approx(-5.8, abs=0.1)
    assert ride_edits.smooth(session, "voice", "level_db", (1.0, 3.0), 0.5) == session


def test_a_mute_can_be_automated_and_taken_back(session):
    muted = ride_edits.toggle_mute(session, "voice", 2.0, 4.0)
    assert [ride_edits.value_at(muted, "voice", "mute", at) for at in (1.0, 3.0, 5.0)] == [0.0, 1.0, 0.0]
    assert ride_edits.toggle_mute(muted, "voice", 2.0, 4.0) == session


def test_it_survives_saving_copying_and_a_station_that_goes(session, tmp_path):
    made = ride_edits.set_curve(session, "voice", "s2.bands.1.gain_db", [(0.0, 2.0), (3.0, -4.0)])
    made = ride_edits.toggle_mute(made, "piano", 1.0, 2.0)
    store.save(made, tmp_path / "song.alleven")
    assert replace(store.load(tmp_path / "song.alleven"), folders=made.folders) == made
    station = made.lane("voice").chain[1].id
    assert chain_edits.remove_station(made, "voice", station).lane("voice").automation == ()


def test_points_that_stay_are_the_same_objects(session):
    """A hand that moves one of thousands pays for one."""
    curve = [(0.1 * i, -6.0) for i in range(1000)]
    before = ride_edits.set_curve(session, "voice", "level_db", curve).lane("voice").automation[0].points
    for at in (0, 500, 999):
        ridden = ride_edits.set_curve(session, "voice", "level_db", curve)
        other = [*curve[:at], (curve[at][0], -3.0), *curve[at + 1 :]]
        after = ride_edits.set_curve(ridden, "voice", "level_db", other).lane("voice").automation[0].points
        assert [(p.time_s, p.value) for p in after] == other
        known = {id(p) for p in ridden.lane("voice").automation[0].points}
        assert sum(id(p) not in known for p in after) == 1
    assert len(before) == 1000


def test_sisters_are_sections_of_one_name():
    names = ("Verse 1", "Chorus", "verse 2", "A", "B", "A")
    sections = [Section(name, float(i), float(i + 1)) for i, name in enumerate(names)]
    assert [item.letter for item in section_names.sisters(sections, sections[0])] == ["verse 2"]
    assert section_names.sisters(sections, sections[1]) == ()
    assert len(section_names.sisters(sections, sections[3])) == 1


def test_a_curve_of_array_numbers_can_be_saved(session):
    times, values = np.linspace(0.0, 3.0, 5), np.linspace(-3.0, 0.0, 5)
    made = ride_edits.set_curve(session, "voice", "level_db", list(zip(times, values, strict=True)))
    assert store.decode(store.encode(made), "a") == made


def test_what_is_drawn_once_is_laid_over_every_beat_and_scaled(session):
    lane = session.lanes[0].id
    session = edits.set_levels(session, {lane: 0.0})
    session = ride_edits.set_curve(session, lane, "level_db", [(1.0, -6.0), (1.3, 0.0)])
    beats = (0.0, 0.5, 1.0, 1.5, 2.0)
    made, count = ride_edits.repeat_passage(session, lane, "level_db", (1.02, 1.42), beats)
    assert count == 4
    for beat in beats:
        assert ride_edits.value_at(made, lane, "level_db", beat + 0.01) == pytest.approx(-5.8, abs=0.25)
        assert ride_edits.value_at(made, lane, "level_db", beat + 0.35) == pytest.approx(0.0, abs=0.05)
    half = ride_edits.scale(made, lane, "level_db", 0.5)
    assert ride_edits.value_at(half, lane, "level_db", 1.0) == pytest.approx(-3.0, abs=0.05)
    still, none = ride_edits.repeat_passage(ride_edits.set_curve(session, lane, "level_db", ()), lane, "level_db",
                                            (1.0, 1.4), beats)  # fmt: skip
    assert none == 0
    assert not still.lane(lane).automation
