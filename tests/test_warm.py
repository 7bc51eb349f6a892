"""A first start: kernels are compiled beforehand, all that is needed first at the beginning, and by nobody twice."""

import json
import os
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from all_even import kernels
from all_even.cli import warm

MEASURED_AND_PLAYED = """
import sys
from pathlib import Path
from numba.core import event
recorder = event.RecordingListener()
event.register("numba:compile", recorder)
from tests.moves.looks import look_at
from all_even.figures.sharing import sharing
from all_even.engine.planning import make_plan
from all_even.engine.running import Running
look = look_at(Path(sys.argv[1]))
look.mix, sharing.sharing(look)
plan = make_plan(look.session, look.book.sources)
Running(plan, 0, short=True).advance(512)
print([one.data["dispatcher"].py_func.__name__ for _, one in recorder.buffer if one.is_start])
"""


def test_measuring_a_folder_and_playing_it_compiles_nothing_more(short_folder, tmp_path):
    environment = {**os.environ, "ALL_EVEN_HOME": str(tmp_path), "PYTHONPATH": str(Path(__file__).parents[1])}
    command = [sys.executable, "-c", MEASURED_AND_PLAYED, str(short_folder)]
    told = subprocess.run(command, env=environment, capture_output=True, text=True)
    assert told.returncode == 0, told.stderr
    assert told.stdout.strip() == "[]"


def test_pieces_name_files_that_are_there_and_what_plays_comes_first():
    """Nobody waits for what nobody compiles."""
    names = [piece.name for piece in warm.pieces()]
    assert len(set(names)) == len(names)
    assert names[0] == "mixing"
    source = Path(kernels.__file__).parent
    places = [place for piece in warm.pieces() for place in piece.places]
    for place in places:
        path = source.joinpath(*place.removesuffix(" short").split("."))
        assert path.is_dir() or path.with_suffix(".py").is_file(), place


def test_who_needs_what_another_process_compiles_waits_for_it(monkeypatch):
    done = threading.Event()
    called: list[str] = []

    def loop(value):
        return value + 1

    one = kernels.Kernel(loop)
    monkeypatch.setattr(one, "compiled", lambda value: called.append("called") or loop(value), raising=False)
    monkeypatch.setattr(kernels, "awaited", lambda place: place == one.place and not done.is_set())
    thread = threading.Thread(target=one, args=(1,))
    thread.start()
    assert called == []
    done.set()
    thread.join()
    assert called == ["called"]


def test_pieces_are_told_as_they_are_done(monkeypatch, capfd):
    ran = [warm.Piece(name, ("dsp.gate",), lambda: None) for name in ("a", "b", "c")]
    monkeypatch.setattr(warm, "pieces", lambda: tuple(ran))
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    warm.warm(2)
    first, *others = [json.loads(line) for line in capfd.readouterr().out.splitlines()]
    assert set(first["all"]) == {"a", "b", "c"}
    assert sorted(line["done"] for line in others) == ["a", "b", "c"]


def test_a_piece_that_fails_is_a_status_and_no_mark(monkeypatch, tmp_path):
    def fails() -> None:
        raise RuntimeError

    monkeypatch.setattr(warm, "pieces", lambda: (warm.Piece("a", (), fails),))
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))
    with pytest.raises(SystemExit):
        warm.warm(1)
    assert not (tmp_path / kernels.WARM).exists()
