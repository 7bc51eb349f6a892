"""Figures keep themselves true: what an edit costs is what it changed, no more; what is known is not heard again."""

import threading

import numpy as np
import pytest
from hypothesis import given, settings
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.utility import Gain
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.errors import Cancelled
from all_even.figures.book.book import Book, flow_of
from all_even.figures.book.fingerprint import digest
from all_even.figures.book.kept import MOST_PASSING, TAIL, KeptSounds
from all_even.figures.book.look import Figure, Look
from all_even.figures.book.pages import Pages
from all_even.figures.book.sizes import size_of
from all_even.measure.recording.pairs import Pair
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import audible
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane
from tests.conftest import noise
from tests.engine.sessions import RATE, Memory, any_session, sounds


@pytest.fixture
def sources():
    return {name: Memory(0.3 * noise(2.0, seed)[:, np.newaxis]) for seed, name in enumerate("abcd", 1)}


@pytest.fixture
def session():
    """a keys b; c and d go through a compressed group; every lane but d has a chain."""
    lanes = tuple(Lane(id=name, name=name.upper(), file="none.wav") for name in "abcd")
    made = Session(name="Song", sample_rate=RATE, lanes=lanes)
    for name in "ac":
        made = chain_edits.add_station(made, name, Gain(gain_db=-3.0))
    made = chain_edits.add_station(made, "b", Compressor(threshold_db=-30.0, key=Key(source="a")))
    made, bus = routing_edits.group_strips(made, ["c", "d"], "Group")
    return chain_edits.add_station(made, bus, Compressor(threshold_db=-30.0))


class Counting:
    """A book that tells what each question cost: (passes, chains rendered)."""

    def __init__(self, sources) -> None:
        self.book = Book(sources)

    def cost(self, session: Session) -> tuple[int, int]:
        before = (self.book.counts.passes, self.book.counts.strips)
        self.book.hear(session, self.book.flow_wants(session))
        return self.book.counts.passes - before[0], self.book.counts.strips - before[1]


@pytest.fixture
def counting(sources, session):
    made = Counting(sources)
    assert made.cost(session) == (1, 4)
    return made


def test_what_is_not_heard_costs_nothing(counting, session):
    for changed in (
        edits.change_strips(session, ["a"], name="Kick"),
        edits.change_strips(session, ["a"], role="kick"),
        edits.change_strips(session, ["d"], hidden=True),
        edits.move_lanes(session, ["d"], 0),
        edits.add_note(session, "too loud", 1.0),
        replace(session, name="Another"),
    ):
        assert counting.cost(changed) == (0, 0)


def test_a_fader_renders_no_lane_and_only_the_buses_it_flows_into(counting, session):
    assert counting.cost(edits.change_strips(session, ["a"], level_db=-6.0)) == (1, 0)
    assert counting.cost(edits.change_strips(session, ["b"], pan=0.5)) == (1, 0)
    assert counting.cost(edits.change_strips(session, ["d"], level_db=-6.0)) == (1, 1)
    bus = session.buses[0].id
    assert counting.cost(edits.change_strips(session, [bus], level_db=-6.0)) == (1, 0)


def test_a_chain_renders_its_strip_what_it_keys_and_the_buses_behind(counting, session):
    def louder(name: str) -> Session:
        return chain_edits.change_station(session, name, session.chain(name)[0].id, gain_db=-9.0)

    assert counting.cost(louder("a")) == (1, 2)
    assert counting.cost(louder("c")) == (1, 2)
    station = session.chain("b")[0].id
    assert counting.cost(chain_edits.change_station(session, "b", station, ratio=8.0)) == (1, 1)


def test_a_key_of_a_key_is_rendered_too(sources, session):
    keyed = chain_edits.add_station(session, "d", Compressor(threshold_db=-30.0, key=Key(source="b")))
    counting = Counting(sources)
    counting.cost(keyed)
    changed = chain_edits.change_station(keyed, "a", keyed.chain("a")[0].id, gain_db=-20.0)
    assert counting.cost(changed) == (1, 4)  # a, b that it keys, d that b keys, and the group of d


def test_an_undone_edit_is_known(counting, session):
    counting.cost(edits.change_strips(session, ["a"], level_db=-6.0))
    assert counting.cost(replace(session)) == (0, 0)


def test_automation_of_a_fader_and_of_a_station_are_told_apart(counting, session):
    faded = chain_edits.automate(session, "a", "level_db", ((0.0, 0.0), (1.0, -12.0)))
    assert counting.cost(faded) == (1, 0)
    moving = chain_edits.automate(session, "a", f"{session.chain('a')[0].id}.gain_db", ((0.0, 0.0), (1.0, -12.0)))
    assert counting.cost(moving) == (1, 2)


def test_figures_from_kept_sound_are_those_of_a_full_render(sources, session):
    book = Book(sources)
    book.hear(session, book.flow_wants(session))
    changed = edits.change_strips(session, ["a", "c"], level_db=-4.0)
    book.hear(changed, book.flow_wants(changed))
    quick, whole = book.known_flow(changed), flow_of(changed, sources)
    for name in ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "balance_db"):
        assert getattr(quick.mix, name) == pytest.approx(getattr(whole.mix, name), abs=1e-4), name
    assert quick.strips.keys() == whole.strips.keys()
    bus = session.buses[0].id
    np.testing.assert_allclose(quick.strips[bus].weighted, whole.strips[bus].weighted, rtol=1e-4, atol=1e-12)


@settings(max_examples=60, deadline=None)
@given(any_session())
def test_a_strip_s_sound_is_that_of_the_render_in_any_session(session):
    """Whatever the routing: what is kept behind the mix bus is the mix."""
    own = sounds(len(session.lanes))
    sources = {lane.id: own[f"l{i}"] for i, lane in enumerate(session.lanes)}
    rendered = np.concatenate(list(render(make_plan(session, sources))))
    book = Book(sources)
    for _ in range(2):  # the second time from what was kept
        book.hear(session, book.flow_wants(session))
        mix = book.sound(session, MIX)
        np.testing.assert_allclose(mix.read(0, mix.frames), rendered, atol=2e-6)
        session = replace(session)


@settings(max_examples=40, deadline=None)
@given(any_session())
def test_chains_tried_on_a_kept_sum_sound_as_if_all_were_added_up(session):
    """Whatever the routing: what comes into the chains of sums is kept, and another chain is put on it."""
    own = sounds(len(session.lanes))
    sources = {lane.id: own[f"l{i}"] for i, lane in enumerate(session.lanes)}
    book = Book(sources)
    book.hear(session, book.flow_wants(session))
    tried = session
    for strip_id in (*(bus.id for bus in session.buses), MIX):
        tried = chain_edits.add_station(tried, strip_id, Compressor(threshold_db=-30.0, lookahead_ms=1.5))
        book.hear(tried, book.flow_wants(tried))
        mix = book.sound(tried, MIX)
        rendered = np.concatenate(list(render(make_plan(tried, sources))))
        np.testing.assert_allclose(mix.read(0, mix.frames), rendered, atol=2e-6)


def test_a_chain_on_the_mix_reads_no_lane_anew(session):
    reads = []

    class Noted(Memory):
        def read(self, start, frames):
            reads.append(start)
            return super().read(start, frames)

    sources = {name: Noted(0.3 * noise(2.0, seed)[:, np.newaxis]) for seed, name in enumerate("abcd", 1)}
    book = Book(sources)
    book.hear(session, book.flow_wants(session))
    assert reads
    reads.clear()
    for threshold_db in (-30.0, -20.0):
        tried = chain_edits.add_station(session, MIX, Compressor(threshold_db=threshold_db))
        book.hear(tried, book.flow_wants(tried))
    group = chain_edits.change_station(session, session.buses[0].id, session.buses[0].chain[0].id, ratio=9.0)
    book.hear(group, [("flow", session.buses[0].id)])
    assert not reads
    book.hear(edits.change_strips(tried, ["d"], level_db=-6.0), [("levels", MIX)])
    assert reads  # another sum


def test_sums_of_states_that_were_left_make_room():
    kept = KeptSounds(1 << 30)
    for index in range(MOST_PASSING + 3):
        kept.put(f"sum {index}", kept.new(1, 100), passing=True)
    kept.put("a track", kept.new(1, 100))
    assert kept.get("sum 2") is None
    assert kept.get("sum 3") is not None
    assert kept.get("a track") is not None


def test_fingerprints_are_those_of_what_is_heard(sources, session):
    book = Book(sources)
    prints = book.fingerprints(session)
    same = book.fingerprints(edits.change_strips(session, ["a"], name="x"))
    assert same.strips == prints.strips
    louder = book.fingerprints(edits.change_strips(session, ["a"], level_db=-1.0))
    assert louder.strips["a"] == prints.strips["a"]
    assert louder.mix != prints.mix
    bypassed = chain_edits.change_station(session, "c", session.chain("c")[0].id, bypass=True)
    gone = chain_edits.set_chain(session, "c", [])
    assert book.fingerprints(bypassed).strips["c"] == book.fingerprints(gone).strips["c"] != prints.strips["c"]


def test_what_is_cancelled_stops_and_leaves_nothing_half_done(sources, session):
    book, stop = Book(sources), threading.Event()
    stop.set()
    with pytest.raises(Cancelled):
        book.hear(session, book.flow_wants(session), cancelled=stop)
    assert book.known_flow(session) is None
    with pytest.raises(Cancelled):
        _ = Look(session, book, {}, stop).mix


def test_a_full_disk_costs_time_only(sources, session, monkeypatch):
    def full(self, channels, frames, lead=0):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("all_even.figures.book.kept.KeptSound.__init__", full)
    counting = Counting(sources)
    assert counting.cost(session) == (1, 4)
    assert counting.cost(edits.change_strips(session, ["a"], level_db=-6.0)) == (1, 4)
    sound = counting.book.sound(session, "a")
    assert np.abs(sound.read(0, sound.frames)).max() > 0.05


def test_the_oldest_sounds_make_room(sources, session):
    one = 4 * 2 * RATE + 4 * TAIL  # a mono lane of two seconds
    kept = KeptSounds(3 * one)
    book = Book(sources, kept=kept)
    book.hear(session, book.flow_wants(session))
    held = [name for name, fingerprint in book.fingerprints(session).strips.items() if kept.get(fingerprint)]
    assert 0 < len(held) < 4


def test_a_figure_is_worked_out_once_for_what_it_rests_on(sources, session):
    asked = []

    def compute(look: Look, target: str) -> float:
        asked.append(target)
        return look.session.lane(target).level_db

    level = Figure(
        "level", 1, "strip", lambda look, prints, target: digest((look.session.lane(target).level_db,)), compute
    )
    look = Look(session, Book(sources), {})
    assert look.get(level, "a") == look.get(level, "a") == 0.0
    renamed = look.at(edits.change_strips(session, ["a"], name="x"))
    assert renamed.get(level, "a") == 0.0
    assert renamed.at(edits.change_strips(session, ["a"], level_db=-3.0)).get(level, "a") == -3.0
    assert asked == ["a", "a"]


def test_memory_of_the_pages_is_bounded():
    pages = Pages(10_000)
    for index in range(20):
        pages.put("noise", 1, str(index), np.zeros(500))
    assert pages.get("noise", 1, "19") is not None
    assert pages.get("noise", 1, "0") is None
    assert size_of({"a": (np.zeros(10),)}) == 80


def test_what_several_figures_have_in_common_counts_once():
    pages, shared = Pages(200_000), np.zeros(2_000)
    for index in range(20):
        pages.put("table", 1, str(index), (shared, np.zeros(10)))
    assert pages.get("table", 1, "0") is not None
    for index in range(20, 23):
        pages.put("table", 1, str(index), np.zeros(2_000))
    assert pages.get("table", 1, "0") is None  # its own part went; what is shared is let go with the last of them
    assert pages.get("table", 1, "22") is not None


def test_what_was_heard_is_not_pushed_out_by_what_is_worked_out_from_it():
    pages = Pages(10_000)
    pages.put("powers", 1, "a track", np.zeros(500), heard=True)
    for index in range(20):
        pages.put("table", 1, str(index), np.zeros(500))
    assert pages.get("powers", 1, "a track") is not None
    assert pages.get("table", 1, "0") is None


def test_what_is_small_is_not_pushed_out_by_tables_of_the_whole_song():
    pages = Pages(30_000_000)
    pages.put("proposals", 1, "a rule", ("a move",))
    for index in range(9):
        pages.put("table", 1, str(index), np.zeros(600_000))
    assert pages.get("proposals", 1, "a rule") == ("a move",)
    assert pages.get("table", 1, "8") is not None
    assert pages.get("table", 1, "0") is None


def test_a_session_whose_figures_need_more_room_than_there_is_is_known_all_the_same(sources, session):
    book = Book(sources, pages=Pages(1_000))
    book.hear(session, book.flow_wants(session))
    assert book.known_flow(session) is not None
    changed = edits.change_strips(session, ["a"], level_db=-6.0)
    book.hear(changed, book.flow_wants(changed))
    assert book.known_flow(changed) is not None


def test_a_song_that_is_come_back_to_is_known(sources, session):
    """Another book of the same files with the same pages renders nothing."""
    pages = Pages()
    Look(session, Book(sources, pages=pages), {}).hear(("levels", MIX))
    again = Look(session, Book(sources, pages=pages), {})
    assert again.mix is not None
    assert again.book.counts.passes == 0


def test_what_is_audible_is_told_quickly(session):
    assert not audible.differs(session, edits.change_strips(session, ["a"], name="x", role="kick", hidden=True))
    assert not audible.differs(session, edits.move_lanes(session, ["d"], 0))
    assert audible.differs(session, edits.change_strips(session, ["a"], level_db=-1.0))
    assert audible.differs(session, edits.set_trim(session, -1.0))
    assert audible.differs(session, replace(session, lanes=session.lanes[1:]))


def test_a_session_that_is_opened_again_renders_nothing(sources, session, home):
    first = Counting(sources)
    first.cost(session)
    first.book.keep_on_disk(session)
    again = Counting(sources)
    assert again.cost(session) == (0, 0)
    old, new = first.book.known_flow(session), again.book.known_flow(session)
    assert new.mix.integrated_lufs == old.mix.integrated_lufs
    assert new.strips["b"].holds_for(session.chain("b"))
    np.testing.assert_array_equal(new.strips["b"].stations[0].gain_db, old.strips["b"].stations[0].gain_db)
    (home / "cache" / "figures").joinpath("x.figure").write_bytes(b"nothing")
    for path in (home / "cache" / "figures").glob("flow*"):
        path.write_bytes(path.read_bytes()[:-7])
    assert Counting(sources).cost(session) == (1, 4)  # what is damaged is heard again


def test_figures_on_disk_make_room(sources, session, home, monkeypatch):
    from all_even.figures.book import on_disk

    monkeypatch.setattr(on_disk, "MOST_BYTES", 1)
    counting = Counting(sources)
    counting.cost(session)
    counting.book.keep_on_disk(session)
    assert list((home / "cache" / "figures").glob("*.figure")) == []


def test_what_rests_on_the_files_alone_is_kept_and_read_again(sources, session, home):
    """Worked out once; again where the file on disk is damaged."""
    asked = []

    def compute(_look: Look, _target: str) -> tuple[Pair, ...]:
        asked.append(1)
        return (Pair("offset", 0, 1, 2.5, 0.9), Pair("duplicate", 0, 2, None, 1.0))

    kept = Figure("pairs of a test", 1, "session", lambda *_: "x", compute, kept_as=tuple[Pair, ...])
    found = [Look(session, Book(sources), {}).get(kept) for _ in range(2)]
    assert found[0] == found[1]
    assert len(asked) == 1
    (path,) = (home / "cache" / "figures").glob("pairs of a test*")
    path.write_bytes(path.read_bytes()[:-3])
    assert Look(session, Book(sources), {}).get(kept) == found[0]
    assert len(asked) == 2
