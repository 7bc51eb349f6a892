"""The command mix: from a folder to a mix, a report that says what was done, and the same bytes again."""

import json
from pathlib import Path

import pytest
import soundfile

from all_even.session.file import store
from tests.test_cli import run

WRITTEN = (".alleven", ".wav", " recall.html", " report.html", " report.json")


@pytest.fixture(scope="module")
def folder(small_band, tmp_path_factory) -> Path:
    made = tmp_path_factory.mktemp("mix") / "Tune"
    made.mkdir()
    for name in ("01_KIK IN.wav", "BASS_DI.wav", "LD VOX comp.wav"):
        sound, rate = soundfile.read(small_band / name)
        soundfile.write(made / name, sound[: 7 * rate], rate, subtype="PCM_24")
    (made / "broken.wav").write_bytes(b"RIFF")
    return made


def bytes_of(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


@pytest.mark.slow(reason="a first mix goes through all stages, twice here: that is what is compared")
def test_the_same_folder_gives_the_same_bytes_and_all_that_is_told_is_there(capsys, folder, tmp_path, home):
    first, second = tmp_path / "a", tmp_path / "b"
    status, out, err = run(capsys, "mix", folder, "-o", first, "--json", "--school", "rhythm-first")
    assert status == 0
    assert "broken.wav" in err
    told = json.loads(out)
    assert sorted(bytes_of(first)) == sorted(f"Tune{ending}" for ending in WRITTEN)
    assert told == json.loads((first / "Tune report.json").read_text())
    assert [stage["key"] for stage in told["stages"]][:3] == ["gather", "gain", "balance"]
    moves = [move for stage in told["stages"] for move in stage["moves"]]
    assert moves[0].keys() >= {"title", "before", "promised", "found", "at_end", "true", "since"}
    assert any("Rhythm first" in move["title"] for move in moves)
    assert told["asked"] == ["The balance starts rhythm first."]
    assert any("broken.wav" in text for text in told["unread"])
    assert told["figures"]["end"]["plr_db"] == pytest.approx(told["stages"][-1]["now"]["plr_db"])
    session = store.load(first / "Tune.alleven")
    assert len([entry for entry in session.ledger if entry.move is not None]) == len(moves)
    page = (first / "Tune report.html").read_text()
    assert all(stage["name"] in page for stage in told["stages"])
    assert run(capsys, "mix", folder, "-o", second, "--school", "rhythm-first")[0] == 0
    one, other = bytes_of(first), bytes_of(second)
    assert one.keys() == other.keys()
    assert [name for name in one if one[name] != other[name]] == []


@pytest.mark.slow(reason="a first mix goes through all stages")
def test_it_goes_on_from_a_session_and_leaves_the_time_it_is_given(capsys, folder, tmp_path, home):
    session = tmp_path / "start.alleven"
    assert run(capsys, "new", folder, "-o", session)[0] == 0
    status, out, err = run(capsys, "mix", session, "-o", tmp_path / "out", "--time", "0", "--lead", "nobody")
    assert status == 0
    assert "Rides was left out: no time was left." in err
    assert "made" not in out
    assert (tmp_path / "out" / "start report.json").is_file() or list((tmp_path / "out").glob("* report.json"))


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--lead", "Nobody at all"), "There is no track Nobody at all"),
        (("--role", "BASS_DI.wav=tambourinist"), "There is no role tambourinist"),
    ],
)
def test_what_can_t_be_done_is_one_line(capsys, folder, tmp_path, home, arguments, words):
    status, _, err = run(capsys, "mix", folder, "-o", tmp_path / "o", *arguments)
    assert status == 1
    assert words in err


def test_a_folder_without_sound_is_told(capsys, tmp_path, home):
    empty = tmp_path / "empty"
    empty.mkdir()
    status, _, err = run(capsys, "mix", empty, "-o", tmp_path / "o")
    assert status == 1
    assert "holds no sound file" in err
