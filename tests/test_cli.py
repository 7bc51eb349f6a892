"""The command line as a script uses it."""

import json
import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile

from all_even import cli
from tests.conftest import RATE, sine, stereo


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
    made = json.loads(run(capsys, "moves", session, "--json", "--apply", "balance.all-even", "-o", changed)[1])
    move = next(move for move in made["moves"] if move["id"] == "balance.all-even")
    assert move["after"] < 0.5 < move["before"]
    after = json.loads(run(capsys, "figures", changed, "--json")[1])
    contributions = [lane["contribution_lu"] for lane in after["lanes"] if lane["contribution_lu"] is not None]
    assert max(contributions) - min(contributions) < 0.5


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


def test_measure_tells_pairs_tempo_and_what_tracks_play(capsys, short_folder):
    result = json.loads(run(capsys, "measure", short_folder, "--json")[1])
    tracks = {Path(track["file"]).name: track for track in result["tracks"]}
    kick, bass = tracks["01_KIK IN.wav"], tracks.get("BASS_DI.wav")
    truth = json.loads((short_folder / "truth.json").read_text())
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
    assert "BPM" in run(capsys, "measure", short_folder)[1]


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
