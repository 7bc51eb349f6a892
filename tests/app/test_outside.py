"""Groups printed and gone on with, and a trip through the stand-in for an outside device."""

import numpy as np
import pytest
import soundfile

from all_even.app.pages import outside
from all_even.app.pages.outside import STAND_IN
from all_even.audio.available import DEFAULT
from all_even.audio.round_trip import StandIn
from all_even.deliver import printed_track
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.utility import Delay
from all_even.engine.render import render
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.strips import NOWHERE
from tests.app.conftest import NO_STAGE


@pytest.fixture
def grouped(opened, tmp_path):
    """Kick and bass in a group with inserts and a fader; the kick keys a compressor, the bass sends to a room."""
    opened.looks_at = NO_STAGE
    desk = opened.desk
    desk.documents.save(tmp_path / "song.alleven")
    opened.wait(lambda: not desk.work.busy())
    lanes = [lane.id for lane in desk.session.lanes if lane.role != "unknown"][:2]

    def edit(session):
        session, bus = routing_edits.group_strips(session, lanes, "Rhythm")
        session, room = routing_edits.add_bus(session, "Room", "return")
        session = chain_edits.add_station(session, room, Delay(delay_ms=30.0))
        session = routing_edits.set_send(session, [lanes[1]], room, level_db=-12.0)
        session = chain_edits.add_station(session, lanes[1], Compressor(threshold_db=-40.0, key=Key(source=lanes[0])))
        session = chain_edits.add_station(session, bus, Compressor(threshold_db=-30.0, ratio=3.0))
        session = chain_edits.add_station(session, bus, Delay(delay_ms=1.0, bypass=True))
        return edits.change_strips(session, (bus,), level_db=-4.0, pan=0.2)

    desk.edit(edit)
    opened.measured()
    opened.bus = next(bus.id for bus in desk.session.buses if bus.name == "Rhythm")
    opened.members = lanes
    return opened


def sound_of(desk) -> np.ndarray:
    return np.concatenate(list(render(desk.plan())))


def test_a_group_is_printed_and_goes_on_as_it_was_with_all_that_hangs_on_its_tracks(grouped, tmp_path):
    desk, before, state = grouped.desk, sound_of(grouped.desk), grouped.desk.session
    desk.select((grouped.bus,))
    grouped.give("Print with its inserts and go on")
    grouped.wait(lambda: desk.session is not state)
    grouped.measured()
    now = desk.session
    (printed,) = [lane for lane in now.lanes if lane.printed is not None]
    assert printed.destination == grouped.bus
    assert {now.lane(item).destination for item in grouped.members} == {NOWHERE}
    assert [station.bypass for station in now.chain(grouped.bus)] == [True, True]
    after = sound_of(desk)
    length = min(len(before), len(after))
    assert np.abs(after[:length] - before[:length]).max() < 1e-5
    desk.select((grouped.members[1],))
    grouped.give("Play the next take")  # from any of its tracks: they play again
    assert {desk.session.lane(item).destination for item in grouped.members} == {grouped.bus}
    assert [station.bypass for station in desk.session.chain(grouped.bus)] == [False, True]
    np.testing.assert_allclose(sound_of(desk)[:length], before[:length], atol=1e-6)
    desk.select((grouped.bus,))
    grouped.give("Play the next take")
    assert not desk.session.lane(printed.id).mute
    desk.undo()
    desk.undo()
    desk.undo()
    assert desk.session.lanes == state.lanes
    assert desk.session.buses == state.buses


def test_what_sends_feed_is_not_printed_and_says_why(grouped):
    desk = grouped.desk
    room = next(bus.id for bus in desk.session.buses if bus.name == "Room")
    with pytest.raises(UserError, match="Room is fed by sends"):
        printed_track.check(desk.session, room)
    desk.select((room,))
    said = []
    desk.said.connect(said.append)
    state = desk.session
    grouped.give("Print with its inserts and go on")
    assert "fed by sends" in said[-1]
    assert desk.session is state


def test_a_group_goes_through_the_stand_in_by_keys_and_comes_back_in_its_place(grouped, tmp_path):
    desk, window, state = grouped.desk, grouped.window, grouped.desk.session
    desk.select((grouped.bus,))
    grouped.give("Through an outside device and back …")
    page = window.extra_pages["outside"]
    assert isinstance(page, outside.OutsidePage)
    assert "Rhythm" in page.what.text()
    grouped.wait(lambda: not desk.work.busy("inputs") and not desk.work.busy("outputs"))

    def choose(box, end):
        box.setCurrentIndex([box.itemData(index) for index in range(box.count())].index(end))
        box.activated.emit(box.currentIndex())

    choose(page.output, STAND_IN)
    assert page.source.currentData() == STAND_IN
    choose(page.source, DEFAULT)
    assert page.output.currentData() == DEFAULT  # the stand-in is both ends, or neither
    choose(page.source, STAND_IN)
    assert isinstance(page.way(), StandIn)
    page.click.click()
    grouped.wait(lambda: page.drawing.trip is not None)
    assert "331 samples" in page.result.text()
    assert desk.session is state  # the click alone changes nothing
    page.whole.click()
    grouped.wait(lambda: desk.session is not state)
    (back,) = (tmp_path / "song printed").glob("*back.wav")
    printed = next(lane for lane in desk.session.lanes if lane.printed is not None)
    assert printed.file == back.name
    assert "331 samples late" in desk.session.ledger[-1].text
    sent = desk.figures.look().sound(grouped.bus)  # now the print itself
    came, _ = soundfile.read(back, dtype="float32", always_2d=True)
    assert len(came) == sent.frames
    desk.undo()
    grouped.measured()
    own = desk.figures.look().sound(grouped.bus)
    one, other = (x.astype(np.float64).mean(axis=1) for x in (own.read(0, own.frames), came))
    best = np.argmax(np.correlate(other[: 1 << 15], one[: 1 << 15], mode="full")) - (1 << 15) + 1
    assert best == 0


def test_without_a_device_a_sentence_says_so_and_nothing_changes(grouped, monkeypatch):
    desk, state = grouped.desk, grouped.desk.session

    class Broken:
        name = "nobody"

        def run(self, out, sample_rate, watch):
            return np.zeros_like(out)

    desk.select((grouped.bus,))
    grouped.give("Through an outside device and back …")
    page = grouped.window.extra_pages["outside"]
    monkeypatch.setattr(page, "way", Broken)
    page.whole.click()
    grouped.wait(lambda: "did not come back" in page.result.text())
    assert desk.session is state
