"""The attack: broken sessions and sounds, all that comes in and goes out beside them, kills, two processes on one
session, random hands on the window. 0 traces, 0 hangs, 0 changed originals, nothing lost, nothing incomplete unsaid.

A short form runs with all tests; `make attack` sets ALL_EVEN_ATTACK=full: 2,000 sessions, 2,000 sounds, 2,000 surfaces
(curves, MIDI, templates, references, retunes, deliveries, edits, full disks), 110 kills, 9,000 actions in the window.
"""

import contextlib
import csv
import itertools
import json
import os
import random
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
import soundfile

from all_even import outputs, places
from all_even.audio import decoded, retune, sound_file
from all_even.measure.recording.files import measure_file
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.document import ChangedMeanwhile, Document
from tests.attack import hands, sessions, worker
from tests.forked import Nursery, nursery

FULL = os.environ.get("ALL_EVEN_ATTACK") == "full"
ROOT = Path(__file__).parents[2]
PARTS = 8 if FULL else 2
CASES = {"session": 250 if FULL else 30, "sound": 250 if FULL else 30, "surface": 250 if FULL else 16}
KILLS = 20 if FULL else 2
WRITERS = ("save", "print", "stems", "recall", "cache", *(["retune"] if retune.is_there() else []))
HANDS = 2 if FULL else 1
ACTIONS = 4_500 if FULL else 200
"""Of each pair of hands."""


@pytest.mark.slow  # on a new machine it compiles kernels that check every index
@pytest.mark.parametrize("part", range(PARTS))
@pytest.mark.parametrize("kind", CASES)
def test_broken_files_are_refused_or_work(kind, part, tmp_path, record_property):
    environment = {**os.environ, "ALL_EVEN_HOME": str(tmp_path / "home"), "PYTHONPATH": str(ROOT)}
    if kind == "session":  # every index of a kernel is checked
        environment |= {"ALL_EVEN_CHECK_BOUNDS": "1", "NUMBA_CACHE_DIR": checked_kernels()}
        environment["NUMBA_OPT"] = "0"  # compiled a third quicker, and the sessions are short
    count = CASES[kind]
    command = [sys.executable, "-m", "tests.attack.worker", kind, str(part * count), str(count), str(tmp_path / "case")]
    told = subprocess.run(command, env=environment, capture_output=True, text=True, cwd=ROOT)
    assert told.returncode == 0, f"the process ended: {told.stderr[-3000:]}"
    assert "Traceback" not in told.stderr
    met = json.loads(told.stdout)
    record_property("met", f"{count} {kind}s: {met['met']}, {met['memory_mb']} MB at most")
    assert met["faults"] == []
    assert sum(met["met"].values()) == count
    for word in ("refused", "opened"):
        assert sum(count for key, count in met["met"].items() if key.endswith(word)) > 0


def checked_kernels() -> str:
    """The cache of kernels with checked indices, beside the usual one."""
    return os.environ["NUMBA_CACHE_DIR"].rstrip("/") + "-checked"


@pytest.fixture(scope="module")
def song(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("kills")
    sessions.make_folder(folder / "music")
    (folder / "out" / "stems").mkdir(parents=True)
    store.save(sessions.full_session(folder / "music"), folder / "s.alleven")
    return folder


@pytest.fixture(scope="module")
def writers(song) -> Iterator[Nursery]:
    (song / "temporary").mkdir()
    environment = {**os.environ, "ALL_EVEN_HOME": str(song / "home"), "TMPDIR": str(song / "temporary")}
    with nursery("tests.attack.killed", str(song), *WRITERS, environment=environment) as made:
        yield made


@pytest.mark.slow  # the first of them reads in and compiles for all
@pytest.mark.parametrize("kind", WRITERS)
def test_kills_leave_whole_files(kind, song, writers, record_property, monkeypatch):
    before = worker.digest(song / "music")
    rng = random.Random(kind)
    for _ in range(KILLS):
        child = writers.born(kind, str(song))
        time.sleep(rng.uniform(0.0, 0.4))  # somewhere inside: the child writes without a pause
        writers.kill(child)
        whole(song, kind)
    assert worker.digest(song / "music") == before
    left = [path for path in song.rglob("*.part") if path.is_file()]
    for path in left:
        os.utime(path, (time.time() - 2 * outputs.STALE_S,) * 2)
    outputs._swept.clear()
    for folder in {path.parent for path in left}:
        outputs.sweep(folder)
    assert not list(song.rglob("*.part"))
    folders = list((song / "temporary").iterdir())
    for folder in folders:
        os.utime(folder, (time.time() - 2 * places.STALE_S,) * 2)
    monkeypatch.setattr(places.tempfile, "tempdir", str(song / "temporary"))
    with places.passing_folder("sweep") as mine:
        assert list((song / "temporary").iterdir()) == [mine]
    met = f"all whole, {len(left)} unfinished files and {len(folders)} folders swept"
    record_property("met", f"{KILLS} kills while {kind}: {met}")


def whole(song: Path, kind: str) -> None:
    """Everything that has its final name is complete."""
    out = song / "out"
    for path in out.rglob("*.alleven"):
        assert store.load(path).sample_rate == sessions.RATE
    prints = list(out.rglob("*.wav"))
    lengths = {soundfile.info(path).frames for path in prints}
    assert len(lengths) <= 1, "prints of one song are equally long"
    for path in prints:
        assert len(soundfile.read(path)[0]) in lengths
    for path in (song / "music" / retune.FOLDER).glob("*.wav"):
        assert soundfile.info(path).frames == sessions.FRAMES
    for path in out.glob("sheet.*"):
        if path.suffix == ".pdf":
            assert path.read_bytes().rstrip().endswith(b"%%EOF")
            continue
        text = path.read_text(encoding="utf-8")
        if path.suffix == ".json":
            assert json.loads(text)["song"] == "Attack"
        elif path.suffix == ".csv":
            assert len(list(csv.reader(text.splitlines()))) > 5
        else:
            assert text.rstrip().endswith("</html>")
    if kind == "cache":
        kept = os.environ["ALL_EVEN_HOME"]
        os.environ["ALL_EVEN_HOME"] = str(song / "home")
        try:
            for path in sorted((song / "music").glob("?.wav")):
                assert measure_file(path).ok
                assert decoded.open_frames(sound_file.inspect(path), 44_100).read(0, 4_000).any()
        finally:
            os.environ["ALL_EVEN_HOME"] = kept


def test_two_processes_on_one_session_lose_nothing_of_each_other(tmp_path, record_property):
    """A window (a document with its lock) and commands, at once: whatever either said it saved is in the file."""
    sessions.make_folder(tmp_path / "music")
    path = tmp_path / "s.alleven"
    store.save(sessions.full_session(tmp_path / "music"), path)
    rng, count = random.Random("two"), 60 if FULL else 6
    environment = {**os.environ, "PYTHONPATH": str(ROOT)}
    command = [sys.executable, "-m", "tests.attack.other", str(path), str(count)]
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True, cwd=ROOT) as other:
        said: list[str] = []
        for number in itertools.count():
            if other.poll() is not None:
                break
            time.sleep(rng.uniform(0.0, 0.1))
            loaded = store.read(path)
            document = Document(loaded.session, path, loaded.seen)
            if document.lock.held:
                note = f"window {number}"
                session = edits.add_note(document.session, note, 1.0)
                time.sleep(rng.uniform(0.0, 0.05))
                with contextlib.suppress(ChangedMeanwhile):
                    document.write(session, path, document.begin("save"))
                    said.append(note)
            document.close()
        told = other.stdout.read().split("\n")
    assert other.returncode == 0
    noted = {note.text for note in store.load(path).notes}
    done = [line for line in told if line.startswith("command")]
    assert set(said) | set(done) <= noted
    refused = told.count("refused")
    assert len(done) + refused == count
    record_property("met", f"{count} commands beside a window: {len(done)} done, {refused} refused, {len(said)} saves")


def test_a_window_that_is_killed_loses_nothing_that_was_copied(tmp_path, record_property):
    sessions.make_folder(tmp_path / "music")
    path, rng, kills = tmp_path / "s.alleven", random.Random("window"), 10 if FULL else 1
    environment = {**os.environ, "ALL_EVEN_HOME": str(tmp_path / "home"), "PYTHONPATH": str(ROOT)}
    for _ in range(kills):
        store.save(sessions.full_session(tmp_path / "music"), path)
        command = [sys.executable, "-m", "tests.attack.killed_window", str(path)]
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True, cwd=ROOT) as window:
            lines = [window.stdout.readline() for _ in range(rng.randint(2, 5))]
            time.sleep(rng.uniform(0.0, 0.2))
            window.kill()
            lines += window.stdout.read().split("\n")
        copied = max(
            int(line.split()[1]) for line in lines if line.startswith("copied ") and line.strip()[-1].isdigit()
        )
        told = subprocess.run([*command, "recovered"], env=environment, capture_output=True, text=True, cwd=ROOT)
        assert told.returncode == 0, told.stderr
        assert int(told.stdout) >= copied
    record_property("met", f"{kills} kills of a window: all that was copied is there")


@pytest.mark.slow  # two hundred actions in a window of its own
@pytest.mark.parametrize("seed", range(HANDS))
def test_random_hands_break_nothing(seed, tmp_path, record_property):
    """In a process of its own: what they do there is told by its seed and its number."""
    environment = {**os.environ, "ALL_EVEN_HOME": str(tmp_path / "home"), "PYTHONPATH": str(ROOT)}
    command = [sys.executable, "-m", "tests.attack.hands", str(seed), str(ACTIONS), str(tmp_path / "case")]
    told = subprocess.run(command, env=environment, capture_output=True, text=True, cwd=ROOT)
    assert told.returncode == 0, f"the window ended: {told.stdout[-500:]} {told.stderr[-3000:]}"
    met = json.loads(told.stdout.strip().split("\n")[-1])
    words = f"{met['actions']} actions of seed {seed}: {met['checks']} times undone to the first value and reopened"
    record_property("met", words)
    assert met["faults"] == []
    assert met["actions"] == ACTIONS
    assert met["checks"] > 0
    assert hands.ACTIONS
