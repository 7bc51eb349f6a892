"""Where values lie along a row, without a screen."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from all_even import stages
from all_even.app import stages as views
from all_even.app.desk import Desk
from all_even.app.lanes import layout, scales
from all_even.app.lanes.scales import Rail

RAIL = Rail(300.0, 400.0)


@given(st.floats(-79.0, 12.0))
def test_a_level_is_found_again_under_its_pixel(level_db):
    assert RAIL.level_at(RAIL.level_x(level_db)) == pytest.approx(level_db, abs=0.01)


def test_the_ends_of_the_rail_are_off_and_plus_12():
    assert RAIL.level_at(300.0) == -120.0
    assert RAIL.level_at(900.0) == 12.0


def test_most_of_the_rail_serves_minus_20_to_plus_6():
    assert (RAIL.level_x(6.0) - RAIL.level_x(-20.0)) / RAIL.width > 0.6


@given(st.floats(-1.0, 1.0))
def test_a_place_is_found_again_but_for_the_notch_in_the_centre(pan):
    found = RAIL.pan_at(RAIL.pan_x(pan))
    assert found == pytest.approx(pan, abs=1e-6) or (found == 0.0 and abs(pan) < 0.031)


@pytest.mark.parametrize("stage", stages.all_keys())
@pytest.mark.parametrize("width", [732.0, 960.0, 3200.0])
def test_columns_lie_side_by_side_inside_the_view(stage, width):
    body = views.VIEWS[stage].make_body(Desk())
    boxes = sorted(body.columns(layout.head_width(width), width).boxes.values())
    for (left, size), (following, _) in itertools.pairwise(boxes):
        assert size > 20.0
        assert left + size <= following
    assert boxes[-1][0] + boxes[-1][1] <= width


def test_rows_are_found_under_the_mouse():
    stack = layout.Stack(count=3)
    assert stack.at(layout.HEADER + 1) == 0
    assert stack.at(layout.HEADER + layout.ROW + 1) == 1
    assert stack.at(layout.HEADER - 1) is None
    assert stack.at(5000.0) is None
    assert scales.meter_share(-60.0) == 0.0
