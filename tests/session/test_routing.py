"""Routing as a value: groups, sends, keys, solo and mute; loops refused by name; sentences for the ledger."""

import pytest
from msgspec.structs import replace

from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.file import describe, store
from all_even.session.model import routing
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, FolderGroup, Lane


@pytest.fixture
def session() -> Session:
    lanes = tuple(
        Lane(id=name, name=name.capitalize(), file=f"{name}.wav") for name in ("kick", "snare", "bass", "voice")
    )
    return Session(name="Song", sample_rate=48_000, folders=(Folder(path="/none"),), lanes=lanes)


def sounding(session: Session) -> set[str]:
    return set(routing.hearing(session).sounding) - {MIX}


def test_groups_nest_and_go_where_their_members_went(session):
    session, drums = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    session, rhythm = routing_edits.group_strips(session, [drums, "bass"], "Rhythm")
    assert session.strip("kick").destination == drums
    assert session.bus(drums).destination == rhythm
    assert session.bus(rhythm).destination == MIX
    session, inner = routing_edits.group_strips(session, ["kick"], "Kicks")
    assert session.bus(inner).destination == drums


def test_a_loop_is_refused_with_its_names_along_destinations_sends_and_keys(session):
    session, a = routing_edits.add_bus(session, "Alpha")
    session, b = routing_edits.add_bus(session, "Beta", destination=a)
    with pytest.raises(routing.RoutingError, match=r"Alpha → Beta → Alpha|Beta → Alpha → Beta"):
        routing_edits.route(session, [a], b)
    with pytest.raises(routing.RoutingError, match="loop"):
        routing_edits.set_send(session, [a], b)
    with pytest.raises(routing.RoutingError, match="loop"):
        routing_edits.route(session, [a], a)
    keyed = chain_edits.add_station(session, "bass", Compressor(key=Key(source="kick")))
    with pytest.raises(routing.RoutingError, match=r"Kick → Bass → Kick|Bass → Kick → Bass"):
        chain_edits.add_station(keyed, "kick", Compressor(key=Key(source="bass")))
    grouped = routing_edits.route(session, ["kick"], a)
    with pytest.raises(routing.RoutingError, match="loop"):
        chain_edits.add_station(grouped, "kick", Compressor(key=Key(source=a)))


def test_what_is_not_there_is_refused(session):
    for edit in (
        lambda: routing_edits.route(session, ["kick"], "none"),
        lambda: routing_edits.set_send(session, ["kick"], "none"),
        lambda: chain_edits.add_station(session, "kick", Compressor(key=Key(source="none"))),
        lambda: routing.check(edits.change_strips(session, ["kick"], group="none")),
        lambda: routing.check(replace(session, buses=(Bus(id="kick", name="Twice"),))),
    ):
        with pytest.raises(routing.RoutingError):
            edit()


def test_folder_groups_that_hold_each_other_are_refused(session):
    groups = (FolderGroup(id="f", name="Front", group="g"), FolderGroup(id="g", name="Back", group="f"))
    with pytest.raises(routing.RoutingError, match=r"Front → Back|Back → Front"):
        routing.check(replace(session, folder_groups=groups))


def test_a_session_file_with_a_loop_is_refused_in_one_sentence(session):
    broken = replace(
        session, buses=(Bus(id="a", name="Alpha", destination="b"), Bus(id="b", name="Beta", destination="a"))
    )
    with pytest.raises(store.SessionFileError, match="loop: Alpha → Beta → Alpha"):
        store.decode(store.encode(broken), "song.alleven")
    twice = replace(session, mix=replace(session.mix, chain=(Compressor(id="s1"), Compressor(id="s1"))))
    with pytest.raises(store.SessionFileError, match="two processors have one id"):
        store.decode(store.encode(twice), "song.alleven")


def test_solo_keeps_groups_returns_and_keys_alive(session):
    session, drums = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    session, room = routing_edits.add_bus(session, "Room", "return")
    session = routing_edits.set_send(session, ["snare", "voice"], room)
    session = chain_edits.add_station(session, "bass", Compressor(key=Key(source="kick")))
    assert sounding(session) == {"kick", "snare", "bass", "voice", drums, room}
    snare = edits.change_strips(session, ["snare"], solo=True)
    assert sounding(snare) == {"snare", drums, room}
    group = edits.change_strips(session, [drums], solo=True)
    assert sounding(group) == {"kick", "snare", drums, room}
    returned = edits.change_strips(session, [room], solo=True)
    assert sounding(returned) == {"snare", "voice", room}
    opened = {edge for edge in routing.hearing(returned).open_edges if edge.source == "snare"}
    assert {edge.target for edge in opened} == {room}
    bass = edits.change_strips(session, ["bass"], solo=True)
    assert sounding(bass) == {"bass"}
    assert any(edge.kind == "key" and edge.source == "kick" for edge in routing.edges(bass))


def test_mute_and_folders_act_on_all_they_hold(session):
    session, folder = routing_edits.folder_strips(session, ["kick", "snare"], "Kit")
    session = edits.change_strips(session, [folder], level_db=-6.0)
    session = edits.change_strips(session, ["kick"], level_db=-2.0)
    assert routing.level_db(session, session.strip("kick")) == -8.0
    assert sounding(edits.change_strips(session, [folder], mute=True)) == {"bass", "voice"}
    assert sounding(edits.change_strips(session, [folder], solo=True)) == {"kick", "snare"}
    assert sounding(edits.change_strips(session, [folder], level_db=-120.0)) == {"bass", "voice"}
    free = routing_edits.leave_folder(session, ["kick"])
    assert free.strip("kick").group is None
    assert free.strip("kick").level_db == -8.0  # as loud as it was
    assert free.strip("snare").group == folder
    muted = routing_edits.leave_folder(edits.change_strips(session, [folder], mute=True), ["kick"])
    assert muted.strip("kick").mute


def test_what_a_removed_folder_held_stays_as_loud_as_it_was(session):
    session, inner = routing_edits.folder_strips(session, ["kick", "snare"], "Inner")
    session, outer = routing_edits.folder_strips(session, ["bass"], "Outer")
    session = replace(session, folder_groups=tuple(
        replace(group, group=outer) if group.id == inner else group for group in session.folder_groups
    ))  # fmt: skip
    session = edits.change_strips(edits.change_strips(session, [inner], level_db=-4.0), [outer], level_db=-3.0)
    before = {lane.id: lane.level_db for lane in session.lanes}
    without = routing_edits.remove_strips(session, [outer])
    assert without.member(inner).level_db == -7.0
    assert without.strip("bass").level_db == before["bass"] - 3.0
    nothing = routing_edits.remove_strips(session, [inner, outer])
    assert [nothing.strip(name).level_db - before[name] for name in ("kick", "snare", "bass")] == [-7.0, -7.0, -3.0]
    silent = routing_edits.remove_strips(edits.change_strips(session, [outer], mute=True), [outer])
    assert silent.member(inner).mute
    assert silent.strip("bass").mute


def test_a_group_that_would_lose_something_does_not_become_a_folder(session):
    session, drums = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    chained = chain_edits.add_station(session, drums, Compressor())
    with pytest.raises(UserError, match="it has a chain"):
        routing_edits.to_folder(chained, drums)
    sent = routing_edits.set_send(session, ["bass"], drums)
    with pytest.raises(UserError, match="tracks send to it"):
        routing_edits.to_folder(sent, drums)


def test_a_silent_trigger_is_a_bare_duplicate_that_goes_nowhere(session):
    session = chain_edits.add_station(session, "kick", Compressor())
    session, trigger = routing_edits.silent_trigger(session, "kick")
    made = session.lane(trigger)
    assert (made.destination, made.chain, made.file) == (NOWHERE, (), "kick.wav")
    assert [lane.id for lane in session.lanes][:2] == ["kick", trigger]
    assert trigger not in sounding(session)


def test_removing_a_bus_hands_its_members_on(session):
    session, drums = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    session, rhythm = routing_edits.group_strips(session, [drums], "Rhythm")
    session = routing_edits.set_send(session, ["voice"], drums)
    session = chain_edits.add_station(session, "voice", Compressor(key=Key(source="kick")))
    left = routing_edits.remove_strips(session, [drums, "kick"])
    assert left.strip("snare").destination == rhythm
    assert left.strip("voice").sends == ()
    assert left.chain("voice")[0].key is None


def test_stations_are_copied_with_ids_of_their_own(session):
    session = chain_edits.add_station(session, "kick", Compressor(threshold_db=-33.0))
    session = chain_edits.add_station(session, "kick", Equaliser(bands=(Band(),)))
    ids = [station.id for station in session.chain("kick")]
    session = chain_edits.copy_stations(session, "kick", ids, ["snare", "kick"])
    assert [s.LABEL for s in session.chain("snare")] == ["Compressor", "Equaliser"]
    everywhere = [station.id for strip in session.strips for station in strip.chain]
    assert len(everywhere) == len(set(everywhere)) == 4
    with pytest.raises(KeyError):
        chain_edits.change_station(session, "kick", "none", threshold_db=0.0)


def test_values_out_of_range_are_brought_in(session):
    session = chain_edits.add_station(session, "kick", Compressor())
    station = session.chain("kick")[0].id
    changed = chain_edits.change_station(session, "kick", station, threshold_db=999.0, attack_ms=-5.0)
    assert (changed.chain("kick")[0].threshold_db, changed.chain("kick")[0].attack_ms) == (12.0, 0.02)


def test_changes_are_said_as_the_ledger_says_them(session):
    grouped, drums = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    assert describe.changes(session, grouped) == ["Kick, Snare: goes to Drums (was the mix)", "Drums: added"]
    sent = routing_edits.set_send(grouped, ["voice"], drums, level_db=-12.0)
    assert describe.sentence(grouped, sent) == "Voice: sends to Drums at −12.0 dB"
    assert describe.sentence(sent, routing_edits.remove_send(sent, ["voice"], drums)) == "Voice: no send to Drums"
    keyed = chain_edits.add_station(session, "bass", Compressor(key=Key(source="kick")))
    assert describe.sentence(session, keyed) == "Bass: Compressor added, sidechained from Kick"
    station = keyed.chain("bass")[0].id
    changed = chain_edits.change_station(keyed, "bass", station, threshold_db=-30.0, release_ms=80.0)
    assert (
        describe.sentence(keyed, changed)
        == "Bass: Compressor threshold −18.0 dB → −30.0 dB, release 100.0 ms → 80.0 ms"
    )
    automated = chain_edits.automate(session, "kick", "level_db", ((1.0, -3.0), (2.0, 0.0)))
    assert describe.sentence(session, automated) == "Kick: level automated with 2 points"
    shaped = chain_edits.set_shape(session, DuckShape(id="d", name="Pulse", hits_s=(1.0, 2.0), hits_from="from Kick"))
    assert describe.sentence(session, shaped) == "Duck shape Pulse added: 2 hits from Kick"
    longer = chain_edits.set_shape(shaped, replace(shaped.shapes[0], length_ms=120.0))
    assert describe.sentence(shaped, longer) == "Duck shape Pulse: release 90.0 ms → 120.0 ms"
    mixed = chain_edits.add_station(session, MIX, Compressor())
    assert describe.sentence(session, mixed) == "Mix bus: Compressor added"
    held, _ = routing_edits.folder_strips(session, ["kick"], "Kit")
    assert describe.changes(session, held) == ["Folder group Kit made", "Kick: in folder Kit"]


def test_a_snapshot_brings_the_routing_back(session):
    grouped, _ = routing_edits.group_strips(session, ["kick", "snare"], "Drums")
    kept = edits.take_snapshot(grouped, "grouped", "2026-01-01")
    plain = routing_edits.remove_strips(kept, [grouped.buses[0].id])
    back = edits.recall_snapshot(plain, "grouped")
    assert back.buses == grouped.buses
    assert back.strip("kick").destination == grouped.buses[0].id
    later = edits.take_snapshot(session, "plain", "2026-01-01")
    later, bus = routing_edits.group_strips(later, ["voice"], "Voices")
    later = edits.add_lanes(later, (Lane(id="new", name="New", file="n.wav", destination=bus),))
    routing.check(edits.recall_snapshot(later, "plain"))
