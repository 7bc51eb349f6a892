"""What a session file may hold: settings that exist, in their ranges; and its snapshots like itself."""

import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.utility import Delay, Gain
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.engine.sources import LONGEST_SONG_S, Sources
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.file import checks, store
from all_even.session.file.store import SessionFileError, decode, encode, lane_path, load, save
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, Automation, Bus, Lane, Point, Send
from tests.conftest import HUNG_S
from tests.engine.sessions import sounds


def session(*stations, **lane) -> Session:
    one = Lane(id="lane-1", name="Kick", file="a.wav", chain=tuple(stations), **lane)
    return Session(name="s", sample_rate=48_000, folders=(Folder(path="/m"),), lanes=(one,))


def automated(parameter: str, *values: float, station=None) -> Session:
    points = tuple(Point(time_s=0.01 * i, value=value) for i, value in enumerate(values or (1e6,)))
    return session(
        station or Delay(id="s1", delay_ms=1.0), automation=(Automation(parameter=parameter, points=points),)
    )


REFUSED = {
    "s1.delay_ms": "which can't be automated",
    "s1.delay_frames": "which can't be automated",
    "s1.nothing": "which is not there",
    "s1.id": "which is not there",
    "s1.bypass": "which is not there",
    "s2.delay_ms": "which is not there",
    "s1.bands.0.q": "which is not there",
    "s1": "which is not there",
    "loudness": "which is not there",
    "": "which is not there",
}


@pytest.mark.parametrize("parameter", REFUSED)
def test_automation_of_what_can_not_be_automated_is_refused_at_load(parameter):
    with pytest.raises(SessionFileError) as caught:
        decode(encode(automated(parameter)), "a.alleven")
    assert REFUSED[parameter] in str(caught.value)
    assert str(caught.value).startswith("a.alleven is not a usable session: Kick automates ")


@pytest.mark.parametrize("band", ["-1", "x", "1", "1e0", "٣", "0000", ""])
def test_automation_of_a_band_that_is_not_there_is_refused_at_load_and_at_edit(band):
    equaliser = Equaliser(id="s1", bands=(Band(),))
    with pytest.raises(SessionFileError, match="which is not there"):
        decode(encode(automated(f"s1.bands.{band}.gain_db", station=equaliser)), "a")
    with pytest.raises(KeyError):
        chain_edits.automate(session(equaliser), "lane-1", f"s1.bands.{band}.gain_db", [(0.0, 1.0)])


def test_a_look_ahead_is_not_automated_by_an_edit_either():
    with pytest.raises(ValueError, match="can't be automated"):
        chain_edits.automate(session(Compressor(id="s1")), "lane-1", "s1.lookahead_ms", [(0.0, 20.0)])


def test_automated_values_come_into_their_range_at_load():
    loaded = decode(encode(automated("s1.ratio", -5.0, 1e6, 3.0, station=Compressor(id="s1"))), "a")
    assert [point.value for point in loaded.lanes[0].automation[0].points] == [1.0, 100.0, 3.0]


@pytest.mark.parametrize(
    ("parameter", "station"),
    [
        ("s1.delay_ms", Delay(id="s1", delay_ms=1.0)),
        ("s1.lookahead_ms", Compressor(id="s1", lookahead_ms=1.0)),
        ("s1.bands.7.q", Equaliser(id="s1", bands=(Band(gain_db=6.0),))),
        ("s1.bands.x.q", Equaliser(id="s1", bands=(Band(gain_db=6.0),))),
    ],
)
def test_the_engine_leaves_alone_what_can_not_move_even_where_nothing_checked_it(parameter, station):
    """A session made in memory, around the checks: the mix is as if the automation were not there."""
    broken = automated(parameter, 1e6, -1e6, station=station)
    plain = replace(broken, lanes=(replace(broken.lanes[0], automation=()),))
    mixes = [np.concatenate(list(render(make_plan(s, {"lane-1": sounds(1)["l0"]})))) for s in (broken, plain)]
    np.testing.assert_allclose(*mixes, atol=1e-12)  # cut into other blocks, the same sound


def test_the_engine_clamps_what_moves():
    wild = automated("s1.gain_db", 1e6, station=Gain(id="s1"))
    most = session(Gain(id="s1", gain_db=36.0))
    mixes = [np.concatenate(list(render(make_plan(s, {"lane-1": sounds(1)["l0"]})))) for s in (wild, most)]
    np.testing.assert_allclose(*mixes, rtol=1e-12)


WORDS = {
    "kind": ('{"kind":"tape-echo"}', "unknown word “tape-echo” in tracks 1, chain 1, kind"),
    "slope": ('{"kind":"high-pass","slope":13}', "unknown word “13” in tracks 1, chain 1, slope"),
    "character": ('{"kind":"compressor","character":"warm"}', "unknown word “warm” in tracks 1, chain 1, character"),
    "field": ('{"kind":"gain","colour":1}', "unknown field “colour” in tracks 1, chain 1"),
    "ratio": ('{"kind":"compressor","ratio":0}', "a number under 1 in tracks 1, chain 1, ratio"),
    "Q": ('{"kind":"equaliser","bands":[{"q":0}]}', "a number under 0.1 in tracks 1, chain 1, bands 1, q"),
    "drive": ('{"kind":"saturation","drive_db":1e9}', "a number over 48 in tracks 1, chain 1, drive_db"),
    "text": ('{"kind":"gain","gain_db":"loud"}', "the wrong kind of value in tracks 1, chain 1, gain_db"),
    "id": ('{"kind":"gain","id":"a b"}', "letters that can't be in tracks 1, chain 1, id"),
    "crossovers": (
        '{"kind":"band-compressor","crossovers_hz":[900,200],"bands":[{"kind":"compressor"},{"kind":"compressor"},'
        '{"kind":"compressor"}]}',
        "the crossovers of a band compressor have to rise in tracks 1, chain 1",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", WORDS)
def test_each_bad_setting_is_one_sentence_of_ours(what):
    station, words = WORDS[what]
    data = encode(session()).replace(b'"chain": []', b'"chain": [' + station.encode() + b"]", 1)
    with pytest.raises(SessionFileError) as caught:
        decode(data, "a.alleven")
    assert str(caught.value) == f"a.alleven is not a usable session: {words}."


def test_an_edit_brings_numbers_into_range_and_refuses_unknown_words():
    made = chain_edits.add_station(session(), "lane-1", Compressor(ratio=1e9, lookahead_ms=-4.0))
    station = made.lanes[0].chain[0]
    assert (station.ratio, station.lookahead_ms) == (100.0, 0.0)
    with pytest.raises(UserError, match="can't be set to that"):
        chain_edits.change_station(made, "lane-1", station.id, character="warm")
    with pytest.raises(KeyError):
        chain_edits.change_part(session(Equaliser(id="s1", bands=(Band(),))), "lane-1", "s1", -1, q=1.0)


@pytest.mark.parametrize("data", [b'"' + b'\\"' * 10_000, b'{"a":"' + b'\\"' * 5_000_000 + b'"}', b"[" * 10_000_000])
def test_looking_at_the_depth_takes_no_time_and_no_memory(data):
    """Before: seconds for 20 KB of escaped quotes, and 1.3 GB for a string of 10 MB."""
    code = (
        "import sys, resource; from all_even.session.file import store\ndata = sys.stdin.buffer.read(); before = "
        "resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\ntry: store.decode(data, 'a')\nexcept "
        "store.SessionFileError as error: "
        "print(len(str(error)))\nprint(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, file=sys.stderr)"
    )
    told = subprocess.run([sys.executable, "-c", code], input=data, capture_output=True, timeout=HUNG_S, check=True)
    assert 0 < int(told.stdout) < 200
    assert int(told.stderr) < 64 << 10  # KB


def test_depth_is_counted_outside_of_text_only():
    noted = edits.add_note(session(), "[" * 100 + '\\"{', 1.0)
    assert decode(encode(noted), "a").notes == noted.notes
    with pytest.raises(SessionFileError, match="nested deeper"):
        decode(b'{"a": "\\\\", "b": ' + b"[" * 40 + b"]" * 40 + b"}", "a")


def test_a_file_of_more_parts_than_any_session_is_refused_before_it_is_read():
    for data in (b"{" * (checks.MOST_OBJECTS + 1), b"," * (checks.MOST_VALUES + 1)):
        with pytest.raises(SessionFileError, match="more parts than any session"):
            decode(data, "a")


def test_a_session_that_could_not_be_opened_again_is_not_written(tmp_path, monkeypatch):
    save(session(), tmp_path / "a.alleven")
    before = (tmp_path / "a.alleven").read_bytes()
    monkeypatch.setattr(checks, "MOST_OBJECTS", 2)
    with pytest.raises(SessionFileError, match="remove snapshots"):
        save(edits.take_snapshot(session(), "x"), tmp_path / "a.alleven")
    assert (tmp_path / "a.alleven").read_bytes() == before


SNAPSHOTS = {
    "two tracks of one id": (lambda snapshot: {"lanes": snapshot.lanes * 2}, "two tracks have one id"),
    "two processors of one id": (
        lambda snapshot: {"mix": replace(snapshot.mix, chain=(Gain(id="s1"), Gain(id="s1")))},
        "two processors have one id",
    ),
    "a loop": (
        lambda snapshot: {
            "buses": (Bus(id="a", name="A", destination="b"), Bus(id="b", name="B", destination="a"))
        },
        "would make a loop",
    ),
    "a destination that is not there": (
        lambda snapshot: {"lanes": (replace(snapshot.lanes[0], destination="gone"),)}, "which is not there"
    ),
    "a folder that is not listed": (
        lambda snapshot: {"lanes": (replace(snapshot.lanes[0], folder=3),)}, "in a folder it does not list"
    ),
    "automation of a delay": (
        lambda snapshot: {"lanes": automated("s1.delay_ms").lanes}, "which can't be automated"
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", SNAPSHOTS)
def test_snapshots_are_checked_like_the_session(what):
    change, words = SNAPSHOTS[what]
    taken = edits.take_snapshot(session(), "rough")
    broken = replace(taken, snapshots=(replace(taken.snapshots[0], **change(taken.snapshots[0])),))
    with pytest.raises(SessionFileError) as caught:
        decode(encode(broken), "a.alleven")
    assert words in str(caught.value)
    assert "in the snapshot “rough”" in str(caught.value)


def test_two_snapshots_of_one_name_are_refused():
    taken = edits.take_snapshot(session(), "rough")
    with pytest.raises(SessionFileError, match="two snapshots have one name"):
        decode(encode(replace(taken, snapshots=taken.snapshots * 2)), "a")


def test_recalling_a_snapshot_gives_a_later_lanes_stations_fresh_ids(tmp_path):
    """The id of a station that is gone is given again; both are there once the snapshot is back."""
    old = edits.take_snapshot(session(Gain(id="s1")), "rough")
    moving = Automation(parameter="s1.gain_db", points=(Point(time_s=0.0, value=1.0),))
    later = replace(old.lanes[0], id="lane-2", chain=(Gain(id="s1", gain_db=3.0),), automation=(moving,))
    back = edits.recall_snapshot(replace(old, lanes=(replace(old.lanes[0], chain=()), later)), "rough")
    assert [lane.chain[0].id for lane in back.lanes] == ["s1", "s2"]
    assert back.lanes[1].automation[0].parameter == "s2.gain_db"
    save(back, tmp_path / "a.alleven")
    assert load(tmp_path / "a.alleven").lanes == back.lanes


def test_an_id_that_a_snapshot_knows_is_not_given_again():
    taken = edits.take_snapshot(chain_edits.add_station(session(), "lane-1", Gain()), "rough")
    emptied = chain_edits.remove_station(taken, "lane-1", taken.lanes[0].chain[0].id)
    again = chain_edits.add_station(emptied, "lane-1", Gain())
    assert again.lanes[0].chain[0].id != taken.lanes[0].chain[0].id


def test_recalling_a_snapshot_never_closes_a_loop(tmp_path):
    taken = replace(session(), buses=(Bus(id="a", name="A", destination="b"), Bus(id="b", name="B")))
    taken = edits.take_snapshot(taken, "rough")
    later = Lane(
        id="lane-2", name="Late", file="b.wav", destination="a", chain=(Compressor(id="k", key=Key(source="b")),)
    )
    now = replace(taken, buses=(replace(taken.buses[0], destination=MIX), taken.buses[1]), lanes=(*taken.lanes, later))
    decode(encode(now), "a")
    back = edits.recall_snapshot(now, "rough")
    decode(encode(back), "a")
    assert back.lanes[1].destination == MIX
    assert back.lanes[1].chain[0].key is None


def test_removing_a_bus_takes_the_automation_of_its_sends_along():
    made, bus_id = routing_edits.add_bus(session(), "Parallel", "parallel")
    made = routing_edits.set_send(made, ["lane-1"], bus_id)
    made = chain_edits.automate(made, "lane-1", f"send:{bus_id}", [(0.0, -30.0)])
    gone = routing_edits.remove_strips(made, [bus_id])
    assert gone.lanes[0].automation == ()
    again, new_id = routing_edits.add_bus(gone, "Other")
    assert new_id == bus_id
    assert again.lanes[0].automation == ()


def test_what_an_older_version_left_of_a_removed_bus_is_dropped_and_the_session_opens():
    old = automated("send:bus1", -30.0)
    assert decode(encode(old), "a").lanes[0].automation == ()


def test_the_automation_of_a_band_goes_with_it():
    made = session(Equaliser(id="s1", bands=(Band(), Band())))
    made = chain_edits.automate(made, "lane-1", "s1.bands.1.gain_db", [(0.0, 3.0)])
    fewer = chain_edits.change_station(made, "lane-1", "s1", bands=(Band(),))
    assert fewer.lanes[0].automation == ()
    decode(encode(fewer), "a")


@pytest.fixture
def linked(tmp_path) -> Path:
    """A folder with a link to a folder outside, and one that leads to itself."""
    (tmp_path / "secret").mkdir()
    (tmp_path / "stems" / "inside").mkdir(parents=True)
    for place in ("secret/secret.wav", "stems/inside/a.wav"):
        soundfile.write(tmp_path / place, np.zeros(4800), 48_000)
    (tmp_path / "stems" / "linkdir").symlink_to(tmp_path / "secret")
    (tmp_path / "stems" / "near").symlink_to(tmp_path / "stems" / "inside")
    (tmp_path / "stems" / "loop").symlink_to(tmp_path / "stems" / "loop")
    return tmp_path / "stems"


def test_an_entry_does_not_leave_its_folder_through_a_linked_folder(linked):
    made = replace(session(), folders=(Folder(path=str(linked)),))
    with pytest.raises(SessionFileError, match=r"secret\.wav is refused: .* out of the listed folder stems"):
        lane_path(made, replace(made.lanes[0], file="linkdir/secret.wav"))
    assert lane_path(made, replace(made.lanes[0], file="near/a.wav")).exists()


def test_a_listed_folder_may_be_a_link_itself(linked, tmp_path):
    (tmp_path / "here").symlink_to(linked / "inside")
    made = replace(session(), folders=(Folder(path=str(tmp_path / "here")),))
    assert lane_path(made, made.lanes[0]).exists()


ENTRIES = {
    "NUL": "a\x00b.wav",
    "long": "a" * 300 + ".wav",
    "loop": "loop/a.wav",
    "loop itself": "loop",
    "outside": "linkdir/secret.wav",
    "folder": "inside",
    "gone": "b.wav",
}


@pytest.mark.parametrize("what", ENTRIES)
def test_an_entry_that_can_not_be_opened_is_a_sentence_and_the_others_play(what, linked, home):
    bad = Lane(id="bad", name="Bad", file=ENTRIES[what])
    good = Lane(id="good", name="Good", file="inside/a.wav")
    made = replace(session(), folders=(Folder(path=str(linked)),), lanes=(bad, good))
    loaded = decode(encode(made), "a")
    sources = Sources()
    sources.update(loaded)
    sentence = sources.problems(loaded)["bad"]
    assert sentence.isprintable()
    assert len(sentence) < 200
    assert list(sources.frames(loaded)) == ["good"]
    assert store.recordings(loaded).identities


@pytest.mark.parametrize("folder", ["/m\x00n", "/" + "x" * 300, "relative/../.."])
def test_a_listed_folder_that_can_not_be_is_no_trace(folder, tmp_path, home):
    made = replace(session(), folders=(Folder(path=folder, relative=folder),))
    path = tmp_path / "a.alleven"
    path.write_bytes(encode(made))
    loaded = load(path)
    sources = Sources()
    sources.update(loaded)
    assert sources.problems(loaded)
    save(loaded, path)


@pytest.mark.parametrize("take", [(5,), (1, 5), (2,)])
def test_a_channel_that_the_file_does_not_have_is_a_sentence(take, linked, home):
    lane = Lane(id="l", name="L", file="inside/a.wav", take=take)
    made = replace(session(), folders=(Folder(path=str(linked)),), lanes=(lane,))
    sources = Sources()
    sources.update(made)
    assert sources.problems(made) == {"l": f"a.wav has no such channel: it has 1, and {max(take)} is wanted."}


def test_a_lane_that_would_end_after_hours_is_left_out_with_a_sentence(linked, home):
    late = Lane(id="late", name="Late", file="inside/a.wav", start_s=1e6)
    made = replace(session(), folders=(Folder(path=str(linked)),), lanes=(late, replace(late, id="b", start_s=1.0)))
    sources = Sources()
    sources.update(made)
    assert list(sources.problems(made)) == ["late"]
    assert make_plan(made, sources).duration_s < 2.0 < LONGEST_SONG_S


def test_what_is_no_regular_file_is_no_session(tmp_path):
    os.mkfifo(tmp_path / "pipe.alleven")
    for path, words in (
        (tmp_path / "pipe.alleven", "not a regular file"),
        (Path("/dev/zero"), "not a regular file"),
        (tmp_path, "is a folder"),
        (Path("a\x00b.alleven"), "no file can have that name"),
    ):
        with pytest.raises(SessionFileError, match=words):
            load(path)


def test_a_snapshot_is_not_called_like_the_present():
    assert edits.take_snapshot(session(), "now").snapshots[0].name == "now (snapshot)"


def test_every_sentence_is_short_whatever_names_the_file_holds():
    wide = json.loads(encode(session()))
    wide["lanes"][0]["name"] = "Kick " + "x" * 195
    wide["lanes"][0]["destination"] = "y" * 80
    with pytest.raises(SessionFileError) as caught:
        decode(json.dumps(wide).encode(), "a" * 250 + ".alleven")
    assert len(str(caught.value)) < 200
    assert Send(to="x").level_db == 0.0
