"""The demo holds what its truth says, and the first measures find the planted faults and no others."""

import json

import numpy as np
import pytest
import soundfile

from all_even.demo.score import make_score
from all_even.demo.stems import CLIPPED, LIMITED, OFFSET, SILENT, write_stems
from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import measure_files
from all_even.session.file.new import sound_paths
from all_even.session.tracks.roles import guess_role, is_held


@pytest.fixture(scope="module")
def reports(demo_folder):
    paths = sound_paths(demo_folder)
    return {report.path.name: report for _, report in measure_files([(path, None) for path in paths])}


@pytest.fixture(scope="module")
def truth(demo_folder):
    return json.loads((demo_folder / "truth.json").read_text())


def kinds(report) -> set[str]:
    return {finding.kind for finding in findings(report, held=is_held(guess_role(report.path.stem)))}


def test_the_tune_is_slack_water(truth, reports):
    assert (truth["title"], truth["tempo_bpm"]) == ("Slack Water", 104.0)
    assert [section["name"] for section in truth["sections"]] == ["intro", "verse", "chorus", "verse end"]
    assert 54.0 < truth["duration_s"] < 57.0
    assert 28 <= len(reports) <= 32


def test_planted_faults_are_found_and_none_invented(reports):
    expected = {CLIPPED: {"clipped"}, LIMITED: {"limited"}, OFFSET: {"dc_offset"}, SILENT: {"silent"},
                "Clar(1).wav": {"identical_channels"}, "scratch vox.wav": {"reverb"}}  # fmt: skip
    assert {name: kinds(report) for name, report in reports.items() if kinds(report)} == expected


def test_files_have_the_formats_they_should(reports, truth):
    assert reports[truth["files"]["other_rate"]].info.sample_rate == 44_100
    assert all(report.info.subtype == "PCM_24" for report in reports.values())
    assert {report.info.channels for report in reports.values()} == {1, 2}


def test_roles_are_guessed_from_the_names(truth):
    wrong = {name: guess_role(name.rsplit(".", 1)[0]) for name, role in truth["roles"].items()
             if guess_role(name.rsplit(".", 1)[0]) != role}  # fmt: skip
    assert wrong == {}


def test_the_kick_has_the_pitch_the_truth_says(demo_folder, truth):
    samples, rate = soundfile.read(demo_folder / "01_KIK IN.wav")
    onset = truth["kick"]["onsets_s"][3]
    tail = (
        samples[int((onset + 0.04) * rate) : int((onset + 0.30) * rate)]
        * np.hanning(int(0.26 * rate))[: int(0.26 * rate)]
    )
    spectrum = np.abs(np.fft.rfft(tail, 1 << 18))
    found = np.argmax(spectrum) * rate / (1 << 18)
    assert found == pytest.approx(truth["kick"]["fundamental_hz"], rel=0.02)


def test_microphones_stand_where_the_truth_says(demo_folder, truth):
    def lag_ms(first: str, second: str) -> float:
        a, b = (soundfile.read(demo_folder / name)[0][: 20 * 48_000] for name in (first, second))
        size = 1 << 21
        cross = np.fft.irfft(np.conj(np.fft.rfft(a, size)) * np.fft.rfft(b, size), size)
        return float(np.argmax(np.abs(cross[:960]))) / 48.0

    # The low-pass of the outer microphone adds a little delay of its own.
    assert lag_ms("01_KIK IN.wav", "02_kik_out.wav") == pytest.approx(truth["faults"]["kick_out_delay_ms"], abs=0.3)


def test_the_low_phrase_is_lower(demo_folder, truth):
    samples, rate = soundfile.read(demo_folder / "LD VOX comp.wav")
    levels = [np.sqrt(np.mean(samples[int(a * rate) : int(b * rate)] ** 2)) for a, b in truth["phrases"]]
    others = np.median([level for i, level in enumerate(levels) if i != truth["faults"]["low_phrase"]])
    difference = 20 * np.log10(levels[truth["faults"]["low_phrase"]] / others)
    assert difference == pytest.approx(truth["faults"]["low_phrase_db"], abs=2.5)


def test_the_same_seed_gives_the_same_files(tmp_path):
    a = write_stems(tmp_path / "a", seed=3, tracks=3, bars=2)
    b = write_stems(tmp_path / "b", seed=3, tracks=3, bars=2, workers=1)
    assert len(list(a.glob("*.wav"))) == 3
    for path in a.glob("*.wav"):
        assert path.read_bytes() == (b / path.name).read_bytes()


def test_other_seeds_make_other_tunes():
    scores = [make_score(seed) for seed in range(100, 106)]
    assert len({score.bpm for score in scores}) == len(scores)
    assert all(70 <= score.bpm <= 170 and 60 <= score.kick_tail_ms <= 400 for score in scores)


def test_more_tracks_than_parts_are_doubles(tmp_path):
    folder = write_stems(tmp_path, seed=4, tracks=31, bars=2)
    assert len(list(folder.glob("*.wav"))) == 31
