"""Ready starts on the demo: made, they do what they promise; none is offered where its tracks are missing."""

import numpy as np
import pytest

from all_even.dsp.compressor import Compressor
from all_even.engine.flow import measure_flow
from all_even.engine.plan import make_plan
from all_even.engine.render import hear_strip, measure_mix
from all_even.engine.sources import Sources
from all_even.measure.files import measure_files
from all_even.moves import propose
from all_even.moves.buses import ready_starts
from all_even.moves.move import Situation
from all_even.session import chain_edits, store
from all_even.session.model import MIX, NOWHERE, Lane, Session
from all_even.session.new import inspect_all, new_session, sound_paths
from tests.conftest import RATE, noise


@pytest.fixture(scope="module")
def look(demo_folder):
    infos, _ = inspect_all(sound_paths(demo_folder))
    session = new_session(demo_folder, infos)
    sources = Sources()
    reports = {}

    def at(now: Session) -> Situation:
        sources.update(now)
        fresh = [lane for lane in now.lanes if lane.id not in reports]
        for index, report in measure_files([(store.lane_path(now, lane), lane.take) for lane in fresh]):
            reports[fresh[index].id] = report
        flow = measure_flow(make_plan(now, sources))
        return Situation(
            now, dict(reports), flow.mix, lambda trial: measure_mix(make_plan(trial, sources)), flow,
            lambda trial: measure_flow(make_plan(trial, sources)), lambda trial, strip: heard(trial, strip),
        )  # fmt: skip

    def heard(trial: Session, strip: str) -> np.ndarray:
        sources.update(trial)
        return hear_strip(trial, sources, strip)

    return session, at, at(session)


def made(look, move_id: str) -> tuple[Situation, object, float | None]:
    session, at, situation = look
    move = next(move for move in ready_starts.moves(situation) if move.id == move_id)
    move = propose.prepared(move, situation)
    after = at(move.edit(session))
    return after, move, move.measure(after)


def test_sections_leave_the_mix_as_it_is(look):
    after, move, result = made(look, "buses.sections")
    assert result == pytest.approx(move.expected, abs=1e-6)
    assert {bus.name for bus in after.session.buses} >= {"Drums", "Voices"}
    assert "buses.sections" not in {item.id for item in ready_starts.moves(after)}


def test_the_crushed_copy_stands_as_far_under_the_dry_drums_as_was_asked(look):
    after, _, result = made(look, "buses.parallel-drums")
    assert result == pytest.approx(ready_starts.PARALLEL_LU, abs=0.3)
    bus = next(bus for bus in after.session.buses if bus.name == "Drums crushed")
    assert all(not send.pre_fader for lane in after.session.lanes for send in lane.sends)
    # Common practice: the body comes up, the peaks hardly rise.
    assert after.mix.sample_peak_dbfs < look[2].mix.sample_peak_dbfs + 1.0
    assert bus.chain


def test_the_safety_limiter_leaves_the_kick_alone_and_holds_the_sum(look):
    after, _, result = made(look, "buses.kick-and-bass")
    assert result < -0.1
    bus = next(bus for bus in after.session.buses if bus.name == "Kick & bass")
    kick = after.hear(chain_edits.set_chain(_only(after.session, bus.id, ready_starts.KICKS), bus.id, []), bus.id)
    assert 20 * np.log10(np.abs(kick).max()) < bus.chain[0].ceiling_db + 0.01


def _only(session: Session, bus: str, roles: frozenset[str]) -> Session:
    from all_even.session import edits

    others = [lane.id for lane in session.lanes if lane.destination == bus and lane.role not in roles]
    return edits.change_strips(session, others, mute=True)


def test_the_silent_trigger_ducks_the_bass_by_what_was_asked_and_is_not_heard(look):
    after, _, result = made(look, "buses.silent-trigger")
    assert result == pytest.approx(-ready_starts.DUCK_DB, abs=0.2)
    trigger = next(lane for lane in after.session.lanes if lane.destination == NOWHERE)
    keyed = [lane for lane in after.session.lanes for s in lane.chain if getattr(s, "key", None)]
    assert keyed
    assert {lane.chain[0].key.source for lane in keyed} == {trigger.id}


def test_glue_takes_about_as_much_as_was_asked_in_loud_passages(look):
    after, _, result = made(look, "buses.glue")
    assert -2.0 < result < -1.0  # common practice: 1 to 2 dB
    assert isinstance(after.session.mix.chain[0], Compressor)
    assert "buses.glue" not in {item.id for item in ready_starts.moves(after)}


def test_a_threshold_is_found_to_a_twentieth_of_a_decibel():
    sound = np.repeat(noise(1.0, 4)[:, np.newaxis], 2, axis=1).astype(np.float64)

    def station(threshold_db: float) -> Compressor:
        return Compressor(threshold_db=threshold_db, ratio=4.0)

    found = ready_starts.find_threshold(station, sound, RATE, 3.0, ready_starts.strongest)
    gain = np.zeros(len(sound))
    from all_even.dsp.processor import Single

    Single(station(found), RATE)(sound, None, gain)
    assert gain.min() == pytest.approx(-3.0, abs=0.05)


def test_nothing_is_offered_where_the_tracks_are_missing():
    lanes = (Lane(id="a", name="Voice", file="a.wav", role="lead voice"),)
    session = Session(name="Solo", sample_rate=RATE, lanes=lanes)
    assert ready_starts.moves(Situation(session, {})) == []
    assert MIX not in {lane.id for lane in lanes}
