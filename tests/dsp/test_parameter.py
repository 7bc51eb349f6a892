"""Settings as text and back; decibels."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from all_even import decibels
from all_even.dsp.parameter import (
    LEVEL,
    PAN,
    TRIM,
    Parameter,
    decibel_text,
    number,
    signed,
    time_text,
)


@given(st.floats(-79.9, 12.0))
def test_a_level_is_read_back_from_its_own_text(level_db):
    assert LEVEL.parse(LEVEL.text(level_db)) == pytest.approx(level_db, abs=0.051)


@given(st.floats(-1.0, 1.0))
def test_a_place_is_read_back_from_its_own_text(pan):
    assert PAN.parse(PAN.text(pan)) == pytest.approx(pan, abs=0.0051)


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        ("-6", -6.0),
        ("−6 dB", -6.0),
        ("3,5", 3.5),
        ("-inf", -120.0),
        ("off", -120.0),
        ("−∞ dB", -120.0),
        ("-95", -120.0),
    ],
)
def test_levels_are_understood_as_people_write_them(typed, value):
    assert LEVEL.parse(typed) == value


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        ("L 50", -0.5),
        ("50l", -0.5),
        ("r100", 1.0),
        ("centre", 0.0),
        ("c", 0.0),
        ("30", 0.3),
        ("-30", -0.3),
        ("left 20", -0.2),
    ],
)
def test_places_are_understood_as_people_write_them(typed, value):
    assert PAN.parse(typed) == pytest.approx(value)


@pytest.mark.parametrize("typed", ["loud", "", "--3", "3 dB dB", "nan dB x"])
def test_what_is_no_number_is_not_guessed(typed):
    assert TRIM.parse(typed) is None or not math.isnan(TRIM.parse(typed))
    assert LEVEL.parse("loud") is None


def test_a_value_that_is_not_a_number_becomes_the_default():
    assert LEVEL.clamped(math.nan) == 0.0
    assert TRIM.clamped(math.inf) == 12.0


def test_numbers_have_a_true_minus_and_no_negative_zero():
    assert number(-3.04) == "−3.0"
    assert number(-0.04) == "0.0"
    assert signed(2.0) == "+2.0"
    assert signed(0.0) == "0.0"
    assert decibel_text(None) == "–"
    assert decibel_text(-math.inf) == "–"
    assert decibel_text(-23.04, "LUFS") == "−23.0 LUFS"


def test_times_are_minutes_seconds_and_tenths():
    assert [time_text(value) for value in (0.0, 59.96, 61.24, 600.0, -1.0)] == [
        "0:00.0",
        "1:00.0",
        "1:01.2",
        "10:00.0",
        "0:00.0",
    ]


def test_off_is_exactly_no_gain_and_6_02_db_is_double():
    assert decibels.gain(decibels.OFF_DB) == 0.0
    assert decibels.gain(20 * math.log10(2)) == pytest.approx(2.0)
    assert decibels.level_db(0.0) == -math.inf
    assert decibels.power_db(0.5) == pytest.approx(-3.0103)
    assert decibels.known(math.nan) is None


@pytest.mark.parametrize(
    ("unit", "typed", "value"),
    [
        ("Hz", "1k2", 1200.0), ("Hz", "1.2k", 1200.0), ("Hz", "2,5 kHz", 2500.0), ("Hz", "80hz", 80.0),
        ("dB", "+1.5", 1.5), ("dB", "-2 dB", -2.0), ("dB", "−2 dBFS", -2.0), (":1", "4:1", 4.0), (":1", "4", 4.0),
        ("ms", "0.5 s", 500.0), ("s", "250 ms", 0.25), ("%", "50%", 50.0),
        ("Hz", "1.2k3", None), ("Hz", "80 ms", None), ("dB", "loud", None), ("dB", "", None),
    ],
)  # fmt: skip
def test_numbers_are_understood_as_people_type_them(unit, typed, value):
    parameter = Parameter("Setting", unit, -10_000.0, 10_000.0, 0.0, 1.0)
    assert parameter.parse(typed) == (None if value is None else pytest.approx(value))
