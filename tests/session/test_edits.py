"""Edits, history and their sentences."""

from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.session.editing import edits
from all_even.session.file import describe
from all_even.session.file.history import History
from all_even.session.model import routing
from all_even.session.model.on_time_line import Loop
from all_even.session.model.session import Session
from all_even.session.tracks.roles import FAMILIES, ROLES, display_name, family_of, guess_role
from tests.session.plain import session


def ids(made: Session) -> list[str]:
    return [lane.id for lane in made.lanes]


def test_values_are_brought_into_their_range():
    made = edits.change_strips(session(), ["lane-1"], level_db=99.0, pan=-4.0)
    assert (made.lane("lane-1").level_db, made.lane("lane-1").pan) == (12.0, -1.0)
    assert edits.set_trim(made, -400.0).mix.trim_db == -40.0


def test_an_edit_leaves_the_old_session_alone():
    before = session()
    edits.change_strips(before, ["lane-0"], mute=True)
    assert not before.lane("lane-0").mute


def test_nudging_keeps_the_balance_and_leaves_what_is_off():
    made = edits.set_levels(session(), {"lane-0": -6.0, "lane-1": -120.0})
    moved = edits.nudge_levels(made, ["lane-0", "lane-1", "lane-2"], 1.5)
    assert [lane.level_db for lane in moved.lanes] == [-4.5, -120.0, 1.5]


def test_lanes_move_together_and_keep_their_order():
    assert ids(edits.move_lanes(session(5), ["lane-3", "lane-1"], 0)) == [
        "lane-1",
        "lane-3",
        "lane-0",
        "lane-2",
        "lane-4",
    ]
    assert ids(edits.move_lanes(session(3), ["lane-0"], 3)) == ["lane-1", "lane-2", "lane-0"]


def test_an_empty_name_and_a_short_loop_change_nothing():
    made = session()
    assert edits.change_strips(made, ["lane-0"], name="  ") == made
    assert edits.set_loop(made, Loop(start_s=1.0, end_s=1.05)).loop is None


def test_a_snapshot_brings_back_levels_and_keeps_lanes_that_came_later():
    made = edits.take_snapshot(session(2), "rough")
    later = edits.add_lanes(edits.change_strips(made, ["lane-0"], level_db=-9.0), session(3).lanes[2:])
    back = edits.recall_snapshot(later, "rough")
    assert [lane.level_db for lane in back.lanes] == [0.0, 0.0, 0.0]
    assert ids(back) == ["lane-0", "lane-1", "lane-2"]


def test_a_solo_silences_the_others_and_several_can_be_soloed():
    made = edits.change_strips(session(), ["lane-0", "lane-2"], solo=True)
    assert [routing.is_sounding(made, lane) for lane in made.lanes] == [True, False, True]
    muted = edits.change_strips(made, ["lane-0"], mute=True)
    assert not routing.is_sounding(muted, muted.lane("lane-0"))


def test_changes_are_said_in_sentences():
    old = session()
    new = edits.change_strips(old, ["lane-0", "lane-1"], level_db=-3.0)
    assert describe.changes(old, new) == ["Track 0, Track 1: level 0.0 dB → −3.0 dB"]
    new = edits.change_strips(old, ["lane-2"], pan=-0.5, mute=True)
    assert describe.sentence(old, new) == "Track 2: pan centre → L 50; Track 2: muted"
    assert describe.changes(old, edits.set_trim(old, -2.0)) == ["Mix trim 0.0 dB → −2.0 dB"]
    assert describe.changes(old, edits.move_lanes(old, ["lane-2"], 0)) == ["Track 2: moved in the order of tracks"]
    assert describe.changes(old, edits.change_strips(old, ["lane-0"], level_db=-120.0)) == [
        "Track 0: level 0.0 dB → −∞ dB"
    ]


def test_undo_takes_back_the_change_but_not_the_record():
    history = History(session())
    history.apply(edits.change_strips(history.session, ["lane-0"], level_db=-5.0))
    history.undo()
    assert history.session.lane("lane-0").level_db == 0.0
    assert [entry.text for entry in history.session.ledger] == [
        "Track 0: level 0.0 dB → −5.0 dB",
        "Undone: Track 0: level 0.0 dB → −5.0 dB",
    ]
    history.redo()
    assert history.session.lane("lane-0").level_db == -5.0
    assert len(history.session.ledger) == 3


def test_one_gesture_is_one_step_and_one_line():
    history = History(session())
    for level in (-1.0, -2.0, -3.0):
        history.apply(edits.change_strips(history.session, ["lane-0"], level_db=level), merge="drag")
    assert [entry.text for entry in history.session.ledger] == ["Track 0: level 0.0 dB → −3.0 dB"]
    history.end_gesture()
    history.apply(edits.change_strips(history.session, ["lane-0"], level_db=-4.0), merge="drag")
    assert len(history.session.ledger) == 2
    history.undo()
    assert history.session.lane("lane-0").level_db == -3.0


def test_a_gesture_that_returns_leaves_no_line():
    history = History(session())
    for level in (-1.0, 0.0):
        history.apply(edits.change_strips(history.session, ["lane-0"], level_db=level), merge="drag")
    assert history.session.ledger == ()


def test_nothing_changed_is_no_step():
    history = History(session())
    assert not history.apply(edits.change_strips(history.session, ["lane-0"], mute=False))
    assert history.undo_text is None


change = st.one_of(
    st.tuples(st.just("level_db"), st.floats(-60, 12)),
    st.tuples(st.just("pan"), st.floats(-1, 1)),
    st.tuples(st.sampled_from(["mute", "solo", "hidden", "polarity_inverted"]), st.booleans()),
)


@settings(max_examples=50, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 2), change), min_size=1, max_size=12))
def test_undoing_everything_gives_the_first_session_and_redoing_the_last(steps):
    history = History(session())
    first = (history.session.lanes, history.session.mix)
    for lane, (field, value) in steps:
        history.apply(edits.change_strips(history.session, [f"lane-{lane}"], **{field: value}))
    last = (history.session.lanes, history.session.mix)
    while history.undo():
        pass
    assert (history.session.lanes, history.session.mix) == first
    while history.redo():
        pass
    assert (history.session.lanes, history.session.mix) == last


def test_every_role_has_a_family_and_unknown_names_are_unknown():
    assert {role.family for role in ROLES} <= set(FAMILIES)
    assert family_of("no such role") == "other"
    assert guess_role("Audio 14") == "unknown"
    for name, role in (
        ("01_KIK IN", "kick"),
        ("snr_btm", "snare bottom"),
        ("BassAmp", "bass amplifier"),
        ("Bass Drum", "kick"),
        ("bass clarinet", "bass clarinet"),
        ("LdVox_comp", "lead voice"),
        ("eGtr1", "electric guitar"),
        ("CAISSE CLAIRE!!", "snare top"),
        ("bajo DI (2)", "bass DI"),
        ("Trompete", "trumpet"),
        ("E-Gitarre 2", "electric guitar"),
        ("voz final", "voice"),
        ("Klavier L", "piano"),
    ):
        assert guess_role(name) == role, name
    assert display_name("03_LdVox_comp") == "Ld Vox comp"


def test_a_gesture_that_returned_does_not_eat_the_line_before_it():
    """The line of an earlier move may be completed while a drag goes on; it has to stay."""
    history = History(edits.record(session(), "an earlier line"))
    history.apply(edits.change_strips(history.session, ["lane-0"], level_db=-1.0), merge="drag")
    history.apply(edits.change_strips(history.session, ["lane-0"], level_db=0.0), merge="drag")
    history.amend(edits.record_result(history.session, "none", 1.0))
    history.apply(edits.change_strips(history.session, ["lane-0"], level_db=-2.0), merge="drag")
    assert [entry.text for entry in history.session.ledger] == ["an earlier line", "Track 0: level 0.0 dB → −2.0 dB"]
