"""Who is who from the command line: read, said, and told by every stage."""

import json

import numpy as np
import pytest
import soundfile

from all_even.dsp.utility import Gain
from all_even.session.editing import chain_edits
from all_even.session.file import store
from tests.conftest import RATE
from tests.measure.sounds import kick, placed, plucked
from tests.test_cli import run

SECONDS = 8.0


@pytest.fixture
def session(capsys, tmp_path, home):
    folder = tmp_path / "nobody"
    folder.mkdir()
    line = [(0.3 + 0.5 * i, 0.45, 440.0 * 2.0 ** (i % 5 / 12.0)) for i in range(13)]
    other = [(start + 0.17, length, hz * 1.2) for start, length, hz in line]
    for name, sound in (("Audio 01_07", placed(kick(), np.arange(0.3, 7.0, 0.5), SECONDS)),
                        ("Audio 02_03", plucked(line, SECONDS)), ("Audio", plucked(other, SECONDS))):  # fmt: skip
        soundfile.write(folder / f"{name}.wav", 0.4 * sound / np.abs(sound).max(), RATE, subtype="PCM_24")
    path = tmp_path / "a.alleven"
    assert run(capsys, "new", folder, "-o", path)[0] == 0
    return path


def test_who_nobody_knows_is_listed_and_can_be_said(capsys, session, tmp_path):
    before = json.loads(run(capsys, "tracks", session, "--json")[1])
    assert before["unsure"] == 3
    assert [track["name"] for track in before["tracks"]] == ["Audio 01_07", "Audio 02_03", "Audio"]
    said = tmp_path / "b.alleven"
    status, out, _ = run(
        capsys, "tracks", session, "--role", "Audio 01_07=kick", "--role", "Audio=lead voice", "-o", said, "--json"
    )
    after = {track["file"]: track for track in json.loads(out)["tracks"]}
    assert status == 0
    assert after["Audio 01_07.wav"]["role"] == "kick"
    assert after["Audio 01_07.wav"]["name"] == "Kick 01_07"
    assert after["Audio 01_07.wav"]["sure"] == 1.0
    assert after["Audio.wav"]["name"] == "Lead voice"
    assert json.loads(out)["unsure"] == 1
    assert [entry.text for entry in store.load(said).ledger] == ["Audio 01_07 is kick", "Audio is lead voice"]
    assert json.loads(run(capsys, "tracks", session, "--json")[1]) == before  # -o leaves it as it was


def test_sources_are_joined_parted_and_left_to_the_sound(capsys, session):
    def sources(*arguments) -> list[int]:
        out = run(capsys, "tracks", session, *arguments, "--json")[1]
        return [len(track["source"]) for track in json.loads(out)["tracks"]]

    assert sources() == [1, 1, 1]
    assert sources("--one-source", "Audio,Audio 02_03") == [1, 2, 2]
    assert sources("--players", "Audio,Audio 02_03") == [1, 1, 1]
    assert all(lane.source for lane in store.load(session).lanes if lane.name != "Audio 01_07")
    assert sources("--as-found", "Audio,Audio 02_03") == [1, 1, 1]
    assert not any(lane.source for lane in store.load(session).lanes)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--role", "Nobody=kick"), "There is no track Nobody"),
        (("--role", "Audio=kik"), "There is no role kik"),
        (("--one-source", "Audio"), "At least two tracks"),
    ],
)
def test_what_can_t_be_said_is_one_line(capsys, session, arguments, words):
    status, _, err = run(capsys, "tracks", session, *arguments)
    assert status == 1
    assert words in err
    assert len(err.strip().splitlines()) == 1


def test_stages_answer_and_the_mix_has_totals(capsys, session, tmp_path):
    told = json.loads(run(capsys, "moves", session, "--stage", "low-end", "--json")[1])
    assert told["answers"]["low-end"]["judged"] is False
    assert "no track is a kick yet" in told["answers"]["low-end"]["text"]
    assert told["totals"] is None
    made = json.loads(run(
        capsys, "moves", session, "--stage", "balance", "--apply", "balance.all-even", "--json", "-o",
        tmp_path / "c.alleven",
    )[1])  # fmt: skip
    assert made["totals"]["before"]["true_peak_dbtp"] != made["totals"]["now"]["true_peak_dbtp"]
    assert made["no_longer"] == []
    assert "Can’t judge" in run(capsys, "moves", session, "--stage", "low-end")[1]


def test_a_track_is_printed_with_its_inserts_and_the_session_goes_on(capsys, session, tmp_path):
    made = store.load(session)
    lane = made.lanes[0]
    store.save(chain_edits.add_station(made, lane.id, Gain(gain_db=-6.0)), session)
    status, out, _ = run(capsys, "print-track", session, "--track", lane.name.upper())
    assert status == 0
    now = store.load(session)
    (printed,) = (tmp_path / "a printed").glob("*.wav")
    assert out.strip() == str(printed)
    assert now.lane(lane.id).file == printed.name
    assert all(station.bypass for station in now.lane(lane.id).chain)
    assert len(now.lanes) == len(made.lanes) + 1
    before, after = (soundfile.read(path)[0] for path in (tmp_path / "nobody" / lane.file, printed))
    length = min(len(before), len(after))
    np.testing.assert_allclose(after[:length], before[:length] * 10 ** (-6 / 20), atol=1e-4)
    assert run(capsys, "print-track", session, "--track", "Nobody")[0] == 1


def test_a_track_goes_through_the_stand_in_and_a_processed_file_comes_back_in_place(capsys, session, tmp_path):
    made = store.load(session)
    lane = made.lanes[0]
    own, rate = soundfile.read(tmp_path / "nobody" / lane.file, dtype="float32", always_2d=True)
    folder = tmp_path / "a printed"
    through = ("--through", "stand-in", "stand-in")
    assert run(capsys, "print-track", session, "--track", lane.name, *through)[0] == 0
    now = store.load(session)
    assert "331 samples late" in now.ledger[-1].text
    (back,) = folder.glob("*back.wav")
    assert now.lane(lane.id).file == back.name
    store.save(made, session)
    processed = tmp_path / "processed.wav"
    soundfile.write(processed, np.concatenate([np.zeros((777, own.shape[1]), np.float32), 0.5 * own]), rate, "FLOAT")
    assert run(capsys, "print-track", session, "--track", lane.name, "--back", processed)[0] == 0
    now = store.load(session)
    assert "777 samples late" in now.ledger[-1].text
    came, _ = soundfile.read(folder / now.lane(lane.id).file, dtype="float32", always_2d=True)
    length = min(len(came), len(own))
    np.testing.assert_allclose(came[:length].mean(1), 0.5 * own[:length].mean(1), atol=1e-5)
    status, _, err = run(capsys, "print-track", session, "--track", lane.name, "--through", "No Such Card", "No Input")
    assert status == 1
    assert "There is no output No Such Card" in err
