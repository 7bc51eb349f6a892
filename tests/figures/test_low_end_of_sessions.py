"""Tracks as they arrive: masked share and low end of sessions that are routed, ducked and changed."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.processor import Key
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.utility import Gain
from all_even.engine.sources import Opened
from all_even.figures.arriving import spectra
from all_even.figures.arriving.contribution import parts
from all_even.figures.book.book import Book, flow_of
from all_even.figures.book.look import Look
from all_even.figures.low_end import low_end, low_view
from all_even.measure.recording.character import CharacterMeter
from all_even.measure.recording.files import FileReport
from all_even.session.editing import edits
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, NOWHERE, Bus, Lane, Send
from all_even.session.tracks.importance import importance
from tests.conftest import RATE, noise
from tests.engine.sessions import Memory
from tests.measure.sounds import kick, placed, plucked

SECONDS = 6.0
HITS = [0.25 + 0.5 * i for i in range(11)]
SOUNDS = {
    "kick": 0.5 * placed(kick(54.0, 150.0), HITS, SECONDS),
    "bass": plucked([(0.5 * i, 0.5, 55.0) for i in range(12)], SECONDS),
    "hats": 0.3 * noise(SECONDS, 4),
}


def session_of(**changes) -> Session:
    lanes = tuple(
        replace(Lane(id=name, name=name, file=f"{name}.wav", role=role), **changes.get(name, {}))
        for name, role in (("kick", "kick"), ("bass", "bass"), ("hats", "hi-hat"))
    )
    return Session(name="a", sample_rate=RATE, folders=(Folder(path="/x"),), lanes=lanes)


@pytest.fixture(scope="module")
def sources():
    return {name: Memory(sound.astype(np.float32)[:, np.newaxis]) for name, sound in SOUNDS.items()}


@pytest.fixture(scope="module")
def characters():
    found = {}
    for name, sound in SOUNDS.items():
        meter = CharacterMeter(RATE, 1)
        meter.add(sound.astype(np.float32)[:, np.newaxis])
        found[name] = meter.result()[0]
    return found


def judged(session: Session, sources: Opened, characters) -> low_end.LowEnd:
    reports = {
        lane.id: FileReport(Path(lane.file), None, None, character=characters[lane.id]) for lane in session.lanes
    }
    return low_end.low_end(Look(session, Book(sources), reports))


def shares(session: Session, sources: Opened) -> dict[str, float | None]:
    return dict(spectra.find_masking(Look(session, Book(sources), {})).shares)


def test_a_lane_is_heard_behind_its_fader_and_the_groups_it_goes_through(sources):
    plain = session_of()
    grouped = replace(
        session_of(bass={"destination": "b", "level_db": -3.0}),
        buses=(Bus(id="b", name="b", destination="c", level_db=-2.0), Bus(id="c", name="c", level_db=-1.0)),
    )
    same = session_of(bass={"level_db": -6.0})
    assert shares(grouped, sources) == pytest.approx(shares(same, sources), abs=1e-4)
    assert shares(grouped, sources)["hats"] < shares(plain, sources)["hats"]


def test_what_a_group_does_to_its_members_arrives_with_them(sources):
    """A shelf on the group is heard as the same shelf on each member; a duller member is covered more."""
    shelf = Equaliser(id="e", bands=(Band(shape="high shelf", frequency_hz=4000.0, gain_db=-15.0, q=0.7),))
    group = Bus(id="b", name="b", chain=(shelf,), level_db=-3.0)
    members = {"hats": {"destination": "b"}, "bass": {"destination": "b"}}
    grouped = replace(session_of(**members), buses=(group,))
    own = replace(
        session_of(**{name: {"destination": "b", "chain": (replace(shelf, id=name),)} for name in members}),
        buses=(replace(group, chain=()),),
    )
    heard, wanted = (spectra.excitations(Look(one, Book(sources), {})) for one in (grouped, own))
    for name in ("hats", "bass", "kick"):
        band_db = [10.0 * np.log10(one[name].power.sum(axis=0) + 1e-12) for one in (heard, wanted)]
        strong = band_db[1] > band_db[1].max() - 30.0
        np.testing.assert_allclose(band_db[0][strong], band_db[1][strong], atol=0.6)


def test_a_parallel_copy_arrives_with_the_lane_that_sends_it(sources):
    bus = Bus(id="p", name="p", use="parallel")
    plain, copied = (
        replace(session_of(hats={"sends": sends}), buses=(bus,)) for sends in ((), (Send(to="p", level_db=0.0),))
    )
    before, after = (spectra.excitations(Look(one, Book(sources), {}))["hats"].power.sum() for one in (plain, copied))
    assert 10.0 * np.log10(after / before) == pytest.approx(3.0, abs=0.1)
    working = replace(copied, buses=(replace(bus, chain=(Gain(id="g", gain_db=-10.0),)),))
    quieter = spectra.excitations(Look(working, Book(sources), {}))["hats"].power.sum()
    assert 10.0 * np.log10(quieter / before) == pytest.approx(10.0 * np.log10(1.1), abs=0.1)


def test_a_muted_parallel_bus_gives_nothing_back(sources):
    """Mute to compare: also where the bus has a chain. A lane whose group is muted arrives by its copy alone."""
    crush = Gain(id="g", gain_db=-10.0)
    for chain in ((), (crush,)):
        bus = Bus(id="p", name="p", use="parallel", chain=chain, mute=True)
        muted = replace(session_of(hats={"sends": (Send(to="p"),)}), buses=(bus,))
        alone, heard = (spectra.excitations(Look(one, Book(sources), {}))["hats"] for one in (session_of(), muted))
        np.testing.assert_allclose(heard.power, alone.power, rtol=1e-4, atol=1e-12)
    buses = (Bus(id="b", name="b", mute=True), Bus(id="p", name="p", use="parallel", chain=(crush,)))
    copied = replace(session_of(hats={"destination": "b", "sends": (Send(to="p"),)}), buses=buses)
    power = spectra.excitations(Look(copied, Book(sources), {}))["hats"].power.sum()
    assert 10.0 * np.log10(power / alone.power.sum()) == pytest.approx(-10.0, abs=0.1)


def changed_alone(before: Session, after: Session, sources: Opened):
    """The table after a change, where all else is known: and what was rendered for it."""
    book = Book(sources)
    old = spectra.find_masking(Look(before, book, {}))
    rendered = book.counts.strips
    new = spectra.find_masking(Look(after, book, {}), floor=old.floor)
    return old, new, book.counts.strips - rendered


def test_a_change_of_a_key_is_heard_in_the_lane_it_ducks(sources):
    """The kick's own level is behind its key; its chain is not: with the kick filtered away the bass stays up."""
    duck = Compressor(id="d", threshold_db=-40.0, ratio=20.0, attack_ms=1.0, release_ms=300.0, key=Key(source="kick"))
    changed = session_of(bass={"chain": (duck,)}, kick={"chain": (Gain(id="g", gain_db=-60.0),)})
    before, quick, rendered = changed_alone(session_of(bass={"chain": (duck,)}), changed, sources)
    assert dict(quick.shares) == pytest.approx(shares(changed, sources), abs=2e-3)
    assert quick.tracks["bass"].power.sum() > 2.0 * before.tracks["bass"].power.sum()
    assert rendered == 2


def test_a_change_of_a_key_of_a_key_is_heard_at_the_end_of_the_line(sources):
    """The hats duck the kick, the kick ducks the bass: what the hats lose, the bass feels."""

    def keyed(name: str, source: str, **more) -> Compressor:
        return Compressor(id=name, threshold_db=-45.0, ratio=20.0, attack_ms=1.0, release_ms=400.0,
                          key=Key(source=source), **more)  # fmt: skip

    chains = {"kick": {"chain": (keyed("k", "hats"),)}, "bass": {"chain": (keyed("b", "kick"),)}}
    changed = session_of(**chains, hats={"chain": (Gain(id="g", gain_db=-40.0), Gain(id="h", gain_db=-40.0))})
    before, quick, rendered = changed_alone(session_of(**chains), changed, sources)
    assert dict(quick.shares) == pytest.approx(shares(changed, sources), abs=2e-3)
    assert abs(quick.shares["bass"] - before.shares["bass"]) > 0.02
    assert rendered == 3


def test_a_lane_that_a_solo_silences_is_covered_by_nobody(sources):
    before, quick, rendered = changed_alone(session_of(), session_of(kick={"solo": True}), sources)
    assert before.shares.keys() == {"kick", "bass", "hats"}
    assert quick.shares.keys() == {"kick"}
    assert quick.shares["kick"] < 0.01
    assert rendered == 0


def test_a_fader_inside_a_group_renders_the_group_alone(sources):
    bus = Bus(id="b", name="b", chain=(Gain(id="g", gain_db=-6.0),))
    session = replace(session_of(hats={"destination": "b"}, kick={"chain": (Gain(id="k"),)}), buses=(bus,))
    changed = edits.change_strips(session, ["hats"], level_db=-12.0)
    _, quick, rendered = changed_alone(session, changed, sources)
    assert dict(quick.shares) == pytest.approx(shares(changed, sources), abs=2e-3)
    assert rendered == 1


def test_muted_lanes_and_silent_triggers_cover_nobody(sources):
    alone = shares(session_of(kick={"mute": True}, hats={"destination": NOWHERE}), sources)
    assert alone.get("kick") is None
    assert alone.get("hats") is None
    assert alone["bass"] < 0.05


def test_a_change_of_one_lane_equals_a_new_table(sources):
    changed = session_of(hats={"level_db": -12.0})
    _, quick, rendered = changed_alone(session_of(), changed, sources)
    assert dict(quick.shares) == pytest.approx(shares(changed, sources), abs=2e-3)
    assert rendered == 0


def test_the_low_end_of_a_session(sources, characters):
    session = session_of()
    found = judged(session, sources, characters)
    assert found.owner in ("kick", "bass", None)
    assert found.gap_db == pytest.approx(0.0, abs=0.01)
    assert found.pile_up_db > 0.0
    assert 0.0 < found.focus < 1.0
    louder = session_of(bass={"level_db": 6.0})
    again = judged(louder, sources, characters)
    assert again.bass_limit_db - found.bass_limit_db == pytest.approx(-6.0, abs=0.3)
    assert again.owner in ("bass", None)
    assert again.sum_peak_dbfs > found.sum_peak_dbfs


def test_a_duck_lowers_the_pile_up_raises_the_focus_and_has_a_gap(sources, characters):
    plain = session_of()
    shape = DuckShape(id="s", name="s", hits_s=tuple(HITS), hold_ms=150.0, length_ms=200.0)
    ducked = replace(session_of(bass={"chain": (Ducker(id="d", shape="s", depth_db=12.0),)}), shapes=(shape,))
    before, after = (judged(one, sources, characters) for one in (plain, ducked))
    assert after.pile_up_db < before.pile_up_db - 0.5
    assert after.focus > before.focus
    assert after.bass_limit_db > before.bass_limit_db
    assert after.gap_db > 1.0


def test_without_a_kick_or_a_bass_nothing_is_claimed(sources, characters):
    session = replace(session_of(), lanes=session_of().lanes[1:])
    assert judged(session, sources, characters) == low_end.NO_LOW_END


def test_what_matters_follows_the_role():
    session = session_of(hats={"role": "lead voice"})
    weights = importance(session)
    assert weights["hats"] == 1.0
    assert weights["kick"] == weights["bass"] == 0.8
    assert all(0.0 < weight <= 1.0 for weight in weights.values())


def test_flow_and_judging_agree_on_what_is_rendered(sources):
    """The sum of kick and bass as judged is what the mix holds when the rest is silent."""
    session = session_of(hats={"mute": True})
    book = Book(sources)
    kick, bass = parts(Look(session, book, {}), {"kick": ["kick"], "bass": ["bass"]}).values()
    peak = 20.0 * np.log10(np.abs(kick + bass).max())
    assert flow_of(session, sources).mix.sample_peak_dbfs == pytest.approx(peak, abs=1e-3)


def test_parts_of_all_lanes_add_up_to_the_mix_through_chains_of_groups(sources):
    """Whatever moves in a group's chain is steered by the whole group."""
    chain = (
        Equaliser(id="e", bands=(Band(frequency_hz=80.0, gain_db=4.0),)),
        Compressor(id="c", threshold_db=-30.0, ratio=4.0, mix=70.0, makeup_db=2.0),
        BandCompressor(id="b", bands=(Compressor(threshold_db=-30.0), Compressor(threshold_db=-40.0))),
        DynamicEqualiser(id="d"),
        Compressor(id="k", threshold_db=-30.0, key=Key(source="hats", level_db=3.0)),
        Limiter(id="l", ceiling_db=-14.0, input_db=2.0),
    )
    session = replace(
        session_of(kick={"destination": "g"}, bass={"destination": "g", "level_db": -4.0}, hats={"pan": 0.5}),
        buses=(Bus(id="g", name="g", chain=chain, level_db=-1.0),),
    )
    book = Book(sources)
    found = parts(Look(session, book, {}), {name: [name] for name in SOUNDS})
    whole = book.sound(session, MIX)
    mix = np.array(whole.read(0, whole.frames))
    np.testing.assert_allclose(sum(found.values())[: len(mix)], mix, atol=2e-5)
    assert set(found) == set(SOUNDS)


def test_a_limiter_of_the_group_counts_in_the_gap(sources, characters):
    limited = replace(
        session_of(kick={"destination": "g"}, bass={"destination": "g"}),
        buses=(Bus(id="g", name="g", chain=(Limiter(id="l", ceiling_db=-18.0),)),),
    )
    before, after = (judged(one, sources, characters) for one in (session_of(), limited))
    assert before.gap_db == pytest.approx(0.0, abs=0.01)
    assert after.gap_db > 0.5
    assert after.sum_peak_dbfs < before.sum_peak_dbfs - 1.0


def test_a_moment_of_several_tracks_is_the_power_of_theirs_at_their_levels():
    rng = np.random.default_rng(2)
    views = [low_view.view_of(rng.standard_normal(round(seconds * low_view.RATE)) * 0.1) for seconds in (3.0, 5.0)]
    total = low_view.together(zip(views, (-6.0, 3.0), strict=True))
    for at_s in (0.2, 1.37, 2.5):
        own = [view.at(at_s) * 10.0 ** (level / 10.0) for view, level in zip(views, (-6.0, 3.0), strict=True)]
        assert low_view.moment(total, at_s) == pytest.approx(sum(own), rel=1e-5)
    assert low_view.moment(total, 4.5) == pytest.approx(views[1].at(4.5) * 10.0**0.3, rel=1e-5)
    assert low_view.moment(low_view.together([]), 1.0) is None
