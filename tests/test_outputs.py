"""What may be written over: one decision for every writer, and files that appear whole."""

import os
import time
from pathlib import Path

import pytest
import soundfile

from all_even import outputs
from all_even.audio.writing import write_sound
from all_even.cli import main
from all_even.errors import UserError
from all_even.session.file import store
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane
from tests.conftest import RATE, noise, stereo


@pytest.fixture
def folder(write, tmp_path) -> Path:
    """Two recordings, one of them with six channels, which is in no session; and a link to the first."""
    write("music/HH.wav", noise(0.3))
    soundfile.write(tmp_path / "music" / "six.wav", noise(0.1).repeat(6).reshape(-1, 6), RATE)
    (tmp_path / "music" / "other name.wav").symlink_to(tmp_path / "music" / "HH.wav")
    os.link(tmp_path / "music" / "HH.wav", tmp_path / "hard.wav")
    return tmp_path / "music"


def contents(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.parent.rglob("*.wav")}


def made(folder: Path) -> Path:
    session = Session(
        name="s", sample_rate=RATE, folders=(Folder(path=str(folder)),),
        lanes=(Lane(id="a", name="HH", file="HH.wav"),),
    )  # fmt: skip
    store.save(session, folder.parent / "s.alleven")
    return folder.parent / "s.alleven"


COMMANDS = {
    "new": ["new", "{folder}", "-o", "{target}"],
    "moves": ["moves", "{session}", "--apply", "all", "-o", "{target}"],
    "render": ["render", "{session}", "-o", "{target}"],
    "recall": ["recall", "{session}", "-o", "{target}"],
}
TARGETS = ("{folder}/HH.wav", "{folder}/other name.wav", "{folder}/../hard.wav", "{folder}/six.wav")


@pytest.mark.parametrize("target", TARGETS)
@pytest.mark.parametrize("command", COMMANDS)
def test_no_command_writes_over_a_recording_by_any_of_its_names(command, target, folder, capsys, home):
    names = {"folder": folder, "session": made(folder), "target": target.format(folder=folder)}
    before = contents(folder)
    assert main([str(part).format(**names) for part in COMMANDS[command]]) == 1
    assert contents(folder) == before
    told = capsys.readouterr().err.strip().split("\n")[-1]
    assert "can't be written" in told or "choose another name" in told
    assert len(told) < 200


@pytest.mark.parametrize("name", ["HH.alleven", "notes.alleven", "mix.wav", "sheet.html", "sheet.csv", "sheet.json"])
def test_a_file_of_another_kind_is_never_replaced(name, tmp_path):
    path = tmp_path / name
    path.write_text("The lyrics, which exist nowhere else.")
    kind = next(
        kind
        for kind in (outputs.SESSION, outputs.SOUND, outputs.HTML, outputs.CSV, outputs.JSON)
        if path.suffix in kind.suffixes
    )
    with pytest.raises(UserError, match=f"{name} is there already and is no"):
        outputs.allowed(path, kind)


def test_a_recording_renamed_to_a_sessions_name_is_not_replaced(folder):
    (folder / "HH.wav").rename(folder / "HH.alleven")
    before = (folder / "HH.alleven").read_bytes()
    with pytest.raises(store.SessionFileError, match="is no session"):
        store.save(Session(name="s", sample_rate=RATE), folder / "HH.alleven")
    assert (folder / "HH.alleven").read_bytes() == before


def test_a_print_of_ours_is_replaced_in_the_folder_and_a_strangers_file_is_not(folder):
    protected = outputs.recordings([folder / "HH.wav"], [folder])
    write_sound(folder / "mix.wav", [stereo(noise(0.1))], sample_rate=RATE, channels=2, protected=protected)
    again = write_sound(folder / "mix.wav", [stereo(noise(0.2))], sample_rate=RATE, channels=2, protected=protected)
    assert soundfile.info(folder / "mix.wav").frames == again.frames
    with pytest.raises(UserError, match="not a print of ours"):
        write_sound(folder / "six.wav", [stereo(noise(0.1))], sample_rate=RATE, channels=2, protected=protected)


def test_a_lane_of_a_snapshot_is_protected_too(folder):
    from all_even.session.editing import edits

    session = store.load(made(folder))
    later = edits.take_snapshot(session, "rough")
    from msgspec.structs import replace

    assert store.recordings(replace(later, lanes=())).identities == store.recordings(session).identities


def test_a_session_is_only_written_under_its_own_ending(tmp_path):
    for name in ("s.json", "s.wav", "s"):
        with pytest.raises(store.SessionFileError, match=r"has to end in \.alleven"):
            store.save(Session(name="s", sample_rate=RATE), tmp_path / name)


def test_a_prepared_link_beside_the_target_is_not_followed(tmp_path, monkeypatch):
    """Somebody who knows the temporary name can't make us write through it: it is met, not followed."""
    victim = tmp_path / "victim"
    victim.write_text("mine")
    monkeypatch.setattr(outputs.secrets, "token_hex", lambda _n: "0" * 16)
    (tmp_path / ".all-even-0000000000000000.part").symlink_to(victim)
    with pytest.raises(FileExistsError):
        outputs.write_whole(tmp_path / "a.html", b"x")
    assert victim.read_text() == "mine"


def test_temporary_names_can_not_be_guessed(tmp_path):
    names = {outputs.Beside(tmp_path / "a.wav").path.name for _ in range(20)}
    assert len(names) == 20
    assert all(len(name) > 25 for name in names)


def test_what_killed_runs_left_is_swept_after_a_day_and_nothing_else(tmp_path):
    old = [".all-even-0123456789abcdef.part", ".mix.4711-3.part.wav", ".s.12-0.part.alleven"]
    young = ".all-even-fedcba9876543210.part"
    kept = [".all-even-notes.part", "mix.part.wav", ".hidden.part", "take.wav"]
    for name in (*old, young, *kept):
        (tmp_path / name).write_text("x")
        if name != young:
            os.utime(tmp_path / name, (time.time() - 90_000,) * 2)
    outputs.write_whole(tmp_path / "a.html", b"x")
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([*kept, young, "a.html"])


def test_a_replaced_file_keeps_who_may_read_it(tmp_path):
    path = tmp_path / "s.alleven"
    store.save(Session(name="s", sample_rate=RATE), path)
    path.chmod(0o600)
    store.save(Session(name="t", sample_rate=RATE), path)
    assert path.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize("name", ["鼓" * 90 + ".wav", "x" * 260 + ".wav", "a\x00.wav"])
def test_a_name_that_no_file_can_have_is_a_sentence(name, tmp_path):
    with pytest.raises(UserError, match="can't be written"):
        outputs.allowed(tmp_path / name, outputs.SOUND)


def test_a_long_name_in_wide_letters_is_written(tmp_path):
    """250 bytes: what is put beside it for a moment has a short name of its own."""
    path = tmp_path / ("鼓" * 82 + ".wav")
    write_sound(path, [stereo(noise(0.1))], sample_rate=RATE, channels=2)
    assert soundfile.info(path).frames == 4800
