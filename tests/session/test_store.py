"""The session file: whole at every moment, and read as the untrusted input it is."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from all_even.session.editing import edits
from all_even.session.file import checks, store
from all_even.session.file.lock import Lock
from all_even.session.file.store import SessionFileError, lane_path, load, save
from all_even.session.model.session import FORMAT_VERSION, Folder, Session
from all_even.session.model.strips import Lane
from tests.forked import nursery
from tests.session.plain import session


def test_what_is_saved_is_what_is_loaded(tmp_path):
    made = edits.add_note(edits.set_trim(session(), -3.0), "Tøm ≈ 80 Hz", 12.5)
    save(made, tmp_path / "a.alleven")
    assert replace(load(tmp_path / "a.alleven"), folders=()) == replace(made, folders=())


def test_the_version_before_is_kept(tmp_path):
    path = tmp_path / "a.alleven"
    save(session(1), path)
    save(session(2), path)
    assert len(load(path).lanes) == 2
    assert len(load(tmp_path / "a.alleven.previous").lanes) == 1
    assert not list(tmp_path.glob(".*part"))


def test_a_link_is_followed_and_stays_a_link(tmp_path):
    (tmp_path / "real").mkdir()
    save(session(1), tmp_path / "real" / "a.alleven")
    link = tmp_path / "a.alleven"
    link.symlink_to(tmp_path / "real" / "a.alleven")
    save(session(2), link)
    assert link.is_symlink()
    assert len(load(tmp_path / "real" / "a.alleven").lanes) == 2


def test_folders_move_with_the_session(tmp_path):
    (tmp_path / "old" / "stems").mkdir(parents=True)
    save(session(folder=str(tmp_path / "old" / "stems")), tmp_path / "old" / "a.alleven")
    (tmp_path / "old").rename(tmp_path / "new")
    assert load(tmp_path / "new" / "a.alleven").folders[0].path == str(tmp_path / "new" / "stems")


def test_the_session_opens_after_20_kills_while_saving(tmp_path):
    path = tmp_path / "a.alleven"
    save(session(), path)
    with nursery("tests.session.saver") as savers:
        for attempt in range(20):
            child = savers.born(str(path))
            if attempt == 0:
                assert savers.said() == "saved once"
            time.sleep(0.01 + 0.013 * attempt)  # somewhere inside a save: the child saves without a pause
            savers.kill(child)
            assert load(path).sample_rate == 48_000
    assert load(path).name.startswith("save ")


BAD = {
    "letter": (b"Dear mixer", "bad.alleven is not a session: it is damaged or no JSON at all."),
    "empty": (b"", "bad.alleven is not a session: it is damaged or no JSON at all."),
    "deep": (b"[" * 5000 + b"]" * 5000, "bad.alleven is not a session: it is nested deeper than any session is."),
    "infinite": (b'{"name": "a", "sample_rate": Infinity}', "damaged or no JSON"),
    "not a number": (b'{"name": "a", "sample_rate": 48000, "mix": {"trim_db": NaN}}', "damaged or no JSON"),
    "unknown field": (b'{"name": "a", "sample_rate": 48000, "colour": 1}', "unknown field “colour”"),
    "missing field": (b'{"sample_rate": 48000}', "missing required field “name”"),
    "wrong type": (b'{"name": "a", "sample_rate": "fast"}', "in sample_rate"),
    "out of range": (b'{"name": "a", "sample_rate": 48000, "mix": {"trim_db": 90}}', "in mix, trim_db"),
    "newer": (b'{"format_version": 99, "name": "a", "sample_rate": 48000, "new": {}}',
              f"bad.alleven was written by a newer All Even (format 99; this one reads {FORMAT_VERSION})."),
    "huge list": (json.dumps({"name": "a", "sample_rate": 48000, "lanes":
                  [{"id": f"i{i}", "name": "n", "file": "f"} for i in range(40_001)]}).encode(), "in tracks"),
    "bytes": (b"\xff\xfe\x00", "damaged or no JSON"),
    "track in no folder": (b'{"name": "a", "sample_rate": 48000, "lanes": [{"id": "x", "name": "n", "file": "f"}]}',
                          "n is in a folder it does not list"),
}  # fmt: skip


@pytest.mark.parametrize("kind", BAD)
def test_a_bad_session_file_is_refused_in_one_sentence(kind, tmp_path):
    content, words = BAD[kind]
    path = tmp_path / "bad.alleven"
    path.write_bytes(content)
    with pytest.raises(SessionFileError) as caught:
        load(path)
    assert words in str(caught.value)
    assert str(caught.value).startswith("bad.alleven ")
    assert "\n" not in str(caught.value)


def test_a_file_that_is_too_large_is_not_read(tmp_path):
    path = tmp_path / "big.alleven"
    path.touch()
    os.truncate(path, checks.LARGEST_BYTES + 1)
    with pytest.raises(SessionFileError, match="too large to be a session"):
        load(path)


@pytest.mark.parametrize("file", ["../secret.wav", "/etc/passwd", "a/../../b.wav"])
def test_an_entry_that_climbs_out_of_its_folder_is_refused(file, tmp_path):
    made = session(folder=str(tmp_path))
    with pytest.raises(SessionFileError, match="not inside the session's listed folders"):
        lane_path(made, replace(made.lanes[0], file=file))


def test_a_link_out_of_the_folder_is_refused(tmp_path):
    (tmp_path / "stems").mkdir()
    (tmp_path / "outside.wav").touch()
    (tmp_path / "stems" / "0.wav").symlink_to(tmp_path / "outside.wav")
    made = session(folder=str(tmp_path / "stems"))
    with pytest.raises(SessionFileError, match="a link on its way leads out"):
        lane_path(made, made.lanes[0])


def test_a_second_window_is_noticed_and_a_kill_leaves_no_lock(tmp_path, home):
    path = tmp_path / "a.alleven"
    first, second = Lock(path), Lock(path)
    assert (first.held, second.held) == (True, False)
    second.release()
    first.release()
    code = (
        "from all_even.session.file.lock import Lock; from pathlib import Path;"
        f"lock = Lock(Path({str(path)!r})); print(lock.held, flush=True); input()"
    )
    other = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stdin=subprocess.PIPE)
    assert other.stdout is not None
    assert other.stdout.readline() == b"True\n"
    assert not Lock(path).held
    other.kill()
    other.communicate()
    assert Lock(path).held


names = st.text(st.characters(codec="utf-8", exclude_categories=("Cs",)), min_size=1, max_size=40)


@settings(max_examples=60, deadline=None)
@given(
    name=names,
    lanes=st.lists(st.tuples(names, st.floats(-120, 12), st.floats(-1, 1), st.booleans(), st.booleans()), max_size=6),
    trim=st.floats(-40, 12),
)
def test_any_session_survives_its_file(name, lanes, trim):
    made = Session(
        name=name,
        sample_rate=44_100,
        folders=(Folder(path="/m"),),
        lanes=tuple(
            Lane(id=f"l{i}", name=n, file=f"{i}.wav", level_db=level, pan=pan, mute=mute, solo=solo)
            for i, (n, level, pan, mute, solo) in enumerate(lanes)
        ),
        mix=edits.set_trim(session(), trim).mix,
    )
    assert store.decode(store.encode(made), "x") == made


def test_an_unreadable_place_is_said(tmp_path):
    with pytest.raises(SessionFileError, match=r"a.alleven can't be written: there is no folder .*gone"):
        save(session(), tmp_path / "gone" / "a.alleven")
    with pytest.raises(SessionFileError, match="is not there"):
        load(Path(tmp_path / "b.alleven"))


def test_saves_at_the_same_time_leave_one_whole_file(tmp_path):
    """Threads of one process: no save may write into another's unfinished file."""
    from concurrent.futures import ThreadPoolExecutor

    path = tmp_path / "a.alleven"
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(lambda count: save(session(count), path), range(1, 60)))
    assert 1 <= len(load(path).lanes) < 60
    assert sorted(item.name for item in tmp_path.iterdir()) == ["a.alleven", "a.alleven.previous"]
