"""What is read is a regular file, of a size; folders that a kill leaves are swept."""

import os
import subprocess
import sys
import time

import pytest

from all_even import inputs, path_list, places
from all_even.errors import UserError
from tests.conftest import as_nobody


def test_a_file_is_read_whole_and_no_further_than_its_limit(tmp_path):
    (tmp_path / "a").write_bytes(b"0123456789")
    assert inputs.whole(tmp_path / "a", 10, "a thing") == b"0123456789"
    with pytest.raises(inputs.Unreadable, match="too large to be a thing"):
        inputs.whole(tmp_path / "a", 9, "a thing")


@pytest.mark.parametrize(("kind", "said"), [("fifo", "not a regular file"), ("device", "not a regular file"),
                                            ("folder", "is a folder"), ("nothing", "is not there"),
                                            ("null", "no file can have that name")])  # fmt: skip
def test_what_is_no_file_is_one_sentence_at_once(tmp_path, kind, said):
    path = tmp_path / "a"
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "device":
        path.symlink_to("/dev/zero")
    elif kind == "folder":
        path.mkdir()
    elif kind == "null":
        path = tmp_path / "a\0b"
    with pytest.raises(inputs.Unreadable, match=said):
        inputs.whole(path, 100, "a thing")


def test_a_place_inside_a_folder_that_refuses_is_no_folder_and_no_file(public_folder):
    (public_folder / "closed" / "inner").mkdir(parents=True)
    (public_folder / "closed").chmod(0o600)
    with as_nobody():
        assert not inputs.is_folder(public_folder / "closed" / "inner")
        assert not inputs.is_file(public_folder / "closed" / "inner" / "a.wav")
        assert inputs.files_of(public_folder / "closed") == []


@pytest.mark.parametrize("name", ["a\u2028b", "a\x0bb", "a\x85b", "a\rb", " a ", "Ж鼓"])
def test_a_name_that_ends_lines_of_text_stays_one_name_in_a_list(tmp_path, home, name):
    path = tmp_path / f"{name}.wav"
    path.touch()
    path_list.write("list.txt", [path])
    assert path_list.read("list.txt", 10) == [path]


def test_a_name_with_a_line_feed_is_refused_not_dropped(tmp_path, home):
    with pytest.raises(UserError, match="line feed"):
        path_list.write("list.txt", [tmp_path / "a\nb.wav"])


def test_folders_of_a_killed_run_are_swept_after_a_day_and_those_of_a_living_one_stay(tmp_path, monkeypatch):
    monkeypatch.setattr(places.tempfile, "tempdir", str(tmp_path))
    code = "import time; from all_even import places\n"
    code += "with places.passing_folder('x') as f: print(f, flush=True); time.sleep(600)"
    environment = {**os.environ, "TMPDIR": str(tmp_path)}
    runs = [
        subprocess.Popen([sys.executable, "-c", code], env=environment, stdout=subprocess.PIPE, text=True) for _ in "ab"
    ]
    folders = [run.stdout.readline().strip() for run in runs]
    runs[0].kill()
    runs[0].wait()
    foreign = tmp_path / "all-even-foreign-file"
    foreign.touch()
    for folder in folders:
        os.utime(folder, (time.time() - 2 * places.STALE_S,) * 2)
    with places.passing_folder("y") as mine:
        assert not os.path.isdir(folders[0])
        assert os.path.isdir(folders[1])
        assert mine.is_dir()
    assert not mine.exists()
    assert foreign.exists()
    runs[1].kill()
    runs[1].wait()
