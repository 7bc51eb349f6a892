"""What is asked before a first mix, what is assumed, and what of it stands in the ledger."""

import numpy as np
import pytest
import soundfile

from all_even.figures.whole.finished import finished
from all_even.first_mix.questions import NOBODY, Answers, answered, assumed, questions
from all_even.moves import making
from all_even.moves.balance import starts
from all_even.session.editing.anew import mix_anew
from all_even.stages import stage
from tests.measure.sounds import RATE, kick, placed
from tests.moves.looks import look_at

SECONDS = 6.0


def tone(hz: float, seconds: float = SECONDS) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE
    return 0.2 * np.sign(np.sin(2 * np.pi * hz * time)) * (np.sin(2 * np.pi * 1.1 * time) > -0.3)


@pytest.fixture
def nobody_sings(tmp_path):
    folder = tmp_path / "instrumental"
    folder.mkdir()
    sounds = {"Kick": placed(kick(), np.arange(0.2, 5.5, 0.5), SECONDS), "Piano": tone(330.0), "Sax solo": tone(440.0)}
    for name, sound in sounds.items():
        soundfile.write(folder / f"{name}.wav", 0.5 * sound, RATE)
    return look_at(folder)


def test_who_leads_by_name_is_taken_and_said(nobody_sings):
    asked = questions(nobody_sings)
    names = {name for _, name in asked.may_lead}
    assert names == {"Piano", "Sax solo"}
    assert nobody_sings.session.strip_name(asked.leads) == "Sax solo"
    assert asked.school == "voice-first"
    after = answered(nobody_sings.session, asked, Answers())
    assert after.lane(asked.leads).importance == "lead"
    assert after.ledger[-1].text == "Sax solo leads"
    assert "Sax solo leads, by its name." in assumed(after, asked, Answers())
    assert starts.first_choice(nobody_sings.at(after)) == "voice-first"


def test_what_is_said_wins_over_what_a_name_says(nobody_sings):
    asked = questions(nobody_sings)
    piano = next(lane for lane, name in asked.may_lead if name == "Piano")
    session = answered(nobody_sings.session, asked, Answers({piano: "organ"}, piano, "kick", "all-even"))
    assert session.lane(piano).role == "organ"
    assert session.lane(piano).importance == "lead"
    assert session.lane(asked.leads).importance is None
    assert session.settings.low_owner == "kick"
    assert not [text for text in assumed(session, asked, Answers({}, piano, "kick", "all-even")) if "leads" in text]


def test_nobody_may_lead(nobody_sings):
    asked = questions(nobody_sings)
    session = answered(nobody_sings.session, asked, Answers(lead=NOBODY))
    assert all(lane.importance is None for lane in session.lanes)
    assert starts.first_choice(nobody_sings.at(session)) == "rhythm-first"


def test_a_voice_leads_without_a_question(small_band):
    asked = questions(look_at(small_band))
    assert asked.may_lead == ()
    assert asked.leads == NOBODY
    assert asked.school == "voice-first"


@pytest.fixture
def stems(tmp_path):
    """Three stereo stems, of one length, whose sum stands like a mix."""
    rng = np.random.default_rng(4)
    folder = tmp_path / "stems"
    folder.mkdir()
    drums = placed(kick(), np.arange(0.2, 5.5, 0.5), SECONDS)
    for index, (name, sound) in enumerate({"Drums": drums, "Music": tone(330.0), "Vox": tone(550.0)}.items()):
        sides = np.stack([sound, np.roll(sound, 40 * index)], axis=1) + 0.01 * rng.standard_normal((len(sound), 2))
        soundfile.write(folder / f"{name}.wav", 0.3 * sides, RATE)
    return look_at(folder)


def test_stems_of_a_finished_mix_are_told_and_left_alone(stems):
    told = finished(stems)
    assert told is not None
    assert told.stems == 3
    assert questions(stems).finished == told.text
    for key in ("balance", "low-end", "share", "dynamics", "space"):
        kinds = [kind for kind in stage(key).moves().kinds if kind.id != "balance.trim"]
        assert making.propose(stems, kinds) == []
    remark = stage("balance").moves().remarks(stems)[0]
    assert remark.kind == "finished-stems"
    assert remark.presses[0].command == "mix-anew"


def test_they_can_be_mixed_anew_all_the_same(stems):
    asked = questions(stems)
    anew = stems.at(answered(stems.session, asked, Answers(anew=True)))
    assert finished(anew) is None
    assert making.propose(anew, starts.KINDS)
    assert finished(stems.at(mix_anew(stems.session))) is None


def test_tracks_are_no_stems(nobody_sings, small_band):
    assert finished(nobody_sings) is None
    assert finished(look_at(small_band)) is None
