"""Automation carried away and brought in: exact as a table, within a step of 14 bits as a controller."""

from itertools import pairwise

import mido
import numpy as np
import pytest

from all_even.decibels import OFF_DB
from all_even.deliver import automation_files
from all_even.dsp.parameter import LEVEL, PAN, Parameter
from all_even.errors import UserError
from all_even.session.editing import curves

FREQUENCY = Parameter("Frequency", "Hz", 20.0, 20_000.0, 1000.0, 6.0, 0, "log")
CURVE = [(0.0, -6.0), (1.0, -6.0), (1.3, -2.5), (4.0, -2.5), (4.0, -9.0), (6.5, -4.0)]


def test_a_table_holds_the_points_exactly(tmp_path):
    path = automation_files.write(CURVE, LEVEL, "Voice: level", tmp_path / "ride.csv")
    assert path.read_text().splitlines()[:2] == ["time_s,value", "0.0,-6.0"]
    assert automation_files.read(path, LEVEL) == CURVE


@pytest.mark.parametrize(("described", "curve"), [
    (LEVEL, CURVE),
    (PAN, [(0.0, -1.0), (2.0, 1.0), (3.0, 0.25)]),
    (FREQUENCY, [(0.0, 200.0), (5.0, 8000.0), (5.0, 100.0), (9.0, 100.0)]),
])  # fmt: skip
def test_a_controller_comes_back_within_a_step(tmp_path, described, curve):
    path = automation_files.write(curve, described, "Ride", tmp_path / "ride.mid")
    found = automation_files.read(path, described)
    low = automation_files.LOWEST_DB if described is LEVEL else described.low
    step = (described.high - low) / automation_files.STEPS
    slope = max(abs((b[1] - a[1]) / (b[0] - a[0])) for a, b in pairwise(curve) if b[0] > a[0])
    steps = [a for (a, _), (b, _) in pairwise(curve) if a == b]
    for at in np.linspace(0.0, curve[-1][0], 400):
        if all(abs(at - moment) > 0.02 for moment in steps):
            assert curves.value_at(found, at) == pytest.approx(curves.value_at(curve, at), abs=2 * step + 0.011 * slope)
    assert len(found) < 60


def test_off_is_the_lowest_position_and_comes_back_as_off():
    assert automation_files.to_position(OFF_DB, LEVEL) == 0
    assert automation_files.from_position(0, LEVEL) == OFF_DB
    assert automation_files.to_position(12.0, LEVEL) == automation_files.STEPS
    for value in (-60.0, -23.4, 0.0, 12.0):
        assert automation_files.from_position(automation_files.to_position(value, LEVEL), LEVEL) == pytest.approx(
            value, abs=0.0025
        )


def test_the_controller_is_one_of_fourteen_bits(tmp_path):
    """MIDI 1.0: the fine part of controller n is controller n + 32; here 11 (expression) and 43."""
    path = automation_files.write(CURVE, LEVEL, "Ride", tmp_path / "ride.mid")
    messages = [message for message in mido.MidiFile(path) if message.type == "control_change"]
    assert {message.control for message in messages} == {11, 43}
    assert [message.control for message in messages[:2]] == [11, 43]


def test_a_controller_of_seven_bits_from_elsewhere_is_read(tmp_path):
    track = mido.MidiTrack([mido.Message("control_change", control=7, value=value, time=480) for value in (0, 64, 127)])
    track.append(mido.Message("control_change", control=1, value=3, time=0))
    mido.MidiFile(tracks=[track]).save(tmp_path / "other.mid")
    found = automation_files.read(tmp_path / "other.mid", PAN)
    assert [round(value, 2) for _, value in found][-1] == 1.0
    assert curves.value_at(found, 0.7) == -1.0


@pytest.mark.parametrize(("name", "content", "said"), [
    ("a.csv", b"time_s,value\n1.0,loud\n", "line 2"),
    ("a.csv", b"time_s,value\n1.0\n", "line 2"),
    ("a.csv", b"time_s,value\nnan,1\n", "not a number"),
    ("a.csv", b"time_s,value\n-3,1\n", "no time of a song"),
    ("a.csv", b"time_s,value\n", "no automation"),
    ("a.csv", b"\xff\xfe\x00", "no table"),
    ("a.mid", b"MThd broken", "damaged"),
])  # fmt: skip
def test_what_can_not_be_used_is_said_in_a_sentence(tmp_path, name, content, said):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(UserError, match=said):
        automation_files.read(tmp_path / name, LEVEL)


def test_values_are_brought_into_range_and_times_in_order(tmp_path):
    (tmp_path / "a.csv").write_text("2.0,99\n1.0,-3\n")
    assert automation_files.read(tmp_path / "a.csv", LEVEL) == [(1.0, -3.0), (2.0, 12.0)]
    with pytest.raises(UserError, match="is not there"):
        automation_files.read(tmp_path / "none.csv", LEVEL)


def test_nothing_else_is_written_over(tmp_path):
    (tmp_path / "words.csv").write_text("my,own,table\n")
    with pytest.raises(UserError, match="no table of automation"):
        automation_files.write(CURVE, LEVEL, "Ride", tmp_path / "words.csv")
    with pytest.raises(UserError, match="has to end"):
        automation_files.write(CURVE, LEVEL, "Ride", tmp_path / "ride.txt")


def test_a_curve_that_is_held_for_days_is_a_short_controller_in_delays_a_file_can_hold(tmp_path):
    curve = [(0.0, -3.0), (10.0, -3.0), (1e6, -3.0)]
    written = automation_files.write(curve, LEVEL, "x", tmp_path / "a.mid")
    assert written.stat().st_size < 10_000
    waits = [message.time for message in mido.MidiFile(written).tracks[0]]
    assert max(waits) < 1 << 28  # Standard MIDI Files 1.0: four bytes of seven bits


def test_a_slow_ramp_is_written_as_often_as_it_changes(tmp_path):
    written = automation_files.write([(0.0, -60.0), (3000.0, 0.0)], LEVEL, "x", tmp_path / "a.mid")
    assert written.stat().st_size < 300_000
    again = automation_files.read(written, LEVEL)
    assert again[-1][1] == pytest.approx(0.0, abs=0.01)


def test_a_curve_that_moves_for_hours_is_refused_as_a_controller_but_is_a_table(tmp_path):
    curve = [(0.01 * i, float(-(i % 2) * 20)) for i in range(90_000)]
    with pytest.raises(UserError, match="write it as a table"):
        automation_files.write(curve, LEVEL, "x", tmp_path / "a.mid")
    automation_files.write(curve, LEVEL, "x", tmp_path / "a.csv")
    assert len(automation_files.read(tmp_path / "a.csv", LEVEL)) == 90_000


def test_a_field_longer_than_the_reader_takes_is_a_sentence(tmp_path):
    (tmp_path / "a.csv").write_text("time_s,value\n0," + "1" * 200_000 + "\n")
    with pytest.raises(UserError, match="no table of automation"):
        automation_files.read(tmp_path / "a.csv", LEVEL)
