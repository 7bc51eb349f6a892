"""The command line as a script uses it."""

import json
import math
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile

from all_even import cli, stages
from tests.conftest import RATE, as_nobody, noise, sine, stereo


def run(capsys, *arguments) -> tuple[int, str, str]:
    status = cli.main([str(argument) for argument in arguments])
    out, err = capsys.readouterr()
    return status, out, err


def test_measure_reads_the_sine_at_minus_23_as_minus_23_lufs(capsys, write):
    status, out, _ = run(capsys, "measure", write("sine.wav", stereo(sine(1000.0, 20.0, -23.0))), "--json")
    track = json.loads(out)["tracks"][0]
    assert status == 0
    assert track["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)
    assert track["true_peak_dbtp"] == pytest.approx(-23.0, abs=0.1)
    assert track["rms_dbfs"] == pytest.approx(-26.01, abs=0.01)


def test_measure_gives_complete_json_even_if_every_file_is_bad(capsys, tmp_path):
    (tmp_path / "b.wav").write_bytes(b"")
    (tmp_path / "a.flac").write_bytes(b"no")
    status, out, _ = run(capsys, "measure", tmp_path, "--json")
    data = json.loads(out)
    assert status == 0
    assert [track["ok"] for track in data["tracks"]] == [False, False]
    assert data["tracks"][0]["file"].endswith("a.flac")
    assert data["tracks"][1]["error"] == "b.wav is empty: it has 0 bytes."
    assert data["tracks"][1]["integrated_lufs"] is None
    assert data["tracks"][1]["findings"][0]["severity"] == "fault"


def test_new_render_equals_the_sum_of_the_tracks(capsys, short_folder, tmp_path):
    """Faders 0 dB, centre: mono at -3 dB constant power, stereo at 0 dB; 24-bit."""
    session, mix = tmp_path / "a.alleven", tmp_path / "mix.wav"
    assert run(capsys, "new", short_folder, "-o", session)[0] == 0
    assert run(capsys, "render", session, "-o", mix)[0] == 0
    read = soundfile.read(mix)[0]
    expected = np.zeros_like(read)
    for path in short_folder.glob("*.wav"):
        samples = soundfile.read(path, always_2d=True)[0]
        expected[: len(samples)] += samples * (math.sqrt(0.5) if samples.shape[1] == 1 else 1.0)
    assert np.abs(read - np.clip(expected, -1.0, 1.0 - 2.0**-23)).max() <= 1.01 * 2.0**-23


def test_figures_and_moves_speak_json(capsys, short_folder, tmp_path):
    session, changed = tmp_path / "a.alleven", tmp_path / "b.alleven"
    run(capsys, "new", short_folder, "-o", session)
    before = json.loads(run(capsys, "figures", session, "--json")[1])
    assert set(before["mix"]) == {"sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "balance_db", "correlation"}
    assert len(before["lanes"]) == 12
    made = json.loads(
        run(capsys, "moves", session, "--stage", "balance", "--json", "--apply", "balance.all-even", "-o", changed)[1]
    )
    move = next(move for move in made["moves"] if move["id"] == "balance.all-even")
    assert move["made"]
    assert move["after"] < 0.5 < move["before"]
    assert {move["made"] for move in made["moves"] if move["id"] != "balance.all-even"} == {False}
    after = json.loads(run(capsys, "figures", changed, "--json")[1])
    # Microphones of one source count together, and stand under those that are alone.
    contributions = [lane["contribution_lu"] for lane in after["lanes"] if lane["contribution_lu"] is not None]
    assert sum(value > max(contributions) - 0.5 for value in contributions) >= 3


FEW = ("01_", "bass_di", "sntop", "hh", "tamb")


@pytest.fixture
def few(short_folder, tmp_path) -> Path:
    """Five files of the short tune, as badly named as all: kick, bass, snare, hi-hat and tambourine."""
    folder = tmp_path / "few"
    folder.mkdir()
    named = [path for path in sorted(short_folder.glob("*.wav")) if path.stem.lower().startswith(FEW)]
    for path in named:
        shutil.copy(path, folder)
    assert len(named) == 5
    return folder


@pytest.mark.slow  # every move of every stage, twice
def test_all_moves_made_leave_nothing_to_gain(capsys, few, tmp_path):
    session = tmp_path / "a.alleven"
    run(capsys, "new", few, "-o", session)
    told = run(capsys, "moves", session, "--apply", "all")[1]
    assert "buses.kick-and-bass" in told
    assert "gather.names" in told
    made = session.read_bytes()
    entries = [entry for entry in json.loads(made)["ledger"] if entry.get("move")]
    first = list(dict.fromkeys(stages.all_keys().index(entry["move"]["stage"]) for entry in entries))
    assert first == sorted(first)
    again = run(capsys, "moves", session, "--apply", "all")[1]
    told = [line.split(":")[0] for line in again.splitlines() if line.startswith(("buses.", "low-end.", "balance."))]
    left = [next(kind for kind in stages.kinds() if f"{move}.".startswith(f"{kind}.")) for move in told]
    assert left
    assert all(stages.kinds()[kind].optional for kind in left), again
    assert session.read_bytes() == made


def test_recall_writes_a_sheet(capsys, short_folder, tmp_path):
    session = tmp_path / "a.alleven"
    run(capsys, "new", short_folder, "-o", session)
    assert run(capsys, "recall", session, "-o", tmp_path / "sheet.json")[0] == 0
    assert len(json.loads((tmp_path / "sheet.json").read_text())["lanes"]) == 12


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["render", "none.alleven", "-o", "a.wav"], "none.alleven is not there"),
        (["new", "no folder", "-o", "a.alleven"], "is not a folder"),
        (["moves", "none.alleven", "--stage", "cooking"], "There is no stage cooking"),
    ],
)
def test_what_can_not_be_done_is_one_line_and_status_1(capsys, arguments, words):
    status, _, err = run(capsys, *arguments)
    assert status == 1
    assert words in err
    assert err.count("\n") == 1


def test_wrong_arguments_are_status_2(capsys):
    with pytest.raises(SystemExit) as caught:
        cli.main(["render"])
    assert caught.value.code == 2


def test_help_names_every_command():
    text = cli.build_parser().format_help()
    assert all(command in text for command in (*cli.COMMANDS, "--demo", "FOLDER", "exit status"))


def test_without_a_display_one_sentence_says_so(monkeypatch):
    code = "import sys; from all_even.cli import main; sys.exit(main(['--demo']))"
    result = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, env={"PATH": "/usr/bin", "HOME": "/tmp"}
    )
    assert result.returncode == 1
    assert "There is no display" in result.stderr
    assert result.stderr.count("\n") == 1


def test_the_command_line_needs_no_window_toolkit():
    code = (
        "import sys; from all_even import cli; cli.build_parser();"
        "sys.exit(any(name in sys.modules for name in ('PyQt6', 'numba')))"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0


def test_the_rate_is_the_files(capsys, write):
    track = json.loads(run(capsys, "measure", write("a.wav", sine(100.0, 1.0), rate=44_100), "--json")[1])["tracks"][0]
    assert (track["sample_rate"], track["channels"]) == (44_100, 1)
    assert track["duration_s"] == pytest.approx(RATE / 44_100, abs=1e-4)


def test_measure_tells_pairs_tempo_and_what_tracks_play(capsys, six_bars):
    result = json.loads(run(capsys, "measure", six_bars, "--json")[1])
    tracks = {Path(track["file"]).name: track for track in result["tracks"]}
    kick, bass = tracks["01_KIK IN.wav"], tracks.get("BASS_DI.wav")
    truth = json.loads((six_bars / "truth.json").read_text())
    assert result["tempo_bpm"] == pytest.approx(truth["tempo_bpm"], abs=0.1)
    assert kick["fundamental_hz"] == pytest.approx(truth["kick"]["fundamental_hz"], rel=0.006)
    assert len(kick["onsets_s"]) == len(truth["kick"]["onsets_s"])
    assert kick["tail_ms"] == pytest.approx(truth["kick"]["tail_ms"], rel=0.15)
    assert bass is not None
    assert len(bass["notes"]) == pytest.approx(len(truth["bass"]["notes"]), abs=1)
    assert bass["tail_ms"] is None
    offsets = {(Path(p["a"]).name, Path(p["b"]).name): p["value"] for p in result["pairs"] if p["kind"] == "offset"}
    wanted = truth["faults"]["kick_out_delay_ms"]
    assert offsets["01_KIK IN.wav", "02_kik_out.wav"] == pytest.approx(wanted, abs=0.1)
    assert "BPM" in run(capsys, "measure", six_bars)[1]


def test_duck_ranks_methods_and_controls(capsys, short_folder):
    key, target = short_folder / "01_KIK IN.wav", short_folder / "BASS_DI.wav"
    result = json.loads(run(capsys, "duck", "--key", key, "--target", target, "--json")[1])
    names = [method["name"] for method in result["methods"]]
    assert {"keyed", "band", "drawn", "none", "plain", "keyed_default"} <= set(names)
    assert names[0] not in ("none", "plain", "keyed_default")
    assert result["duck_needed"] is True
    assert result["methods"][0]["unrecovered_hits"] == 0
    status, _, error = run(capsys, "duck", "--key", short_folder / "truth.json", "--target", target)
    assert status == 1
    assert error.startswith("truth.json")


def test_figures_tell_masked_shares_and_the_low_end(capsys, short_folder, tmp_path):
    session = tmp_path / "a.alleven"
    run(capsys, "new", short_folder, "-o", session)
    result = json.loads(run(capsys, "figures", session, "--json")[1])
    assert 0.0 < result["masked_share"] < 1.0
    assert all(lane["masked_share"] is None or 0.0 <= lane["masked_share"] <= 1.0 for lane in result["lanes"])
    assert result["low_end"]["pile_up_db"] > 0.0
    assert 0.0 <= result["low_end"]["focus"] <= 1.0


def session_in(folder: Path, capsys) -> Path:
    assert run(capsys, "new", folder, "-o", folder.parent / "s.alleven")[0] == 0
    return folder.parent / "s.alleven"


def refused(capsys, *arguments) -> str:
    """The one plain line with which a command refuses."""
    status, _, told = run(capsys, *arguments)
    line = told.strip().split("\n")[-1]
    assert status == 1
    assert len(line) < 200
    assert "Traceback" not in told
    assert "went wrong inside" not in told
    return line


def test_two_outputs_of_one_name_are_refused_before_anything_is_rendered(capsys, write, tmp_path):
    session = session_in(write("st/kick in.wav", noise(0.5)).parent, capsys)
    stems = tmp_path / "stems"
    stems.mkdir()
    line = refused(capsys, "render", session, "-o", stems / "01 Kick in.wav", "--stems", stems)
    assert line == "01 Kick in.wav would be written twice: choose another name for the mix."
    assert list(stems.iterdir()) == []


@pytest.mark.parametrize(
    "arguments",
    [
        ("render", "s", "-o", "m.wav", "--start", "nan"),
        ("render", "s", "-o", "m.wav", "--end", "inf"),
        ("render", "s", "-o", "m.wav", "--start", "-1"),
        ("demo", "-o", "d", "--seed", "-1"),
        ("duck", "--key", "a", "--target", "b", "--depth", "nan"),
    ],
)
def test_a_number_that_can_not_be_is_a_wrong_argument(arguments, capsys):
    with pytest.raises(SystemExit) as caught:
        cli.main(list(arguments))
    assert caught.value.code == 2
    assert "has to be from" in capsys.readouterr().err


@pytest.mark.parametrize("name", ["x" * 250 + ".wav", "鼓" * 80 + ".wav"])
def test_a_print_may_have_a_long_name_and_one_that_is_too_long_is_said(name, capsys, write, tmp_path):
    session = session_in(write("st/kick.wav", noise(0.5)).parent, capsys)
    assert run(capsys, "render", session, "-o", tmp_path / name)[0] == 0
    assert soundfile.info(tmp_path / name).frames == 24_000
    line = refused(capsys, "render", session, "-o", tmp_path / ("y" + name * 2))
    assert "longer than the 255 bytes" in line


def test_stems_of_lanes_with_long_names_in_wide_letters_are_written(capsys, write, tmp_path):
    from all_even.session.editing import edits
    from all_even.session.file import store

    session = session_in(write("st/kick.wav", noise(0.5)).parent, capsys)
    loaded = store.load(session)
    store.save(edits.change_strips(loaded, [loaded.lanes[0].id], name="鼓" * 200), session)
    assert run(capsys, "render", session, "-o", tmp_path / "m.wav", "--stems", tmp_path / "stems")[0] == 0
    (stem,) = (tmp_path / "stems").glob("*.wav")
    assert stem.name.startswith("01 鼓鼓")


def test_a_target_that_may_not_be_written_is_a_sentence(capsys, public_folder, write):
    folder = public_folder / "st"
    shutil.copytree(write("st/kick.wav", noise(0.5)).parent, folder)
    folder.chmod(0o755)
    (folder / "kick.wav").chmod(0o644)
    (public_folder / "closed").mkdir(mode=0o555)
    with as_nobody():
        for name in ("new", "demo"):
            arguments = ("new", folder, "-o", public_folder / "closed" / "s.alleven")
            if name == "demo":
                arguments = ("demo", "-o", public_folder / "closed" / "d", "--bars", "2", "--tracks", "1")
            assert "permission denied" in refused(capsys, *arguments)


def test_a_folder_whose_name_is_not_utf_8_is_a_sentence(capsys, tmp_path):
    folder = Path(os.fsdecode(os.fsencode(tmp_path) + b"/takes\xff"))
    folder.mkdir()
    soundfile.write(os.fsencode(folder / "kick.wav"), noise(0.2), RATE)
    line = refused(capsys, "new", folder, "-o", tmp_path / "s.alleven")
    assert "holds no sound file that can be read" in line
    assert run(capsys, "measure", folder, "--json")[0] == 0


def test_a_cache_home_that_is_a_file_is_no_obstacle(capsys, write, tmp_path, monkeypatch):
    (tmp_path / "home").write_text("a file")
    monkeypatch.setenv("ALL_EVEN_HOME", str(tmp_path / "home"))
    flac = write("st/kick.flac", noise(0.5))
    session = session_in(flac.parent, capsys)
    assert run(capsys, "render", session, "-o", tmp_path / "m.wav")[0] == 0
    status, out, told = run(capsys, "measure", flac, "--json")
    assert (status, json.loads(out)["tracks"][0]["ok"], told) == (0, True, "")


def test_a_file_that_is_no_regular_one_is_no_session(capsys, tmp_path):
    os.mkfifo(tmp_path / "pipe.alleven")
    for path in (tmp_path / "pipe.alleven", "/dev/zero", tmp_path):
        for command in (("figures", path), ("render", path, "-o", tmp_path / "m.wav"), ("moves", path)):
            refused(capsys, *command)


def test_a_lane_that_begins_after_days_leaves_the_rest_alone(capsys, write, tmp_path):
    from msgspec.structs import replace

    from all_even.session.file import store

    folder = write("st/kick.wav", noise(0.5)).parent
    write("st/snare.wav", noise(0.5, 1))
    session = session_in(folder, capsys)
    loaded = store.load(session)
    store.save(replace(loaded, lanes=(replace(loaded.lanes[0], start_s=1e6), loaded.lanes[1])), session)
    assert "is left out: it would end after 6 hours" in refused(capsys, "render", session, "-o", tmp_path / "m.wav")
    assert not (tmp_path / "m.wav").exists()
    status, _, told = run(capsys, "render", session, "-o", tmp_path / "m.wav", "--even-without")
    assert status == 3
    assert "is left out: it would end after 6 hours" in told
    assert soundfile.info(tmp_path / "m.wav").frames == 24_000


def test_names_do_not_steer_the_terminal(capsys, write):
    path = write("st/kick\x1b[31m\u202e.wav", noise(0.5))
    _, out, told = run(capsys, "measure", path)
    assert "\x1b" not in out + told
    assert "\u202e" not in out + told


def test_a_defect_of_ours_is_one_line_and_a_log(capsys, home, monkeypatch, defects):
    from all_even.cli import sessions

    monkeypatch.setattr(sessions, "figures", lambda _options: 1 / 0)
    status, _, told = run(capsys, "figures", "x.alleven")
    assert status == 1
    assert told.startswith("Something went wrong inside All Even (ZeroDivisionError).")
    assert "ZeroDivisionError" in (home / "data" / "defects.log").read_text()
    defects.clear()


def test_a_click_is_not_made_as_loud_as_all_others(capsys, write):
    """“Kick Trig CLICK” was taken for a second kick."""
    folder = write("st/Kick Trig CLICK.wav", noise(2.0, 1, level=0.02)).parent
    write("st/kick.wav", noise(2.0, 2, level=0.2))
    write("st/bass.wav", noise(2.0, 3, level=0.05))
    session = session_in(folder, capsys)
    run(capsys, "moves", session, "--apply", "balance.all-even")
    from all_even.session.file import store

    levels = {lane.role: lane.level_db for lane in store.load(session).lanes}
    assert levels["click or trigger"] == 0.0
    assert levels["kick"] != 0.0


def test_the_version_and_a_man_page_that_names_every_command_and_option(capsys):
    from all_even import __version__
    from all_even.cli import COMMANDS, build_parser
    from all_even.cli.man_page import man_page

    with pytest.raises(SystemExit) as left:
        cli.main(["--version"])
    assert left.value.code == 0
    assert capsys.readouterr().out.strip() == f"All Even {__version__}"
    page = man_page().replace("\\-", "-")
    commands = next(action for action in build_parser()._actions if hasattr(action, "choices") and action.choices)
    assert set(commands.choices) == set(COMMANDS)
    for name, parser in commands.choices.items():
        assert f".SS {name}" in page
        for action in parser._actions:
            assert all(option in page for option in action.option_strings)


def test_references_are_listed_added_and_forgotten(capsys, write, tmp_path, home):
    mix = write("mix.wav", stereo(sine(440.0, 2.0, -12.0)))
    assert run(capsys, "references")[1].strip() == "No reference is known."
    status, out, _ = run(capsys, "references", mix, "--json")
    assert (status, json.loads(out)) == (0, [str(mix)])
    junk = tmp_path / "junk.wav"
    junk.write_bytes(b"no")
    status, _, err = run(capsys, "references", junk)
    assert status == 1
    assert "junk.wav" in err
    assert run(capsys, "references", "--forget")[1].strip() == "No reference is known."


def test_songs_of_a_record_side_by_side(capsys, short_folder, tmp_path):
    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    status, out, _ = run(capsys, "record", path, path, path, "--json")
    found = json.loads(out)
    assert status == 0
    assert [song["name"] for song in found["songs"]] == [found["songs"][0]["name"]] * 3
    assert found["out_of_line"] == []
    assert "LUFS" in run(capsys, "record", path)[1]


def test_a_template_is_kept_proposed_and_forgotten(capsys, short_folder, tmp_path, home):
    path, other = tmp_path / "song.alleven", tmp_path / "next.alleven"
    run(capsys, "new", short_folder, "-o", path)
    from all_even.dsp.tone.passes import HighPass
    from all_even.session.editing import chain_edits
    from all_even.session.file import store

    store.save(chain_edits.add_station(store.load(path), "lane-1", HighPass(frequency_hz=40.0)), path)
    status, out, _ = run(capsys, "template", path, "--save", "The trio")
    assert (status, "The trio:" in out) == (0, True)
    run(capsys, "new", short_folder, "-o", other)
    _, out, _ = run(capsys, "moves", other, "--stage", "gather", "--json")
    (offered,) = [item["id"] for item in json.loads(out)["moves"] if item["kind"] == "gather.template"]
    assert offered.startswith("gather.template.the-trio-")
    status, out, _ = run(capsys, "moves", other, "--stage", "gather", "--apply", offered, "--json")
    (move,) = [item for item in json.loads(out)["moves"] if item["made"]]
    assert move["after"] == move["expected"] > move["before"]
    assert run(capsys, "template", "--forget", "The trio")[1] == ""
    assert run(capsys, "template", "--forget", "The trio")[0] == 1


def test_a_tempo_may_come_from_a_midi_file_and_an_anchor_be_named(capsys, short_folder, tmp_path):
    from all_even.session.file import store
    from tests.measure.sounds import midi_file

    said = [("set_tempo", 0, {"tempo": 500_000}), ("time_signature", 0, {"numerator": 3, "denominator": 4})]
    path = tmp_path / "song.alleven"
    midi = midi_file(tmp_path / "song.mid", [*said, ("end_of_track", 960, {})])
    assert run(capsys, "new", short_folder, "-o", path, "--tempo-from", midi)[0] == 0
    song = store.load(path).song
    assert (song.tempo_bpm, song.beats_per_bar, song.bar_s) == (120.0, 3, 0.0)
    name = store.load(path).lanes[0].name
    status, out, _ = run(capsys, "moves", path, "--anchor", name, "--stage", "balance", "--json")
    assert status == 0
    assert "remarks" in json.loads(out)
    assert store.load(path).anchor == "lane-1"
    assert "no track Nobody" in run(capsys, "moves", path, "--anchor", "Nobody")[2]


def test_automation_is_carried_away_and_brought_in(capsys, short_folder, tmp_path):
    """A curve read from a table, listed, written as MIDI, read again; what is wrong is said in a sentence."""
    path = session_in(short_folder, capsys)
    (tmp_path / "ride.csv").write_text("time_s,value\n0,-3\n2.0,-3\n2.5,1.5\n")
    name = json.loads(run(capsys, "figures", path, "--json")[1])["lanes"][0]["name"]
    status, out, _ = run(capsys, "automation", path, "--track", name, "--from", tmp_path / "ride.csv")
    assert (status, "level automated with 3 points" in out) == (0, True)
    (row,) = json.loads(run(capsys, "automation", path, "--json")[1])["automation"]
    assert (row["track"], row["setting"], row["points"]) == (name, "level", [[0.0, -3.0], [2.0, -3.0], [2.5, 1.5]])
    assert run(capsys, "automation", path, "--track", name, "--to", tmp_path / "ride.mid")[0] == 0
    again = ("automation", path, "--track", name, "--setting", "pan", "--from", tmp_path / "ride.mid")
    assert run(capsys, *again, "-o", tmp_path / "b.alleven")[0] == 0
    told = run(capsys, "automation", tmp_path / "b.alleven")[1]
    assert f"{name}: pan" in told
    for wrong, words in (
        (("--track", "Nobody"), "no track Nobody"),
        (("--track", name, "--setting", "colour"), "No setting is called colour"),
        (("--setting", "pan"), "--track"),
        (("--track", name, "--setting", "pan", "--to", tmp_path / "pan.csv"), "no automation"),
    ):
        status, _, err = run(capsys, "automation", path, *wrong)
        assert status == 1
        assert words in err


def test_figures_tell_words_and_sections(capsys, short_folder):
    found = json.loads(run(capsys, "figures", session_in(short_folder, capsys), "--json")[1])["rides"]
    assert found["sections"]
    for line in found["lines"]:
        assert all(word["start_s"] < word["end_s"] and 0.0 <= word["hidden"] <= 1.0 for word in line["words"])


@pytest.mark.slow  # everything that leaves is written once
def test_check_copy_deliver_and_notes(capsys, few, short_folder, tmp_path):
    session = tmp_path / "a.alleven"
    assert run(capsys, "new", few, "-o", session)[0] == 0
    status, out, told = run(capsys, "check", session, "--reference", short_folder / "truth.json", "--json")
    assert status == 0
    assert "truth.json" in told
    found = json.loads(out)
    sources = found["elsewhere"]["sources"]
    assert {item["key"] for item in found["elsewhere"]["systems"]} == set(sources[0]["left"])
    assert all(item["left"]["headphones"] in (0.0, None) for item in sources)
    assert found["references"]["judged"] is False
    figures = json.loads(run(capsys, "figures", session, "--json")[1])
    assert figures["elsewhere"]["sources"] == sources
    assert run(capsys, "copy", session, "-o", tmp_path / "copy.wav")[0] == 0
    assert refused(capsys, "copy", session, "-o", tmp_path / "copy.ogg")
    status, out, _ = run(capsys, "deliver", session, "-o", tmp_path / "out", "--json")
    assert status == 0
    assert json.loads(out)["null_db"] < -120.0
    assert run(capsys, "notes", session, "--add", "too dull", "--at", "4", "--on", "a car")[0] == 0
    assert "heard on a car, open" in run(capsys, "notes", session)[1]
    assert "settled" in run(capsys, "notes", session, "--settle", "1")[1]
    assert "no note 9" in refused(capsys, "notes", session, "--settle", "9")
    assert run(capsys, "recall", session, "-o", tmp_path / "page.pdf", "--console")[0] == 0


def test_the_benchmark_tells_what_it_has_and_goes_on_when_a_part_fails(capsys, monkeypatch):
    from all_even.cli import benchmarks
    from all_even.cli.benchmarks import processors
    from all_even.cli.benchmarks.benchmark import Benchmark

    def breaks(folder):
        yield Benchmark("measured before it broke", 12.0, None, None, 1, "one")
        raise TimeoutError("the window did not become ready")

    monkeypatch.setattr(processors, "duck", breaks)
    monkeypatch.setattr(processors, "dynamics", lambda folder: iter([Benchmark("another", 3.0, "a peer", 2.0, 1, "")]))
    monkeypatch.setattr(benchmarks.run, "PARTS", {"duck": "processors.duck", "dynamics": "processors.dynamics"})
    status, out, err = run(capsys, "bench")
    assert status == 1
    assert [line.partition(":")[0] for line in out.splitlines()] == ["measured before it broke", "another"]
    assert "duck" in err
    assert "the window did not become ready" in err
    monkeypatch.setattr(benchmarks.run, "BY_NAME", {"duck"})  # what takes long is left out where nobody asks for it
    assert [line.partition(":")[0] for line in run(capsys, "bench")[1].splitlines()] == ["another"]
    status, out, _ = run(capsys, "bench", "--only", "dynamics", "--json")
    assert status == 0
    (figure,) = json.loads(out)
    assert (figure["name"], figure["realtime_factor"], figure["failed"]) == ("another", 3.0, False)
    with pytest.raises(SystemExit):
        cli.main(["bench", "--only", "nothing"])


@pytest.fixture
def lacking(capsys, short_folder, tmp_path):
    """A session whose first track is gone."""
    shutil.copytree(short_folder, tmp_path / "st")
    path = tmp_path / "song.alleven"
    run(capsys, "new", tmp_path / "st", "-o", path)
    gone = sorted((tmp_path / "st").glob("*.wav"))[0]
    gone.unlink()
    return path, gone.name


@pytest.mark.parametrize("command", [("render", "m.wav"), ("copy", "c.wav"), ("recall", "s.html"), ("recall", "s.json"),
                                     ("recall", "c.html", "--console"), ("render", "m.wav", "--stems", "st-out"),
                                     ("deliver", "d")])  # fmt: skip
def test_nothing_leaves_without_a_track_unless_it_is_wanted_and_the_status_says_so(capsys, lacking, tmp_path, command):
    session, gone = lacking
    name, output, *more = command
    more = [tmp_path / item if item == "st-out" else item for item in more]
    line = refused(capsys, name, session, "-o", tmp_path / output, *more)
    assert gone in line
    assert "--even-without" in line
    assert not (tmp_path / output).exists()
    status, _, told = run(capsys, name, session, "-o", tmp_path / output, *more, "--even-without")
    assert status == 3
    assert f"Without: {gone}" in told
    assert (tmp_path / output).exists()


WRITERS = {
    "notes": ("--add", "louder"),
    "moves": ("--stage", "gather", "--apply", "all"),
    "automation": ("--track", "mix", "--from", "curve.csv"),
}


@pytest.mark.parametrize("command", WRITERS)
def test_a_session_that_a_window_holds_is_not_written(capsys, short_folder, tmp_path, home, command):
    from all_even.session.file import store
    from all_even.session.file.lock import Lock

    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    (tmp_path / "curve.csv").write_text("time_s,value\n0,-1\n1,-2\n")
    before = path.read_bytes()
    arguments = [tmp_path / item if item.endswith(".csv") else item for item in WRITERS[command]]
    if command == "automation":
        arguments[1] = store.load(path).lanes[0].name
    lock = Lock(path)
    try:
        line = refused(capsys, command, path, *arguments)
        assert f"song.alleven is open in a window of All Even (process {os.getpid()})" in line
        assert path.read_bytes() == before
        assert run(capsys, command, path, *arguments, "-o", tmp_path / "other.alleven")[0] == 0
    finally:
        lock.release()
    assert run(capsys, command, path, *arguments)[0] == 0
    assert path.read_bytes() != before


def test_listing_moves_needs_no_lock(capsys, short_folder, tmp_path, home):
    from all_even.session.file.lock import Lock

    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    lock = Lock(path)
    assert run(capsys, "moves", path, "--stage", "gather", "--json")[0] == 0
    lock.release()


def test_bytes_that_are_no_text_are_wrong_arguments(capsys, short_folder, tmp_path):
    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    with pytest.raises(SystemExit) as ended:
        run(capsys, "notes", path, "--add", os.fsdecode(b"takes\xff"))
    assert ended.value.code == 2
    capsys.readouterr()


@pytest.mark.parametrize("kind", ["fifo", "device"])
def test_what_never_ends_is_not_read(capsys, short_folder, tmp_path, kind):
    from all_even.session.file import store

    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    track = store.load(path).lanes[0].name
    for name in ("endless.csv", "endless.mid"):
        if kind == "fifo":
            os.mkfifo(tmp_path / name)
        else:
            (tmp_path / name).symlink_to("/dev/zero")
        line = refused(capsys, "automation", path, "--track", track, "--from", tmp_path / name)
        assert f"{name} is not a regular file" in line
    line = refused(capsys, "new", short_folder, "--tempo-from", tmp_path / "endless.mid", "-o", tmp_path / "b.alleven")
    assert "endless.mid is not a regular file" in line


def test_a_folder_named_like_a_sound_is_no_reference(capsys, short_folder, tmp_path):
    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    (tmp_path / "dir.wav").mkdir()
    assert "dir.wav can't be a reference: it is a folder" in refused(
        capsys, "check", path, "--reference", tmp_path / "dir.wav"
    )


def test_a_repaired_session_says_what_was_repaired(capsys, short_folder, tmp_path):
    path = tmp_path / "song.alleven"
    run(capsys, "new", short_folder, "-o", path)
    plain = json.loads(path.read_text())
    plain["name"] = "x" * 300
    path.write_text(json.dumps(plain))
    status, _, told = run(capsys, "notes", path)
    assert status == 0
    assert "is shortened to 200 letters" in told
