"""Templates: what of a session goes on to the next, by name and role, and what of one recording stays behind."""

import pytest
from msgspec.structs import replace

from all_even import places
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.tone.passes import HighPass
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.machine import named_files, template
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Lane, MixSettings


def session(*roles: str) -> Session:
    lanes = tuple(
        Lane(id=f"l{i}", name=f"{role} {i}", file=f"{role}{i}.wav", role=role) for i, role in enumerate(roles)
    )
    return Session(name="Song", sample_rate=48_000, lanes=lanes)


@pytest.fixture
def made(home):
    """A kick, a bass that ducks under it and follows one song's shape, two voices in a group with a send."""
    found = session("kick", "bass DI", "lead voice", "backing voice")
    found = chain_edits.add_station(found, "l1", Compressor(ratio=4.0, key=Key(source="l0")))
    found = chain_edits.add_station(found, "l1", Ducker(shape="shape-1"))
    found = chain_edits.add_station(found, "l2", HighPass(frequency_hz=90.0))
    found, hall = routing_edits.add_bus(found, "Hall", "return")
    found, _ = routing_edits.group_strips(found, ["l2", "l3"], "Voices")
    found = routing_edits.set_send(found, ["l2"], hall, level_db=-9.0)
    found = chain_edits.add_station(found, MIX, Compressor(ratio=2.0))
    found = edits.change_strips(found, ["l2"], level_db=-6.0, clip_gain_db=3.0, pan=0.25)
    return edits.set_work(found, lead_lu=1.0)


def test_what_is_of_one_recording_stays_behind(made):
    kept = template.of_session(made, "Trio")
    voice = kept.lanes[2]
    assert (voice.level_db, voice.clip_gain_db, voice.pan) == (0.0, 0.0, 0.25)
    assert [type(station) for station in kept.lanes[1].chain] == [Compressor]


def test_another_folder_is_set_up_by_roles_with_keys_sends_and_groups(made):
    template.keep(template.of_session(made, "Trio"))
    other = session("bass DI", "backing voice", "backing voice", "lead voice", "kick", "viola")
    there = template.applied(other, template.find("Trio"))
    bass, first, second, voice, kick, viola = there.lanes
    assert bass.chain[0].key.source == kick.id
    names = {bus.id: bus.name for bus in there.buses}
    assert [names.get(lane.destination) for lane in (first, second, voice)] == ["Voices"] * 3
    assert [(names[send.to], send.level_db) for send in voice.sends] == [("Hall", -9.0)]
    assert (voice.pan, voice.level_db) == (0.25, 0.0)
    assert viola == other.lanes[5]
    assert [type(station) for station in there.mix.chain] == [Compressor]
    assert there.settings.lead_lu == 1.0
    assert voice.name == "lead voice 2"
    assert first.name == "backing voice 1"


def test_a_station_whose_key_has_no_counterpart_is_left_out(made):
    there = template.applied(session("bass DI", "lead voice"), template.of_session(made, "Trio"))
    assert there.lanes[0].chain == ()


def test_lanes_can_be_left_out_and_a_silent_trigger_falls_back_on_what_it_copies(made):
    triggered, trigger = routing_edits.silent_trigger(made, "l0")
    station = triggered.lane("l1").chain[0]
    keyed = chain_edits.set_chain(triggered, "l1", [replace(station, key=Key(source=trigger))])
    assert keyed.lane(trigger).destination == NOWHERE
    other = session("kick", "bass DI", "lead voice")
    there = template.applied(other, template.of_session(keyed, "Trio"), left_out=("l2",))
    assert there.lane("l1").chain[0].key.source == "l0"
    assert there.lane("l2") == other.lane("l2")


def test_one_is_kept_found_and_forgotten_and_junk_beside_it_is_passed_over(made):
    path = template.keep(template.of_session(made, "Trio  of  friends"))
    (path.parent / "broken.json").write_text('{"template": "All Even template"')
    (path.parent / "other.json").write_text('{"name": 3}')
    assert [item.name for item in template.known()] == ["Trio of friends"]
    template.forget("Trio of friends")
    assert template.known() == []
    with pytest.raises(KeyError):
        template.find("Trio of friends")


def test_a_disk_that_refuses_is_one_sentence(made, monkeypatch):
    def refuse(*_):
        raise OSError

    monkeypatch.setattr(named_files.outputs, "write_whole", refuse)
    with pytest.raises(UserError, match="can't be kept"):
        template.keep(template.of_session(made, "Trio"))


@pytest.mark.parametrize("names", [("Рок", "Джаз", "鼓"), ("Rock & Roll", "Rock Roll", "Rock  Roll!")])
def test_names_that_read_differently_are_templates_of_their_own(made, home, names):
    for number, name in enumerate(names):
        template.keep(replace(template.of_session(made, name), mix=MixSettings(trim_db=float(number))))
    assert sorted(item.name for item in template.known()) == sorted(" ".join(name.split()) for name in names)
    template.forget(names[0])
    assert {item.name for item in template.known()} == {" ".join(name.split()) for name in names[1:]}
    assert template.find(names[2]).mix.trim_db == 2.0


def test_a_template_under_an_earlier_file_name_is_found_replaced_and_forgotten(made, home):
    old = template.keep(template.of_session(made, "Rock")).rename(places.data_folder("templates") / "rock.json")
    assert template.find("rock").name == "Rock"
    new = template.keep(template.of_session(made, "Rock"))
    assert not old.exists()
    assert len(template.known()) == 1
    new.rename(old)
    template.forget("Rock")
    assert template.known() == []
