"""Usual ranges of instruments, against what is fixed about them."""

import pytest

from all_even.session.tracks import written_range
from all_even.session.tracks.roles import ROLES
from all_even.session.tracks.written_range import RANGES, range_hz


@pytest.mark.parametrize(
    ("role", "lowest_hz"),
    [("violin", 196.00), ("viola", 130.81), ("cello", 65.41), ("double bass", 41.20), ("electric guitar", 82.41),
     ("mandolin", 196.00), ("piano", 27.50)],
)  # fmt: skip
def test_the_lowest_note_of_strings_is_their_open_string(role, lowest_hz):
    """Standard tuning, equal temperament at A4 = 440 Hz: G3, C3, C2, E1, E2, G3; A0 of the piano."""
    found = range_hz(role)
    assert found is not None
    assert found[0] == pytest.approx(lowest_hz, abs=0.01)


def test_the_piano_ends_at_c8_and_a_is_440():
    assert range_hz("piano")[1] == pytest.approx(4186.01, abs=0.01)
    assert written_range.hertz(69) == 440.0


def test_every_range_belongs_to_a_role_and_rises():
    names = {role.name for role in ROLES}
    assert set(RANGES) <= names
    assert all(low < high for low, high in RANGES.values())
    assert range_hz("kick") is None
