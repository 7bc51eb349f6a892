"""What is saved opens again: edits keep limits, saves are read before they count, older files are mended."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec import inspect
from msgspec.structs import replace

from all_even.dsp.tone.passes import HighPass
from all_even.errors import UserError
from all_even.session.editing import edits
from all_even.session.file import limits, store
from all_even.session.file.history import History
from all_even.session.file.limits import LimitError
from all_even.session.file.new import add_from_anywhere, add_reference, inspect_all, new_session
from all_even.session.model.alike import same_start
from all_even.session.model.ledger import MOST_LINES, Proposal
from all_even.session.model.on_time_line import Note
from all_even.session.model.session import FORMAT_VERSION, Reference, Session
from all_even.session.model.strips import Automation, Point, Send
from tests.conftest import RATE, noise
from tests.session.plain import session

MOVE = Proposal(id="gather.order", kind="gather.order", stage="gather", title="Order", reason="Order", metric="spread")


def many(value, field):
    kind = next(item.type for item in inspect.type_info(type(value)).fields if item.name == field)
    return kind.max_length + 1


OVER = {
    "references": lambda s: replace(s, references=tuple(Reference(file=f"{i}") for i in range(many(s, "references")))),
    "folders": lambda s: replace(s, folders=s.folders * many(s, "folders")),
    "snapshots": lambda s: replace(s, snapshots=edits.take_snapshot(s, "a").snapshots * many(s, "snapshots")),
    "notes": lambda s: replace(s, notes=(Note(position_s=0.0, text="x", written=""),) * many(s, "notes")),
    "stations": lambda s: _lane(s, chain=(HighPass(),) * many(s.lanes[0], "chain")),
    "sends": lambda s: _lane(s, sends=(Send(to="bus"),) * many(s.lanes[0], "sends")),
    "points": lambda s: _lane(s, automation=(Automation(
        parameter="level_db", points=(Point(time_s=0.0, value=0.0),) * 100_001),)),
    "a long name": lambda s: replace(s, name="x" * 201),
    "a long note": lambda s: replace(s, notes=(Note(position_s=0.0, text="x" * 4001, written=""),)),
    "no text": lambda s: replace(s, name="takes\udcff"),
    "no number": lambda s: _lane(s, start_s=float("nan")),
    "a level over its range": lambda s: _lane(s, level_db=99.0),
}  # fmt: skip


def _lane(value, **changes):
    return replace(value, lanes=(replace(value.lanes[0], **changes), *value.lanes[1:]))


@pytest.mark.parametrize("what", OVER)
def test_an_edit_over_a_limit_is_refused_in_a_sentence_and_changes_nothing(what):
    history = History(session())
    before = history.session
    with pytest.raises(LimitError) as caught:
        history.apply(OVER[what](before), text="Changed")
    assert history.session is before
    assert history.undo_text is None
    assert len(str(caught.value)) < 200


@pytest.mark.parametrize("what", OVER)
def test_what_would_not_open_again_is_not_saved_and_the_file_stays(what, tmp_path):
    path = tmp_path / "a.alleven"
    store.save(session(), path)
    before = path.read_bytes()
    with pytest.raises(UserError, match=r"a\.alleven can't be written"):
        store.save(OVER[what](session()), path)
    assert path.read_bytes() == before


def test_what_is_within_its_limits_is_not_looked_at_twice():
    whole = session(200)
    assert limits.check(whole) is None
    changed = edits.change_strips(whole, ["lane-7"], level_db=-3.0)
    assert limits.check(changed, whole) is None
    with pytest.raises(LimitError, match="Track 7"):
        limits.check(edits.change_strips(whole, ["lane-7"], name="Track 7", file="x" * 4001), whole)


@settings(max_examples=60, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(name=st.text(max_size=260), text=st.text(max_size=200), level=st.floats(-200.0, 40.0))
def test_whatever_history_takes_can_be_read_again(name, text, level):
    history = History(session())
    made = edits.add_note(replace(_lane(history.session, level_db=level), name=name), text, 1.0)
    try:
        history.apply(made, text="Changed")
    except LimitError:
        return
    read = store.decode(store.encode(history.session), "a")
    assert replace(read, ledger=()) == replace(history.session, ledger=())


def test_a_move_on_a_track_from_another_folder_that_is_undone_before_it_was_measured_is_saved(write, tmp_path):
    """The state right after it is kept until it is measured: with the folder that the session itself lists no more."""
    first, second = write("one/a.wav", noise(0.2)), write("two/b.wav", noise(0.2, 1))
    made = new_session(first.parent, inspect_all([first])[0], "Song")
    history = History(made)
    history.apply(add_from_anywhere(made, inspect_all([second])[0]))
    history.apply(edits.change_strips(history.session, ["lane-2"], level_db=-3.0), move=MOVE)
    history.undo()
    history.undo()
    assert len(history.session.folders) == 1
    path = tmp_path / "a.alleven"
    history.apply(add_reference(history.session, write("four/mix.wav", noise(0.2, 3))))
    store.save(history.session, path)
    again = store.load(path)
    (state,) = [entry.state for entry in again.ledger if entry.state is not None]
    then = edits.in_state(again, state)
    assert store.lane_path(then, then.lanes[1]) == second
    history.apply(add_reference(history.session, write("three/mix.wav", noise(0.2, 2))))
    then = edits.in_state(history.session, state)
    assert store.lane_path(then, then.lanes[1]) == second  # not the third folder, which stands in its place now


def test_folders_of_states_move_with_the_session(write, tmp_path):
    kept = write("old/st/a.wav", noise(0.2))
    made = new_session(kept.parent, inspect_all([kept])[0], "Song")
    store.save(edits.record(made, "Order", move=MOVE), tmp_path / "old" / "a.alleven")
    (tmp_path / "old").rename(tmp_path / "new")
    again = store.load(tmp_path / "new" / "a.alleven")
    then = edits.in_state(again, again.ledger[0].state)
    assert store.lane_path(then, then.lanes[0]) == tmp_path / "new" / "st" / "a.wav"


def test_a_file_of_an_earlier_version_that_lost_a_folder_opens_and_says_so(tmp_path):
    whole = edits.record(session(), "Order", move=MOVE)
    plain = json.loads(store.encode(whole))
    plain["format_version"] = FORMAT_VERSION - 1
    state = plain["ledger"][0]["state"]
    del state["folders"], state["responses"], state["references"]
    state["lanes"][1]["folder"] = 1
    path = tmp_path / "a.alleven"
    path.write_text(json.dumps(plain))
    found = store.read(path)
    assert found.session.ledger[0].state is None
    assert found.session.lanes == whole.lanes
    assert len(found.repairs) == 1
    assert "line 1 of the ledger" in found.repairs[0]
    store.save(found.session, path)
    assert store.read(path).repairs == ()


def test_a_file_with_too_long_a_name_and_too_many_references_opens_cut_and_says_both(tmp_path):
    plain = json.loads(store.encode(session()))
    plain["name"] = "x" * 240
    plain["references"] = [{"file": f"{i}.wav"} for i in range(1003)]
    path = tmp_path / "a.alleven"
    path.write_text(json.dumps(plain))
    found = store.read(path)
    assert len(found.session.name) == 200
    assert len(found.session.references) == 1000
    assert len(found.repairs) == 2
    assert "3 of its 1003 references" in " ".join(found.repairs)


@pytest.mark.parametrize(
    ("field", "count"),
    [("references", 201), ("folders", 101), ("responses", 201), ("blinds", 1001), ("notes", 10_001)],
)
def test_what_earlier_versions_wrote_over_their_limits_opens_whole(field, count, tmp_path):
    one = {
        "references": {"file": "a.wav"}, "folders": {"path": "/x"},
        "notes": {"position_s": 0, "text": "", "written": ""},
        "responses": {"id": "r", "name": "r", "folder": 0, "file": "a.wav"},
        "blinds": {"when": "", "way": "vote", "options": ["a", "b"], "trials": 1, "answers": [0]},
    }[field]  # fmt: skip
    plain = json.loads(store.encode(session()))
    plain[field] = [
        *plain[field],
        *({**one, **({"id": f"r{i}"} if field == "responses" else {})} for i in range(count)),
    ]
    path = tmp_path / "a.alleven"
    path.write_text(json.dumps(plain))
    found = store.read(path)
    assert len(getattr(found.session, field)) >= count
    assert found.repairs == ()


def test_a_folder_with_a_long_name_makes_a_session_that_can_be_saved(tmp_path):
    import soundfile

    folder = tmp_path / ("Ж" * 110 + "x" * 30)
    folder.mkdir()
    soundfile.write(folder / "a.wav", noise(0.2), RATE)
    made = new_session(folder, inspect_all([folder / "a.wav"])[0], "y" * 300)
    assert len(made.name) == 200
    store.save(made, tmp_path / "a.alleven")
    assert store.load(tmp_path / "a.alleven").name == made.name


def test_a_full_ledger_lets_its_oldest_lines_go_but_no_move(monkeypatch):
    monkeypatch.setattr(edits, "MOST_LINES", 20)
    monkeypatch.setattr(edits, "LINES_AT_ONCE", 5)
    made = edits.record(session(), "Order", move=MOVE)
    for number in range(40):
        made = edits.record(made, f"line {number}")
    assert len(made.ledger) <= 20
    assert made.ledger[0].move == MOVE
    assert made.ledger[-1].text == "line 39"
    assert "older changes up to here are not listed any more" in made.ledger[1].text
    serials = [entry.serial for entry in made.ledger]
    assert serials == sorted(serials)
    assert store.decode(store.encode(made), "a") == made
    assert MOST_LINES > 100_000


def test_every_list_and_text_of_a_session_has_a_limit():
    """What has none could fill memory, and could not be kept by edits."""
    open_ended = []

    def walk(kind, way):
        if isinstance(kind, inspect.UnionType):
            for item in kind.types:
                walk(item, way)
        elif isinstance(kind, inspect.StructType):
            for field in kind.fields:
                if len(way) < 8:
                    walk(field.type, (*way, field.name))
        elif isinstance(kind, inspect.VarTupleType):
            if kind.max_length is None:
                open_ended.append(way)
            walk(kind.item_type, way)
        elif isinstance(kind, inspect.StrType) and kind.max_length is None and kind.pattern is None:
            open_ended.append(way)

    walk(inspect.type_info(Session), ())
    assert open_ended == []


def test_a_wrong_point_among_thousands_is_found_wherever_it_is_put():
    """What stays at both ends is passed over; what is put in between, or in place of one, is not."""
    points = tuple(Point(time_s=0.01 * i, value=-6.0) for i in range(3000))
    wrong = Point(time_s=10.0, value=float("inf"))

    def with_points(some):
        plain = session()
        automation = (Automation(parameter="level_db", points=some),)
        return edits.change_strips(plain, [plain.lanes[0].id], automation=automation)

    good = with_points(points)
    limits.check(good)
    for at in (0, 1, 1500, 2999):
        moved = Point(time_s=0.01 * at, value=3.0)
        limits.check(with_points((*points[:at], moved, *points[at + 1 :])), good)
        for bad in ((*points[:at], wrong, *points[at:]), (*points[:at], wrong, *points[at + 1 :])):
            with pytest.raises(LimitError):
                limits.check(with_points(bad), good)


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [("", "", 0), ("abc", "abc", 3), ("abc", "abd", 2), ("abc", "xbc", 0), ("abcabc", "abca", 4), ("a", "", 0)],
)
def test_what_two_begin_with_in_common(one, other, same):
    assert same_start(one, other) == same_start(other, one) == same
