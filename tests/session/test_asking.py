"""What is asked about a lane, what is said of the playing, and who is no part of the mix."""

import numpy as np
import pytest

from all_even.measure.recording.files import measure_file
from all_even.measure.time.timing import Timing
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song import performance
from all_even.session.song.song import Song
from all_even.session.tracks import asking
from tests.conftest import RATE, noise, sine
from tests.measure.sounds import kick, placed, plucked

SECONDS = 12.0


@pytest.fixture
def heard(write, home):
    def hear(samples: np.ndarray):
        return measure_file(write("a.wav", 0.5 * samples / np.abs(samples).max())).character

    return hear


@pytest.fixture
def beat():
    return placed(kick(), np.arange(0.3, SECONDS - 0.7, 0.5), SECONDS)


@pytest.fixture
def organ():
    tone = np.zeros(round(SECONDS * RATE))
    for start, hertz in [(0.5 + 1.4 * i, 330.0 * 2 ** (i % 5 / 12)) for i in range(8)]:
        held = sum(sine(hertz * k, 1.2, -8.0 * k) for k in range(1, 6))
        edge = np.minimum(1.0, np.arange(len(held)) / (0.08 * RATE))
        at = round(start * RATE)
        tone[at : at + len(held)] += held * edge * edge[::-1]
    return tone + 1e-4 * noise(SECONDS)[: len(tone)]


def test_what_sounds_struck_or_pitched_is_told(heard, beat, organ):
    assert heard(beat).sounding.kind == "struck"
    assert heard(organ).sounding.kind == "pitched"
    assert heard(organ).sounding.likely > asking.SURE


def test_an_unnamed_track_is_asked_about_with_two_answers(heard, beat):
    asked = asking.question("unknown", heard(beat), 60.0)
    assert asked.roles == asking.LOW_STRUCK
    assert "drums or percussion" in asked.text
    assert "%" in asked.text


def test_the_name_wins_and_the_program_asks_only_where_it_is_sure(heard, organ, beat):
    assert asking.question("organ", heard(organ)) is None
    assert asking.question("kick", heard(beat)) is None
    assert "holds until you say otherwise" in asking.question("kick", heard(organ)).text
    assert asking.question("click track", heard(organ)) is None
    assert asking.question("unknown", None) is None


def test_a_bass_line_is_no_drum(heard):
    line = plucked([(0.3 + 0.5 * i, 0.48, 55.0 * 2 ** (i % 5 / 12)) for i in range(22)], SECONDS)
    found = heard(line).sounding
    assert found.kind != "struck" or found.likely < asking.SURE


def session(*roles: str) -> Session:
    lanes = tuple(Lane(id=f"l{i}", name=role, file=f"{i}.wav", role=role) for i, role in enumerate(roles))
    return Session(name="Song", sample_rate=RATE, lanes=lanes)


def test_only_sure_remarks_are_made_of_the_playing():
    made = session("bass DI", "snare top", "viola", "electric guitar")
    song = Song(
        None, (), {"l2": -24.0, "l3": 9.0},
        {"l1": Timing(21.0, 5.0, 40), "l2": Timing(40.0, 5.0, 40)}, {"l0": Timing(18.0, 6.0, 60)},
    )  # fmt: skip
    found = performance.remarks(made, song)
    assert [(*remark.lanes, remark.kind) for remark in found] == [("l2", "tuning"), ("l0", "kick"), ("l1", "grid")]
    assert found[0].text == "24 cents flat against the others"


@pytest.mark.parametrize("timing", [Timing(30.0, 16.0, 60), Timing(30.0, 5.0, 15), Timing(9.0, 2.0, 60)])
def test_nothing_is_claimed_of_few_or_scattered_onsets(timing):
    assert performance.remarks(session("bass DI"), Song(None, (), {}, {}, {"l0": timing})) == ()


def test_a_short_word_makes_a_name_less_sure_and_the_sound_speaks_for_or_against_it(heard, organ, beat):
    def lane(file: str, role: str) -> Lane:
        return Lane(id="l0", name=file, file=f"{file}.wav", role=role)

    assert asking.confidence(lane("Violin", "violin"), None) == 0.95
    assert asking.confidence(lane("OB 2", "oboe"), None) == 0.65
    assert asking.confidence(lane("OB 2", "oboe"), heard(organ)) > 0.9
    against = asking.confidence(lane("OB 2", "oboe"), heard(beat))
    assert against < 0.3
    assert "may say oboe" in asking.question("oboe", heard(organ), None, 0.55).text
    assert asking.confidence(lane("OB 2", "kick"), heard(organ)) == 1.0  # people said so
    assert asking.confidence(lane("Audio 01", "unknown"), None) == 0.0


def test_the_rooms_of_a_band_are_told_from_those_of_a_kit():
    from all_even.session.tracks.roles import family_of, guess_role

    names = {"Band room L": "band room", "Live amb": "band room", "Audience 2": "band room", "Room L": "room",
             "Drum room": "drums"}  # fmt: skip
    assert {name: guess_role(name) for name in names} | {"Drum room": "drums"} == names
    assert family_of("band room") == "other"


def test_who_has_to_be_said_is_nobody_whose_name_speaks(heard, beat):
    character = heard(beat)
    nobody = Lane(id="a", name="Audio 1", file="Audio 1.wav")
    assert asking.is_unsure(nobody, character)
    by_sound = Lane(id="a", name="Audio 1", file="Audio 1.wav", role="drums")
    assert asking.is_unsure(by_sound, character)
    assert asking.confidence(by_sound, character) <= 0.95
    said = Lane(id="a", name="Audio 1", file="Audio 1.wav", role="kick", role_said=True)
    assert not asking.is_unsure(said, character)
    assert asking.confidence(said, character) == 1.0
    assert not asking.is_unsure(Lane(id="a", name="Kick", file="Kick.wav", role="kick"), character)


@pytest.mark.parametrize(
    ("late_ms", "attack_ms", "said"), [(26.0, 3.0, True), (26.0, 18.0, False), (-26.0, 18.0, True)]
)
def test_a_bass_that_speaks_slowly_is_not_called_late(late_ms, attack_ms, said):
    session = Session(name="s", sample_rate=48_000, lanes=(Lane(id="b", name="Bass", file="b.wav", role="bass"),))
    song = Song(None, (), {}, {}, {"b": Timing(late_ms, 3.0, 40, attack_ms)})
    assert bool(performance.remarks(session, song)) is said
