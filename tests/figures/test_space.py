"""Returns in a session: depth by figures and by rendering, what returns add, responses from files."""

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.tone.passes import HighPass
from all_even.dsp.utility import Gain
from all_even.engine import responses
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.errors import UserError
from all_even.figures.arriving import spectra
from all_even.figures.space import depth, spaces
from all_even.figures.space.space_response import of_chain, response_of
from all_even.figures.space.space_view import space_view
from all_even.session.editing import chain_edits, edits, routing_edits, space_edits
from all_even.session.file.new import add_response
from all_even.session.file.store import decode, encode
from all_even.session.model import space
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane
from tests.moves import space_sessions
from tests.moves.looks import look_at
from tests.moves.space_sessions import CUT, by_role, with_return

RATE = 48_000


@pytest.fixture(scope="module")
def dry(tmp_path_factory):
    return look_at(space_sessions.song(tmp_path_factory.mktemp("space") / "song"))


@pytest.fixture(scope="module")
def roomy(dry):
    """The song with a room for most and a hall for a few."""
    session = with_return(dry.session, "Room", space_sessions.ALL, STARTS["room"], *CUT)
    return dry.at(with_return(session, "Hall", ["lead voice", "snare top"], STARTS["hall"], *CUT, level_db=-14.0))


@pytest.mark.parametrize(("role", "within"), [("clarinet", 1.0), ("electric guitar", 1.0), ("pad", 1.0),
                                              ("lead voice", 2.0)])  # fmt: skip
def test_the_depth_that_is_predicted_is_what_is_rendered(roomy, role, within):
    """The voice sings four pitches only: at each the response is more or less than its mean."""
    lane = by_role(roomy.session, role)
    assert depth.ratio_db(roomy, lane) == pytest.approx(depth.measured_db(roomy, lane), abs=within)


def test_the_depth_of_a_snare_too(roomy):
    """Its hits excite the response where it is: 1.5 dB."""
    lane = by_role(roomy.session, "snare top")
    assert depth.ratio_db(roomy, lane) == pytest.approx(depth.measured_db(roomy, lane), abs=1.5)


def test_sends_and_faders_move_the_depth_by_as_much(roomy):
    session, lane = roomy.session, by_role(roomy.session, "clarinet")
    before = depth.ratio_db(roomy, lane)
    assert depth.ratio_db(roomy.at(space_edits.further(session, [lane], 4.0)), lane) == pytest.approx(before - 4.0)
    room = session.buses[0].id
    lower = edits.change_strips(session, (room,), level_db=-15.0)
    assert depth.ratio_db(roomy.at(lower), lane) == pytest.approx(before + 3.0)
    # The lane's own fader moves both: it stays where it is.
    softer = edits.change_strips(session, (lane,), level_db=-6.0)
    assert depth.ratio_db(roomy.at(softer), lane) == pytest.approx(before, abs=1e-6)


def test_a_lane_without_sends_or_with_a_muted_return_has_no_depth(roomy):
    assert depth.ratio_db(roomy, by_role(roomy.session, "bass")) is None
    muted = edits.change_strips(roomy.session, [bus.id for bus in roomy.session.buses], mute=True)
    assert depth.ratio_db(roomy.at(muted), by_role(roomy.session, "clarinet")) is None


def test_what_comes_from_a_return_belongs_to_no_lane(dry, roomy):
    lanes = [spectra.excitations(look) for look in (dry, roomy)]
    assert lanes[0].keys() == lanes[1].keys()
    for lane_id, sound in lanes[0].items():
        np.testing.assert_allclose(lanes[1][lane_id].power, sound.power, rtol=1e-5)


def test_louder_is_covered_less_and_the_place_is_where_it_says(roomy):
    room = roomy.session.buses[0]
    shares = []
    for by_db in (-10.0, 0.0, 10.0):
        louder = edits.change_strips(roomy.session, (room.id,), level_db=room.level_db + by_db)
        shares.append(spaces.figures_of(roomy.at(louder), room.id).covered)
    assert shares[0] > shares[1] > shares[2]
    by_db = spaces.figures_of(roomy, room.id).moves_to_db
    placed = edits.change_strips(roomy.session, (room.id,), level_db=room.level_db + by_db)
    assert spaces.figures_of(roomy.at(placed), room.id).covered == pytest.approx(spaces.JUST_MISSED, abs=0.002)


def test_the_low_end_that_is_added_is_that_of_the_mix_with_it_and_without(dry):
    """Against the powers of both rendered mixes under 250 Hz."""
    session = with_return(dry.session, "Mud", ["kick", "bass", "clarinet"], STARTS["hall"], level_db=-6.0)
    look, bus = dry.at(session), session.buses[0].id
    powers = []
    for state in (session, edits.change_strips(session, (bus,), mute=True)):
        mix = np.concatenate(list(render(make_plan(state, look.book.sources))))
        spectrum = np.abs(np.fft.rfft(mix, axis=0)) ** 2
        powers.append(spectrum[np.fft.rfftfreq(len(mix), 1.0 / RATE) < 250.0].sum())
    told = spaces.figures_of(look, bus).low_added_db
    assert told > 0.5
    assert told == pytest.approx(10.0 * np.log10(powers[0] / powers[1]), abs=0.4)


def test_the_snares_room_falls_by_as_much_as_the_time_says(dry):
    """60 (D - pre + 10 ms) / T, tried within 2 dB; a snare lasts itself: within 5."""
    assert spaces.wall(dry).typical_s == pytest.approx(0.75, abs=0.01)
    reverb = replace(STARTS["hall"], decay_s=2.0)
    look = dry.at(with_return(dry.session, "Hall", ["snare top"], reverb, *CUT))
    predicted = 60.0 * (0.75 - 0.025 + 0.01) / 2.0
    told = spaces.drop_at_kick_db(look, look.session.buses[0].id)
    assert told == pytest.approx(predicted, abs=5.0)
    shorter = with_return(dry.session, "Hall", ["snare top"], replace(reverb, decay_s=1.0), *CUT)
    assert spaces.drop_at_kick_db(dry.at(shorter), shorter.buses[0].id) > told + 10.0


def test_a_song_without_a_kick_has_no_wall(dry):
    silent = edits.change_strips(dry.session, [by_role(dry.session, "kick")], mute=True)
    assert spaces.wall(dry.at(silent)) is None
    assert spaces.drop_db(dry.at(silent), "", [STARTS["room"]]) is None


def test_the_response_of_a_return_has_its_reverbs_times_inside_its_passes(roomy):
    found = response_of(roomy, roomy.session.buses[1].id)
    for hz in (500.0, 1000.0, 2000.0):
        assert found.decay[hz].decay_s == pytest.approx(float(STARTS["hall"].decay_at(hz)), rel=0.08)
    assert found.first_s == pytest.approx(0.025, abs=0.005)


def test_the_strength_of_a_plain_chain_is_its_gain(dry):
    strength = of_chain(dry.session, [HighPass(frequency_hz=300.0), Gain(gain_db=-6.0206)]).strength
    assert strength[-20] == pytest.approx(0.25, abs=0.01)
    assert strength[0] < 1e-3


def test_the_view_tells_what_it_knows_at_once_and_the_drop_later(roomy):
    told = []
    whole = space_view(roomy, told.append)
    hall = roomy.session.buses[1].id
    assert told[0].returns[hall].drop_db is None
    assert whole.returns[hall].drop_db == spaces.drop_at_kick_db(roomy, hall)
    assert whole.beat.kick_s == pytest.approx(0.75, abs=0.01)
    assert whole.beat.snare_s == pytest.approx(1.5, abs=0.01)


# Responses from files.


@pytest.fixture
def with_response(tmp_path):
    """A session of one lane in a return with a recorded response, and its file."""
    path = tmp_path / "halls" / "Small hall.wav"
    path.parent.mkdir()
    fall = np.random.default_rng(0).standard_normal((12_000, 2)) * 10.0 ** (-np.arange(12_000) / 4000.0)[:, np.newaxis]
    soundfile.write(path, 0.2 * fall, RATE, subtype="FLOAT")
    session = Session(name="Song", sample_rate=RATE, folders=(Folder(path=str(tmp_path)),),
                      lanes=(Lane(id="l0", name="Track", file="a.wav"),))  # fmt: skip
    session, response_id = add_response(session, path)
    station = Convolution(response=response_id, length_s=0.25)
    session, _ = space_edits.add_return(session, "Hall", [station], ["l0"])
    return session, path


class Click:
    frames, channels = 24_000, 1

    def read(self, start, frames):
        out = np.zeros((frames, 1), dtype=np.float32)
        if start <= 0 < start + frames:
            out[-start] = 1.0
        return out


def test_a_recorded_response_is_heard_through_a_return(with_response):
    session, path = with_response
    assert session.responses[0].file == "halls/Small hall.wav"
    mix = np.concatenate(list(render(make_plan(session, {"l0": Click()}))))
    recorded, _ = soundfile.read(path)
    gain = 2.0**-0.5  # a lane in the middle, on each side; both reach both sides by half
    wet = mix[1:12_000] / gain
    np.testing.assert_allclose(wet, recorded[1:12_000], atol=1e-5)


def test_a_response_survives_the_file_and_its_fingerprint_follows_its_sound(with_response):
    session, path = with_response
    assert decode(encode(session), "a.alleven").responses == session.responses
    before = responses.content(session, session.responses[0].id)
    soundfile.write(path, np.ones((100, 1)), RATE)
    assert responses.content(session, session.responses[0].id) != before


def test_the_same_file_is_listed_once(with_response):
    session, path = with_response
    again, response_id = add_response(session, path)
    assert again == session
    assert response_id == session.responses[0].id


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.zeros((100, 3)), "has 3 channels: a response has 1, 2 or 4"),
        (np.zeros((100, 6)), "has 6 channels: a response has 1, 2 or 4"),
        (np.zeros((31 * 8000, 1)), "it is 31 s long"),
    ],
)
def test_what_can_not_be_a_response_is_one_sentence(tmp_path, samples, words):
    path = tmp_path / "odd.wav"
    soundfile.write(path, samples, 8000)
    with pytest.raises(UserError, match=words):
        responses.inspected(path)


def test_a_response_that_is_gone_is_silent_and_said(with_response):
    session, path = with_response
    path.unlink()
    said = responses.problems(session)
    assert list(said) == [session.responses[0].id]
    assert "Small hall.wav" in said[session.responses[0].id]
    mix = np.concatenate(list(render(make_plan(session, {"l0": Click()}))))
    assert np.abs(mix[1:]).max() == 0.0
    assert responses.envelope_db(session, session.responses[0].id) == (None, said[session.responses[0].id])


def test_a_response_outside_the_listed_folders_is_refused(with_response):
    session, _ = with_response
    climbing = replace(session, responses=(replace(session.responses[0], file="../secret.wav"),))
    assert "refused" in next(iter(responses.problems(climbing).values()))


# Edits by hand.


def test_further_moves_all_sends_of_a_lane_to_returns_and_no_other(roomy):
    session, lane = roomy.session, by_role(roomy.session, "lead voice")
    session, parallel = routing_edits.add_bus(session, "Copy", "parallel")
    session = routing_edits.set_send(session, (lane,), parallel)
    moved = space_edits.further(session, [lane], 2.5)
    assert [send.level_db for send in moved.lane(lane).sends] == [2.5, 2.5, 0.0]
    one = space_edits.further(session, [lane], -3.0, only=session.buses[1].id)
    assert [send.level_db for send in one.lane(lane).sends] == [0.0, -3.0, 0.0]


def test_a_return_is_a_bus_that_makes_room(roomy):
    session = roomy.session
    assert [bus.name for bus in space.returns(session)] == ["Room", "Hall"]
    hall = session.buses[1]
    bypassed = chain_edits.change_station(session, hall.id, hall.chain[0].id, bypass=True)
    assert [bus.name for bus in space.returns(bypassed)] == ["Room"]
