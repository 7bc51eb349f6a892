"""Moves of space: what each proposes on folders in which one thing is wrong, and what came of it."""

import numpy as np
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.dsp.space.echo import Echo, note_ms
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.space.room import Room
from all_even.dsp.tone.passes import HighPass
from all_even.figures.space import depth, spaces
from all_even.moves import making
from all_even.moves.kind import per_strip
from all_even.moves.space import level, one_room, short_and_long, snare, who
from all_even.session.editing import edits
from all_even.session.model import routing, space
from all_even.session.model.strips import MIX
from tests.moves import space_sessions
from tests.moves.looks import find, look_at, make, opened, result_of
from tests.moves.space_sessions import CUT, by_role, with_return


@pytest.fixture(scope="module")
def dry(tmp_path_factory):
    return look_at(space_sessions.song(tmp_path_factory.mktemp("space") / "song"))


@pytest.fixture(scope="module")
def states(dry):
    return [dry.at(state) for state in space_sessions.states(dry.session)]


@pytest.fixture(scope="module")
def placed(dry):
    """With both places made."""
    return make(make(dry, find(dry, "space.short")), find(dry, "space.long"))


def kinds(look) -> set[str]:
    return {move.kind for move in opened(look, "space")}


@pytest.mark.slow  # every return is tried on the sound
def test_a_dry_song_is_offered_two_places(dry):
    assert {"space.short", "space.long"} <= kinds(dry)


def test_kick_and_bass_send_nothing_and_snare_and_lead_carry(placed):
    session = placed.session
    short, long = space.returns(session)
    sends = {role: [space.send_to(session.lane(by_role(session, role)), bus.id) for bus in (short, long)]
             for role in ("kick", "bass", "snare top", "lead voice", "clarinet", "hi-hat")}  # fmt: skip
    assert sends["kick"] == sends["bass"] == [None, None]
    assert [send.level_db for send in sends["snare top"]] == [0.0, 0.0]
    assert [send.level_db for send in sends["lead voice"]] == [-6.0, 0.0]
    assert [send.level_db for send in sends["clarinet"]] == [-6.0, -6.0]
    assert sends["hi-hat"][1] is None


def test_both_stand_where_they_are_just_missed_and_drown_nothing(placed):
    for bus in space.returns(placed.session):
        found = spaces.figures_of(placed, bus.id)
        assert found.covered == pytest.approx(0.97, abs=0.01)
        assert found.lead_hidden <= 0.02
        assert found.low_added_db <= 0.3
        assert [type(item).__name__ for item in bus.chain] == ["Reverb", "HighPass", "LowPass"]


def test_the_long_one_ends_at_the_next_kick(dry, placed):
    long = space.returns(placed.session)[1]
    assert spaces.drop_at_kick_db(placed, long.id) == pytest.approx(20.0, abs=3.0)
    assert "750 ms after the snare" in find(dry, "space.long").reason


def test_a_snare_whose_kick_comes_soon_stays_out_of_the_long_one(dry, monkeypatch):
    wall = spaces.wall(dry)
    soon = replace_wall(wall, 0.3)
    monkeypatch.setattr(spaces, "wall", lambda _look: soon)
    assert by_role(dry.session, "snare top") not in short_and_long.long_sends(dry)
    assert by_role(dry.session, "lead voice") in short_and_long.long_sends(dry)


def replace_wall(wall, until_s: float):
    return spaces.Wall(wall.lane_id, wall.hits_s, np.full(len(wall.hits_s), until_s))


def test_places_are_offered_once(placed):
    assert not {"space.short", "space.long"} & kinds(placed)


def test_a_lane_that_is_left_out_is_not_sent_and_the_level_is_found_anew(dry):
    move, kind = find(dry, "space.short"), short_and_long.SHORT
    clarinet = by_role(dry.session, "clarinet")
    fewer = kind.refit(dry, making.without_parts(kind, move, [clarinet]))
    assert fewer.expected == pytest.approx(0.97, abs=0.01)
    assert clarinet not in per_strip(fewer, "sends")
    made = making.made(dry.session, kind, fewer)
    assert space.send_to(made.lane(clarinet), made.buses[0].id) is None


def test_another_aim_is_found_anew(dry):
    move, kind = find(dry, "space.short"), short_and_long.SHORT
    louder = kind.refit(dry, making.with_parameters(kind, move, {"aim": 0.93}))
    assert louder.expected == pytest.approx(0.93, abs=0.01)
    assert louder.parameters["level_db"] > move.parameters["level_db"] + 2.0


def test_a_piano_gets_little_modulation_and_hats_a_short_room(dry):
    parameters = find(dry, "space.short").parameters
    assert parameters["modulation_ms"] <= who.STEADY_MODULATION_MS
    room = replace(STARTS["room"], decay_s=parameters["decay_s"])
    assert float(np.mean(room.decay_at(np.array([4000.0, 8000.0])))) < 0.5


def test_a_hall_that_outlasts_the_kick_is_shortened(states):
    look = states[1]
    move = find(look, f"space.snare-time.{look.session.buses[0].id}")
    assert move.before < 17.0
    after = make(look, move)
    assert result_of(after) == pytest.approx(20.0, abs=3.0)
    assert "space.snare-time" not in kinds(after)


def test_another_time_says_what_is_left_then(states):
    look = states[1]
    move = find(look, f"space.snare-time.{look.session.buses[0].id}")
    longer = snare.KIND.refit(look, making.with_parameters(snare.KIND, move, {"decay_s": 4.0}))
    assert longer.expected < move.expected - 5.0


def test_kick_and_bass_are_taken_out_of_a_room(states):
    look = states[2]
    after = make(look, find(look, f"space.less-mud.{look.session.buses[0].id}"))
    assert result_of(after) < 0.3
    bus = after.session.buses[0]
    assert {lane.role for lane in spaces.senders(after.session, bus)} == {"clarinet"}
    assert any(isinstance(item, HighPass) for item in bus.chain)
    assert "space.less-mud" not in kinds(after)


def test_a_room_over_the_lead_comes_down_until_the_lead_is_clear(states):
    look = states[3]
    move = find(look, f"space.clear-lead.{look.session.buses[0].id}")
    after = make(look, move)
    assert move.before > 10.0
    assert result_of(after) <= 2.0
    half = making.with_parameters(level.CLEAR, move, {"by_db": move.parameters["by_db"] + 1.0})
    assert level.CLEAR.refit(look, half).expected > 2.0


def test_a_return_that_is_hardly_there_comes_up(states):
    look = states[4]
    move = find(look, f"space.place.{look.session.buses[0].id}")
    assert move.parameters["by_db"] > 10.0
    assert result_of(make(look, move)) == pytest.approx(0.97, abs=0.01)


def test_what_sits_further_back_gets_more_room(states):
    look = states[4]
    move = find(look, "space.front-to-back")
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.expected, abs=1.5)
    pad, guitar = (depth.ratio_db(after, by_role(after.session, role)) for role in ("pad", "electric guitar"))
    assert pad < guitar
    assert "space.front-to-back" not in kinds(after)


def test_echoes_are_no_place(dry):
    assert {"space.short", "space.long"} <= kinds(make(dry, find(dry, "space.echoes")))


def test_echoes_fall_on_note_values_and_are_just_missed(dry):
    after = make(dry, find(dry, "space.echoes"))
    echo = next(item for bus in after.session.buses for item in bus.chain if isinstance(item, Echo))
    assert echo.left_ms == pytest.approx(note_ms("1/8 dotted", 80.0), abs=5.0)
    assert echo.right_ms == pytest.approx(note_ms("1/4", 80.0), abs=5.0)
    assert result_of(after) == pytest.approx(0.97, abs=0.01)
    assert {lane.role for lane in spaces.senders(after.session, after.session.buses[0])} == {"lead voice"}


def test_a_part_made_wider_holds_in_mono_and_stays_as_loud(dry):
    move = next(item for item in opened(dry, "space") if item.kind == "space.wider")
    after = make(dry, move)
    assert result_of(after) >= -3.0
    bus = after.session.buses[0]
    assert after.session.lane(move.targets[0]).destination == bus.id
    change = after.mix.integrated_lufs - dry.mix.integrated_lufs
    assert abs(change) < 0.3


def test_returns_come_up_in_the_chorus(states):
    look = states[4]
    move = find(look, "rides.choruses")
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.before + 1.5, abs=0.7)
    curve = after.session.buses[0].automation[0]
    assert [(point.time_s, round(point.value - look.session.buses[0].level_db, 1)) for point in curve.points[:3]] == [
        (0.0, 0.0), (6.3, 0.0), (6.3, 1.5),
    ]  # fmt: skip


def test_an_ensemble_shares_one_room_by_rows(tmp_path):
    look = look_at(space_sessions.quintet(tmp_path / "brass"))
    after = make(look, find(look, "space.one-room"))
    session = after.session
    together = next(bus for bus in session.buses if bus.name == one_room.NAME)
    rows = [bus for bus in session.buses if bus.destination == together.id]
    rooms = [bus.chain[0] for bus in rows]
    assert all(isinstance(item, Room) for item in rooms)
    assert len({item.distance_m for item in rooms}) == len(rows) > 0
    assert {(item.width_m, item.length_m, item.height_m, item.decay_s) for item in rooms} == {
        (Room().width_m, Room().length_m, Room().height_m, Room().decay_s)
    }
    assert together.destination == MIX
    assert all(routing.is_sounding(session, lane) and lane.sends for lane in session.lanes)
    assert result_of(after) == pytest.approx(0.97, abs=0.01)
    assert not {"space.short", "space.long"} & kinds(after)


def test_what_is_to_be_said(states):
    told = {remark.kind: remark.text for remark in stages.stage("space").moves().remarks(states[2])}
    assert "Bass and Kick" in told["low-in-room"]
    hats = states[0].at(with_return(states[0].session, "Long", ["hi-hat"], STARTS["hall"], *CUT))
    assert "long-on-hats" in {remark.kind for remark in stages.stage("space").moves().remarks(hats)}


def test_a_song_in_order_is_told_so(placed):
    assert not stages.stage("space").moves().remarks(placed)
    usual = [move for move in opened(placed, "space") if not stages.kinds()[move.kind].optional]
    assert {move.kind for move in usual} <= {"space.front-to-back"}


def test_a_printed_room_is_left_dry(dry):
    """What the recording's own measure says (`measure.faults.reverb`)."""
    clarinet = by_role(dry.session, "clarinet")
    report = dry.reports[clarinet]
    from dataclasses import replace as changed

    wet = changed(report, character=changed(report.character, reverb_s=0.9))
    look = changed(dry, reports={**dry.reports, clarinet: wet})
    assert who.left_dry(look)[clarinet] == who.PRINTED
    assert clarinet not in who.to_short(look)
    room = with_return(look.session, "Room", ["clarinet"], STARTS["room"], *CUT)
    told = {remark.kind for remark in stages.stage("space").moves().remarks(look.at(room))}
    assert "room-on-room" in told


def test_strange_sessions_are_no_error(dry):
    session = dry.session
    for state in (
        edits.change_strips(session, [lane.id for lane in session.lanes], mute=True),
        edits.change_strips(session, [lane.id for lane in session.lanes], role="unknown"),
        with_return(session, "Nobody", [], STARTS["hall"]),
    ):
        look = dry.at(state)
        assert all(move.stage == "space" for move in opened(look, "space"))
        assert all(remark.text for remark in stages.stage("space").moves().remarks(look))
