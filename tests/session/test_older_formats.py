"""Sessions of older formats open as what they were; the ledger's lines and states are checked like all else."""

import json

import pytest

from all_even.moves import accounts
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.store import SessionFileError
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import FORMAT_VERSION, Folder, Session
from all_even.session.model.strips import Lane

RECORD = {
    "id": "balance.centre.lane-1", "stage": "balance", "target": "lane-1", "title": "Bring Kick to the centre",
    "reason": "Low.", "evidence": {"pan": 0.5}, "metric": "distance from the centre, %", "before": 50.0,
    "expected": 0.0, "expected_from": "predicted", "after": 0.0,
}  # fmt: skip


def old_file(*ledger: dict, version: int = 3) -> bytes:
    lanes = [{"id": "lane-1", "name": "Kick", "file": "a.wav"}]
    return json.dumps({
        "format_version": version, "name": "Old", "sample_rate": 48_000, "folders": [{"path": "/x"}], "lanes": lanes,
        "ledger": list(ledger),
    }).encode()  # fmt: skip


def line(text: str, **more) -> dict:
    return {"when": "2025-01-01T10:00:00+01:00", "text": text, **more}


@pytest.mark.parametrize("version", [1, 2, 3])
def test_a_move_of_an_older_file_is_data_now(version):
    title = RECORD["title"]
    session = store.decode(
        old_file(line(title, move=RECORD), line("Kick: level"), line(f"Undone: {title}"), version=version), "a"
    )
    assert session.format_version == FORMAT_VERSION
    assert [entry.serial for entry in session.ledger] == [1, 2, 3]
    move = session.ledger[0].move
    assert (move.kind, move.targets, move.metric) == ("balance.centre", ("lane-1",), "off-centre")
    assert session.ledger[0].result.value == 0.0
    assert session.ledger[2].undoes == 1
    assert accounts.standing(session) == {}
    assert store.decode(store.encode(session), "a") == session


def test_a_move_that_was_never_measured_stays_so():
    session = store.decode(old_file(line("Trim", move={**RECORD, "after": None})), "a")
    (entry,) = session.ledger
    assert accounts.outcome(entry, stands=True) == "unknown"
    assert accounts.waiting(session) == []


def test_a_record_that_is_none_is_refused():
    with pytest.raises(SessionFileError, match="not a usable session"):
        store.decode(old_file(line("x", move={"id": "a"})), "a")


def waiting() -> Session:
    """A session with a move that is not measured yet."""
    lanes = (Lane(id="lane-1", name="Kick", file="a.wav"),)
    session = Session(name="S", sample_rate=48_000, folders=(Folder(path="/x"),), lanes=lanes)
    move = Proposal(id="a", kind="a", stage="balance", title="A", reason="R", metric="m")
    return edits.record(session, "A", move=move)


def changed(**values) -> bytes:
    """The file with its one ledger line changed."""
    data = json.loads(store.encode(waiting()))
    entry = data["ledger"][0]
    for name, value in values.items():
        if name.startswith("state_"):
            entry["state"][name.removeprefix("state_")] = value
        else:
            entry[name] = value
    return json.dumps(data).encode()


def test_a_state_that_waits_is_read_back():
    made = waiting()
    assert store.decode(store.encode(made), "a") == made


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"serial": 0}, "not numbered upwards"),
        ({"undoes": 1}, "names one that is not before it"),
        ({"back_to": 7}, "names one that is not before it"),
        ({"state_lanes": [{"id": "b", "name": "B", "file": "b.wav", "folder": 9}]}, "in a folder it does not list"),
        ({"state_lanes": [{"id": "b", "name": "B", "file": "b.wav", "destination": "gone"}]}, "which is not there"),
    ],
)
def test_lines_and_states_that_can_t_be_are_refused_in_a_sentence(values, words):
    with pytest.raises(SessionFileError, match=words):
        store.decode(changed(**values), "a")


def test_a_file_of_format_4_opens_with_the_usual_targets():
    moved = edits.change_strips(store.decode(old_file(line("Kick: level")), "a"), ["lane-1"], level_db=-3.0)
    written = json.loads(store.encode(moved))
    del written["settings"]
    written["format_version"] = 4
    assert store.decode(json.dumps(written).encode(), "a") == moved
    written["settings"] = {"glue_db": 99.0}
    written["format_version"] = FORMAT_VERSION
    with pytest.raises(SessionFileError):
        store.decode(json.dumps(written).encode(), "a")
