"""Check: what vanishes elsewhere is brought back where that costs little, and what can't be is left alone."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import TOGETHER, translation
from all_even.moves.check import bell, closer, harmonics, louder, remarks
from all_even.moves.check.figures import COST_DB, RAISED_DB, left
from all_even.session.editing import edits
from tests.moves import check_sessions
from tests.moves.looks import make, result_of


@pytest.fixture(scope="module")
def dark(tmp_path_factory):
    return check_sessions.dark(tmp_path_factory.mktemp("dark"))


@pytest.fixture(scope="module")
def sided(tmp_path_factory):
    from tests.moves.looks import look_at

    return look_at(check_sessions.sides(tmp_path_factory.mktemp("sides")))


def bass_of(look):
    return next(lane.id for lane in look.session.lanes if lane.role == "bass DI")


def test_a_dark_bass_vanishes_on_a_phone_and_stays_in_a_club(dark):
    found = translation(dark)
    assert found.of(bass_of(dark), "phone") < -25.0
    assert found.of(bass_of(dark), "club") > 0.0
    assert found.of(bass_of(dark), "headphones") == 0.0
    assert (found.place(bass_of(dark)), "phone") in {(place, key) for place, key, _ in found.vanishing()}


def test_harmonics_raise_it_by_at_least_3_and_cost_at_most_2_in_the_club(dark):
    bass = bass_of(dark)
    move = next(item for item in harmonics.propose(dark) if bass in item.targets)
    after = make(dark, move)
    raised = left(after, {"lane": bass, "system": "phone"}) - left(dark, {"lane": bass, "system": "phone"})
    assert raised >= RAISED_DB
    for key in systems.KEYS:
        cost = left(dark, {"lane": bass, "system": key}) - left(after, {"lane": bass, "system": key})
        assert cost <= COST_DB + 0.2, key
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)


def test_it_is_as_loud_here_as_before(dark):
    from all_even.measure.sharing.scene import loudness_weights

    move = next(item for item in harmonics.propose(dark) if bass_of(dark) in item.targets)
    after = make(dark, move)
    weights = loudness_weights(dark.session.sample_rate)
    loud = [float((found.stage.both[found.place(bass_of(dark))] @ weights).sum())
            for found in (translation(dark), translation(after))]  # fmt: skip
    assert 10.0 * np.log10(loud[1] / loud[0]) == pytest.approx(0.0, abs=0.1)


def test_the_other_sources_lose_no_more_than_2_anywhere(dark):
    for move in (*harmonics.propose(dark), *bell.propose(dark)):
        before, after = translation(dark), translation(make(dark, move))
        others = [place for place, unit in enumerate(before.units) if unit.id not in move.targets]
        assert float(np.nanmax(before.left[others] - after.left[others])) <= COST_DB + 0.2


def test_a_bell_is_no_help_for_what_has_nothing_up_there(dark):
    assert not [move for move in bell.propose(dark) if bass_of(dark) in move.targets]


def test_what_does_not_matter_is_left_alone(dark):
    layer = edits.change_strips(dark.session, [bass_of(dark)], importance="layer")
    assert not [move for move in harmonics.propose(dark.at(layer)) if bass_of(dark) in move.targets]


def test_sides_against_each_other_come_closer_and_keep_their_loudness(sided):
    move = next(iter(closer.propose(sided)))
    after = make(sided, move)
    lane = move.targets[0]
    assert left(after, {"lane": lane, "system": "mono"}) - left(sided, {"lane": lane, "system": "mono"}) >= 1.5
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)
    assert abs(move.evidence["fader_db"]) <= COST_DB


def test_a_mono_lane_has_no_sides_to_bring_in(dark):
    assert closer.propose(dark) == []


def test_noise_is_answered_by_a_small_step_of_the_fader(tmp_path):
    look = check_sessions.looks(tmp_path)[2]
    (move,) = louder.propose(look)
    after = make(look, move)
    assert 0.0 < move.parameters["step_db"] <= COST_DB
    assert result_of(after) == pytest.approx(move.expected, abs=move.tolerance)


def test_what_holds_everywhere_gets_no_move(dark):
    """Without bass and kick all that is left has its place on every system."""
    low = [lane.id for lane in dark.session.lanes if lane.role in ("kick", "bass DI")]
    look = dark.at(edits.change_strips(dark.session, low, mute=True))
    assert not translation(look).vanishing()
    for kind in stages.stage("check").moves().kinds:
        assert kind.propose(look) == []


def test_a_gain_on_everything_changes_no_figure(dark):
    softer = dark.at(edits.nudge_levels(dark.session, [lane.id for lane in dark.session.lanes], -12.0))
    np.testing.assert_allclose(translation(softer).left, translation(dark).left, atol=0.05)


def test_remarks_say_faults_first_then_what_vanishes(dark):
    noted = edits.add_note(dark.session, "bass booms in the verse", 12.0, heard_on="a car")
    told = remarks.remarks(dark.at(noted))
    assert told[0].kind == "heard-elsewhere"
    assert "a car" in told[0].text
    assert [item.kind for item in told if item.kind != "low-end"][1:]
    assert {item.kind for item in told[1:]} - {"low-end"} == {"vanishes"}
    settled = edits.settle_note(noted, 0)
    assert all(item.kind != "heard-elsewhere" for item in remarks.remarks(dark.at(settled)))


def test_unknown_systems_and_lanes_have_no_figure(dark):
    assert left(dark, {"lane": "nobody", "system": "phone"}) is None
    assert left(dark, {"lane": bass_of(dark), "system": "a bathroom"}) is None
    assert left(dark, {}) is None


def test_microphones_of_one_source_add_up_to_what_they_are(dark):
    """A copy of the bass against it leaves nothing; one with it is 6 dB more than it alone, 3 more than two apart."""
    bass = dark.session.lane(bass_of(dark))
    for inverted, gain in ((True, 0.0), (False, 2.0)):
        again = replace(bass, id="again", name="Again", polarity_inverted=inverted)
        look = dark.at(edits.add_lanes(dark.session, [again]))
        ratios = look.get(TOGETHER, f"{bass.id}:again")
        heard = dark.book.known(dark.session, ("powers", bass.id))[0] > 1e-9
        np.testing.assert_allclose(ratios[:, : len(heard)][:, heard], gain, atol=1e-3)
