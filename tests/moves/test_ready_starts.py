"""Ready starts on the demo: made, they do what they promise; none is offered where its tracks are missing."""

import numpy as np
import pytest

from all_even import stages
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Single
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.moves import making
from all_even.moves.buses import finding, kick_and_bass, silent_trigger, tracks
from all_even.moves.gather import names
from all_even.session.editing import chain_edits, edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, NOWHERE, Lane
from tests.conftest import RATE, noise
from tests.moves.looks import find, look_at, make, opened, result_of


@pytest.fixture(scope="module")
def look(brief_demo):
    return look_at(brief_demo)


def made(look: Look, move_id: str) -> tuple[Look, object, float | None]:
    move = find(look, move_id)
    after = make(look, move)
    return after, after.session.ledger[-1].move, result_of(after)


def test_sections_leave_the_mix_as_it_is(look):
    after, move, result = made(look, "buses.sections")
    assert result == pytest.approx(move.expected, abs=1e-6)
    assert {bus.name for bus in after.session.buses} >= {"Drums", "Voices"}
    assert "buses.sections" not in {item.id for item in opened(after, "buses")}


def test_the_crushed_copy_is_the_original_and_lifts_the_body_as_far_as_was_asked(look):
    after, move, result = made(look, "dynamics.parallel")
    assert result == pytest.approx(1.0, abs=0.1)
    assert move.evidence["null_db"] < -100.0
    assert move.evidence["peak_db"] < result
    bus = next(bus for bus in after.session.buses if bus.name == "Drums parallel")
    assert all(not send.pre_fader for lane in after.session.lanes for send in lane.sends)
    # Common practice: the body comes up, the peaks hardly rise.
    assert after.mix.sample_peak_dbfs < look.mix.sample_peak_dbfs + 1.0
    assert bus.chain


def test_the_safety_limiter_leaves_the_kick_alone_and_holds_the_sum(look):
    after, _, result = made(look, "buses.kick-and-bass")
    assert result < -0.1
    bus = next(bus for bus in after.session.buses if bus.name == "Kick & bass")
    alone = chain_edits.set_chain(_only(after.session, bus.id, tracks.KICKS), bus.id, [])
    kick = after.at(alone).loudest(bus.id)
    assert 20 * np.log10(np.abs(kick).max()) < bus.chain[0].ceiling_db + 0.01


@pytest.mark.parametrize(("strongest_db", "is_offered"), [(0.25, False), (0.35, True)])
def test_the_safety_limiter_is_offered_where_it_takes_more_than_can_be_told(
    look, monkeypatch, strongest_db, is_offered
):
    trial = kick_and_bass.Trial(over_kick_db=0.3, strongest_db=strongest_db, share=0.01, ripple_db=None)
    monkeypatch.setattr(kick_and_bass, "tried", lambda *_: iter([trial]))
    offered = kick_and_bass.KIND.proposals().compute(look, "session")
    assert [move.expected for move in offered] == [-strongest_db] * is_offered


def _only(session: Session, bus: str, roles: frozenset[str]) -> Session:
    others = [lane.id for lane in session.lanes if lane.destination == bus and lane.role not in roles]
    return edits.change_strips(session, others, mute=True)


def test_the_silent_trigger_ducks_the_bass_by_what_was_asked_and_is_not_heard(look):
    after, _, result = made(look, "buses.silent-trigger")
    assert result == pytest.approx(-silent_trigger.DUCK_DB, abs=0.2)
    trigger = next(lane for lane in after.session.lanes if lane.destination == NOWHERE)
    keyed = [lane for lane in after.session.lanes for s in lane.chain if getattr(s, "key", None)]
    assert keyed
    assert {lane.chain[0].key.source for lane in keyed} == {trigger.id}
    named = names.edit(after.session, find(look, "gather.names"))
    kick = next(lane for lane in named.lanes if lane.file == trigger.file and lane.id != trigger.id)
    assert named.lane(trigger.id).name == f"{kick.name} trigger"


@pytest.mark.parametrize("move_id", ["dynamics.parallel", "buses.kick-and-bass", "buses.silent-trigger"])
def test_what_is_done_is_not_offered_again_whatever_its_names_are(look, move_id):
    after, _, _ = made(look, move_id)
    renamed = after.session
    for number, strip in enumerate(renamed.strips):
        renamed = edits.change_strips(renamed, [strip.id], name=f"Track {number}")
    kinds = [stages.kinds()[move_id]]
    assert move_id not in {item.id for item in making.propose(after.at(renamed), kinds)}
    assert move_id in {item.id for item in making.propose(look, kinds)}


def test_glue_takes_about_as_much_as_was_asked_in_loud_passages(look):
    after, _, result = made(look, "dynamics.glue.mix")
    assert -2.0 < result < -1.0  # common practice: 1 to 2 dB
    assert isinstance(after.session.mix.chain[0], Compressor)
    assert making.propose(after, [stages.kinds()["dynamics.glue"]]) == []


def test_a_threshold_is_found_to_a_twentieth_of_a_decibel():
    sound = np.repeat(noise(1.0, 4)[:, np.newaxis], 2, axis=1).astype(np.float64)

    def station(threshold_db: float) -> Compressor:
        return Compressor(threshold_db=threshold_db, ratio=4.0)

    found = finding.find_threshold(station, sound, RATE, 3.0, finding.strongest)
    gain = np.zeros(len(sound))
    Single(station(found), RATE)(sound, None, gain)
    assert gain.min() == pytest.approx(-3.0, abs=0.05)


def test_nothing_is_offered_where_the_tracks_are_missing():
    lanes = (Lane(id="a", name="Voice", file="a.wav", role="lead voice"),)
    session = Session(name="Solo", sample_rate=RATE, lanes=lanes)
    assert opened(Look(session, Book({}), {}), "buses") == []
    assert MIX not in {lane.id for lane in lanes}


def test_several_microphones_of_one_source_come_under_one_fader_and_the_mix_stays(look):
    move = find(look, "buses.sources")
    after = make(look, move)
    assert result_of(after) == pytest.approx(move.before, abs=0.1)
    session = after.session
    kick_in, kick_out = (next(lane for lane in session.lanes if lane.role == role) for role in ("kick", "kick out"))
    assert kick_in.destination == kick_out.destination != MIX
    assert session.bus(kick_in.destination).name == "Kick"
    overheads = [lane for lane in session.lanes if lane.role == "overhead"]
    assert len({lane.group for lane in overheads}) == 1
    assert overheads[0].group is not None
    assert all(lane.destination == MIX for lane in overheads)
    assert "buses.sources" not in [item.id for item in opened(after, "buses")]
