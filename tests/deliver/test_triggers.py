"""A duck carried away: click and MIDI on its hits, and a table of gains from which anybody gets the same duck."""

import csv

import mido
import numpy as np
import pytest
import soundfile

from all_even.audio import midi
from all_even.deliver import triggers
from all_even.errors import UserError
from all_even.moves import making
from all_even.moves.low_end.ducks import duck
from all_even.session.file import store
from tests.moves import low_sessions
from tests.moves.looks import look_at

RATE = 48_000


@pytest.fixture(scope="module")
def colliding(tmp_path_factory):
    return look_at(low_sessions.colliding(tmp_path_factory.mktemp("low") / "colliding"))


def ducked(look, name: str):
    numbers = duck.fitted(look).ducks.method(name).numbers
    return look.at(making.made(look.session, duck.KIND, duck.chosen(look, name, numbers)))


@pytest.mark.parametrize("name", ["drawn", "keyed_click"])
def test_click_and_midi_lie_on_the_hits_within_a_sample(colliding, tmp_path, name):
    look = ducked(colliding, name)
    triggers.write_triggers(look, tmp_path)
    wanted = np.array(look.session.shapes[0].hits_s)
    click, rate = soundfile.read(tmp_path / "Duck click.wav")
    starts = np.flatnonzero(np.diff(np.concatenate(([0.0], click))) > 0.1)
    assert rate == look.session.sample_rate
    assert np.abs(starts - wanted * rate).max() <= 1.0
    now, found = 0.0, []
    for message in mido.MidiFile(tmp_path / "Duck hits.mid"):
        now += message.time
        if message.type == "note_on":
            found.append(now)
    assert np.abs(np.array(found) - wanted).max() * rate <= 1.0
    assert midi.hits_s(tmp_path / "Duck hits.mid") == pytest.approx(tuple(wanted), abs=2e-5)  # and it can be read in


@pytest.mark.parametrize("name", ["drawn", "keyed", "keyed_click"])
def test_the_table_of_gains_gives_the_same_duck_to_anybody(colliding, tmp_path, name):
    """Read with the csv module, multiplied with NumPy: nothing of ours."""
    look = ducked(colliding, name)
    triggers.write_triggers(look, tmp_path)
    (table,) = tmp_path.glob("*gain.csv")
    with table.open() as file:
        rows = list(csv.DictReader(file))
    times, gains = (np.array([float(row[key]) for row in rows]) for key in ("time_s", "gain_db"))
    (bass,) = [lane.id for lane in look.session.lanes if lane.role == "bass"]
    plain, heard = (np.array(look.book.sound(s, bass).read(0, 10**7))[:, 0] for s in (colliding.session, look.session))
    mine = plain * 10.0 ** (np.interp(np.arange(len(plain)) / RATE, times, gains) / 20.0)
    frame = RATE // 100
    count = len(plain) // frame
    levels = [
        10.0 * np.log10(np.mean(x[: count * frame].reshape(count, frame) ** 2, axis=1) + 1e-12) for x in (mine, heard)
    ]
    loud = levels[1] > levels[1].max() - 40.0
    assert np.abs(levels[0] - levels[1])[loud].max() < 0.1


def test_the_controller_follows_the_gain(colliding):
    gain = np.zeros(RATE)
    gain[RATE // 2 :] = -6.0
    file = mido.MidiFile(file=__import__("io").BytesIO(triggers.midi_controller(gain, RATE)))
    now, values = 0.0, []
    for message in file:
        now += message.time
        if message.type == "control_change":
            values.append((round(now, 2), message.value))
    assert values == [(0.0, 127), (0.5, 64)]


def test_nothing_is_written_where_nothing_is_ducked_or_over_what_is_not_ours(colliding, tmp_path):
    with pytest.raises(UserError, match="Nothing is ducked"):
        triggers.write_triggers(colliding, tmp_path)
    look = ducked(colliding, "drawn")
    (tmp_path / "Duck hits.mid").write_text("something else")
    with pytest.raises(UserError, match=r"Duck hits\.mid"):
        triggers.write_triggers(look, tmp_path, store.recordings(look.session))
    assert (tmp_path / "Duck hits.mid").read_text() == "something else"
