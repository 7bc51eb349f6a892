"""Who gets a room, by what it sounds like and by what was said; and what stages answer where they propose nothing."""

import dataclasses

import numpy as np
import pytest

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.moves.answer import WHO_IS_WHO
from all_even.moves.share import high_pass
from all_even.moves.space import one_room, remarks, short_and_long, who
from all_even.session.editing import edits
from all_even.session.model import space
from all_even.session.tracks import asking
from tests.measure.sounds import kick, placed, plucked, snare
from tests.moves import space_sessions
from tests.moves.looks import find, look_at, make, opened
from tests.moves.low_sessions import write
from tests.moves.share_sessions import band, chords, held

SECONDS = 12.0
BEAT_S = 60.0 / 126.0
BEATS = np.arange(0.2, SECONDS - 0.8, BEAT_S)


def by_file(look, name: str):
    return next(lane for lane in look.session.lanes if lane.file == f"{name}.wav")


def named(look, found) -> set[str]:
    return {unit.head.file.removesuffix(".wav") for unit in found}


@pytest.fixture(scope="module")
def floor(tmp_path_factory):
    """Four on the floor at 126 BPM: claps on every other kick, a snare in the other session; synths alike; a growl."""
    pad = held(chords([196.0, 262.0, 220.0]), 0.9, seconds=SECONDS)
    rng = np.random.default_rng(8)
    sounds = {
        "Kick": placed(kick(), BEATS, SECONDS),
        "Clap": placed(snare(2), BEATS[1::2], SECONDS),
        "Synth two": 0.5 * pad + 0.02 * band(200.0, 6000.0, 1, SECONDS),
        "Synth lead": 0.5 * pad + 0.02 * band(200.0, 6000.0, 2, SECONDS),
        "Pad three": 0.5 * pad + 0.02 * band(200.0, 6000.0, 3, SECONDS),
        "Growl bass": held([(0.2 + 0.5 * i, 0.4, 220.0) for i in range(22)], 0.9, seconds=SECONDS),
        "Sub bass": plucked([(0.2 + 0.5 * i, 0.4, 49.0) for i in range(22)], SECONDS),
        "Lead vox": held([(0.2 + i, 0.7, 330.0 * 2.0 ** (int(rng.integers(0, 5)) / 12.0)) for i in range(11)], 1.0,
                         seconds=SECONDS),
    }  # fmt: skip
    return look_at(write(tmp_path_factory.mktemp("floor") / "floor", sounds))


def test_claps_that_play_the_backbeat_carry_the_snares_wall_and_its_sends(floor):
    wall = spaces.wall(floor)
    clap = by_file(floor, "Clap")
    assert wall.lane_id == clap.id
    assert wall.typical_s == pytest.approx(BEAT_S, abs=0.01)  # the next kick, not the one it falls on
    assert who.to_short(floor)[clap.id] == who.MAIN_DB


def test_a_snare_together_with_the_kick_counts_and_a_kick_in_its_microphone_does_not(tmp_path):
    """By our own rule T = 3 (D - pre-delay + 10 ms): 1.38 s at 126 BPM with 30 ms."""
    beat = placed(kick(), BEATS, SECONDS)
    sounds = {"Kick": beat, "Snare top": placed(snare(), BEATS[1::2], SECONDS) + 0.12 * beat}
    look = look_at(write(tmp_path / "snare", sounds))
    wall = spaces.wall(look)
    assert wall.typical_s == pytest.approx(BEAT_S, abs=0.01)
    off = [float(np.abs(BEATS[1::2] - hit).min()) for hit in wall.hits_s]
    assert max(off) < 0.03


def test_low_goes_by_sound_and_not_by_role(floor):
    assert who.is_low(floor, by_file(floor, "Sub bass"))
    assert who.is_low(floor, by_file(floor, "Kick"))
    assert not who.is_low(floor, by_file(floor, "Growl bass"))
    assert "Growl bass" in named(floor, who.candidates(floor))
    always = floor.at(edits.set_work(floor.session, high_passing="everything but the bass"))
    (move,) = high_pass.propose(always)
    assert by_file(floor, "Growl bass").id in move.targets
    assert by_file(floor, "Sub bass").id not in move.targets


def test_the_main_of_layers_is_found_by_name_and_said_with_one_press(floor):
    (group,) = who.layered(floor, who.candidates(floor, all_layers=True))
    assert named(floor, group) == {"Synth two", "Synth lead", "Pad three"}
    assert group[0].head.file == "Synth lead.wav"
    assert named(floor, who.candidates(floor)) & {"Synth two", "Pad three"} == set()
    pad = by_file(floor, "Pad three")
    said = floor.at(edits.change_strips(floor.session, (pad.id,), importance="carrying"))
    assert who.layered(said, who.candidates(said, all_layers=True))[0][0].id == pad.id
    plain = floor.at(edits.change_strips(floor.session, (by_file(floor, "Synth lead").id,), name="Synth one"))
    (asked,) = [item for item in remarks.remarks(plain) if item.kind == "layers"]
    assert {press.command for press in asked.presses} == {"priority.main"}
    assert len({press.lanes for press in asked.presses}) == 3


def test_whether_chords_have_a_room_is_asked_once_and_the_answer_holds(floor):
    (asked,) = [item for item in remarks.remarks(floor) if item.kind == "own-room"]
    lanes = asked.presses[0].lanes
    assert by_file(floor, "Synth lead").id in lanes
    wet = floor.at(edits.change_strips(floor.session, lanes, own_room=True))
    assert not set(lanes) & set(who.to_short(wet))
    assert who.left_dry(wet)[lanes[0]] == who.PRINTED
    dry = floor.at(edits.change_strips(floor.session, lanes, own_room=False))
    for answered in (wet, dry):
        assert not [item for item in remarks.remarks(answered) if item.kind == "own-room" and lanes[0] in
                    item.presses[0].lanes]  # fmt: skip


@pytest.fixture(scope="module")
def brass(tmp_path_factory):
    return look_at(space_sessions.quintet(tmp_path_factory.mktemp("brass") / "brass"))


def test_bleed_that_sounds_like_a_room_leaves_no_player_of_an_ensemble_dry(brass):
    lane = by_file(brass, "Horn")
    report = brass.reports[lane.id]
    roomy = dataclasses.replace(report, character=dataclasses.replace(report.character, reverb_s=0.6))
    wet = Look(brass.session, brass.book, {**brass.reports, lane.id: roomy})
    assert who.has_printed_room(wet, wet.session.lane(lane.id))
    (move,) = one_room.propose(wet)
    assert lane.id in move.targets
    assert len(move.targets) == 5
    assert short_and_long.propose_short(wet) == short_and_long.propose_long(wet) == []


def test_the_rows_of_one_room_stand_as_they_were_placed_together(brass):
    session = edits.change_strips(
        brass.session, (by_file(brass, "Trumpet 1").id, by_file(brass, "Horn").id), seat_row=0
    )
    seated = brass.at(session)
    done = make(seated, find(seated, "space.one-room"))
    assert len(space.returns(done.session)) > 1
    assert {move.kind for move in opened(done, "space")} <= {"space.front-to-back"}
    assert stages.stage("space").moves().answer(done).judged


def test_the_lowest_part_of_an_ensemble_is_its_bass(brass):
    always = brass.at(edits.set_work(brass.session, high_passing="each to its register"))
    (move,) = high_pass.propose(always)
    assert by_file(brass, "Tuba").id not in move.targets
    assert by_file(brass, "Trumpet 1").id in move.targets
    assert "Tuba, the lowest part" in move.reason
    corner = move.parameters["frequency_hz"][by_file(brass, "Trumpet 1").id]
    assert 0.75 * 164.0 <= corner <= 300.0  # never under what a trumpet plays


# What stages answer.


@pytest.mark.parametrize("key", ["balance", "low-end", "rides"])
def test_where_nobody_is_named_a_stage_can_t_judge_and_says_what_helps(floor, key, monkeypatch):
    monkeypatch.setattr(asking, "guessed", lambda _stem: ("unknown", 0.0))
    lanes = [lane.id for lane in floor.session.lanes]
    answer = stages.stage(key).moves().answer(floor.at(edits.change_strips(floor.session, lanes, role="unknown")))
    assert not answer.judged
    assert answer.press.command == WHO_IS_WHO
    assert answer.words.startswith("Can’t judge: no track is ")


def test_where_all_are_named_and_none_is_a_kick_nothing_is_needed(brass):
    answer = stages.stage("low-end").moves().answer(brass)
    assert answer.judged
    assert answer.words.startswith("Nothing needed. No track is a kick")


def test_a_kick_that_is_muted_is_no_reason_to_say_that_nothing_is_needed(floor):
    muted = floor.at(edits.change_strips(floor.session, (by_file(floor, "Kick").id,), mute=True))
    answer = stages.stage("low-end").moves().answer(muted)
    assert not answer.judged
    assert "not heard" in answer.text


@pytest.mark.parametrize("stage", stages.STAGES, ids=lambda stage: stage.key)
def test_every_stage_answers_with_its_figure(floor, stage):
    answer = stage.moves().answer(floor)
    assert answer.text
    assert answer.text[-1] not in ".!?"
    if answer.judged and stage.key in ("balance", "low-end", "share", "rides", "print"):
        assert any(letter.isdigit() for letter in answer.text)
