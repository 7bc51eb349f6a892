"""The session without its processing, and the small edits of many tracks at once."""

import pytest

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.errors import UserError
from all_even.session.editing import chain_edits, ride_edits, routing_edits
from all_even.session.editing.without import without
from all_even.session.machine import chains
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, Lane


@pytest.fixture
def session() -> Session:
    lanes = tuple(Lane(id=name, name=name, file=f"{name}.wav", role=name) for name in ("kick", "bass DI", "viola"))
    lanes = tuple(Lane(id=lane.id.split()[0], name=lane.name, file=lane.file, role=lane.role) for lane in lanes)
    made = Session(name="Song", sample_rate=48_000, folders=(Folder(path="/none"),), lanes=lanes)
    made = chain_edits.add_station(made, "kick", Equaliser(bands=(Band(),)))
    made = chain_edits.add_station(made, "bass", HighPass())
    made = chain_edits.add_station(made, "bass", Compressor(key=Key(source="kick")))
    made = chain_edits.add_station(made, MIX, Compressor())
    made, hall = routing_edits.add_bus(made, "Hall", "return")
    made = chain_edits.add_station(made, hall, Reverb())
    made, crush = routing_edits.add_bus(made, "Drums parallel", "parallel")
    made = chain_edits.add_station(made, crush, Compressor())
    return routing_edits.set_send(routing_edits.set_send(made, ["viola"], hall), ["kick"], crush)


def kinds(session: Session, strip_id: str) -> list[type]:
    return [type(station) for station in session.chain(strip_id)]


def test_faders_alone_have_no_insert_and_no_send(session):
    bare = without(session, "everything")
    assert all(not bare.chain(strip.id) for strip in bare.strips)
    assert not bare.mix.chain
    assert not any(send.on for strip in bare.strips for send in strip.sends)


def test_without_one_kind_the_others_stay(session):
    assert kinds(without(session, "equalisers"), "bass") == [Compressor]
    plain = without(session, "dynamics")
    assert kinds(plain, "bass") == [HighPass]
    assert not plain.mix.chain
    assert not plain.strip("kick").sends[0].on  # a parallel copy without its compressor would only be louder
    assert plain.strip("viola").sends[0].on
    assert not without(session, "sends").strip("viola").sends[0].on


def test_of_the_selection_alone_the_rest_stays(session):
    found = without(session, "everything", {"kick"})
    assert not found.chain("kick")
    assert len(found.chain("bass")) == 2
    assert found.mix.chain


def test_automation_of_what_is_taken_out_goes_with_it(session):
    station = session.chain("kick")[0].id
    moved = chain_edits.automate(session, "kick", f"{station}.output_db", [(0.0, 1.0), (1.0, 2.0)])
    assert ride_edits.curve_of(moved, "kick", f"{station}.output_db")
    assert not without(moved, "equalisers").strip("kick").automation


def test_all_bands_move_by_an_interval_or_none_does(session):
    station = Equaliser(bands=(Band(frequency_hz=100.0), Band(frequency_hz=1000.0)))
    session = chain_edits.set_chain(session, "kick", [station])
    up = chain_edits.move_bands(session, "kick", station.id, 12.0).chain("kick")[0]
    assert [band.frequency_hz for band in up.bands] == [200.0, 2000.0]
    semitone = chain_edits.move_bands(session, "kick", station.id, 1.0).chain("kick")[0]
    assert semitone.bands[0].frequency_hz == pytest.approx(105.95, abs=0.01)  # equal temperament
    with pytest.raises(UserError, match="nothing was moved"):
        chain_edits.move_bands(session, "kick", station.id, 60.0)


def test_a_processor_is_put_on_many_in_one_step_each_its_own(session):
    found = chain_edits.add_to_all(session, ["kick", "bass", "viola"], Compressor)
    ids = [found.chain(strip)[-1].id for strip in ("kick", "bass", "viola")]
    assert len(set(ids)) == 3


def test_a_chain_is_kept_under_a_name_and_offered_first_to_its_role(session, home):
    chains.keep(session, "kick", "Tight kick")
    chains.keep(session, "bass", "Round bass")
    assert next(kept.name for kept in chains.fitting("bass DI")) == "Round bass"
    assert next(kept.name for kept in chains.fitting("kick")) == "Tight kick"
    kept = chains.find("round  BASS")
    assert all(getattr(station, "key", None) is None for station in kept.chain)
    found = chains.put_on(session, ["viola"], kept)
    assert kinds(found, "viola") == [HighPass, Compressor]
    chains.forget("Round bass")
    assert [item.name for item in chains.fitting("viola")] == ["Tight kick"]
    with pytest.raises(UserError, match="no processor"):
        chains.keep(session, "viola", "Nothing")
