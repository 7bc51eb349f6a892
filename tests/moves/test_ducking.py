"""Ducking: the trade's facts as measurements, and fits judged against the controls.

The facts are common practice among mixers, with figures seen on recorded kicks; here on a made one.
"""

import numpy as np
import pytest

from all_even.dsp.ducking.clicks import click_track
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key, Single
from all_even.errors import UserError
from all_even.measure.sharing import duck
from all_even.moves.ducking import find_ducks, methods
from tests.conftest import RATE
from tests.measure.sounds import kick, placed, plucked

SECONDS = 8.0
HITS = [0.25 + 0.6 * i for i in range(13)]
KICK = 0.7 * placed(kick(54.0, 170.0), HITS, SECONDS)
BASS = plucked(
    [(0.0 + 0.3 * i, 0.3, 55.0 * 2 ** ((0, 3, 5, -2)[i // 4 % 4] / 12)) for i in range(26)], SECONDS, gap_s=0.0
)
BASS += 0.1 * np.sin(2 * np.pi * 55.0 * np.arange(len(BASS)) / RATE)


@pytest.fixture(scope="module")
def meeting():
    return duck.meet(KICK, BASS, RATE, HITS, 170.0)


@pytest.fixture(scope="module")
def ducks():
    return find_ducks(KICK, BASS, RATE)


def ducked(meeting, key: np.ndarray, depth_db: float, release_ms: float, attack_ms: float = 1.0):
    """Keyed 4:1; the threshold so that the key's peak takes `depth_db`."""
    peak_db = 20.0 * np.log10(np.abs(key).max())
    station = Compressor(
        threshold_db=max(-80.0, peak_db - depth_db / 0.75), ratio=4.0, knee_db=0.0, attack_ms=attack_ms,
        release_ms=release_ms, key=Key(source="kick"),
    )  # fmt: skip
    gain = np.zeros(len(BASS))
    out = Single(station, RATE)(BASS[:, np.newaxis], key[:, np.newaxis], gain)[:, 0]
    return out, gain


def time_above_half_ms(gain_db: np.ndarray) -> float:
    """How long a duck is deeper than half its depth, median over the hits."""
    lengths = []
    for hit in HITS[:-1]:
        part = -gain_db[round((hit - 0.005) * RATE) : round((hit + 0.58) * RATE)]
        lengths.append(1000.0 * np.count_nonzero(part > 0.5 * part.max()) / RATE)
    return float(np.median(lengths))


def test_ripple_rises_steeply_as_release_gets_short(meeting):
    """Seen on recordings at 14 dB: about -12, -18, -29, -33 dB at 1, 5, 20, 30 ms."""
    seen = []
    for release_ms in (1.0, 5.0, 20.0, 30.0, 50.0):
        out, gain = ducked(meeting, KICK, 14.0, release_ms)
        seen.append(duck.sound_figures(meeting, out, gain).ripple_db)
    assert np.all(np.diff(seen) < 0.0)
    assert seen[0] - seen[3] > 15.0
    assert seen[0] > duck.RIPPLE_FLAG_DB
    assert seen[4] < duck.RIPPLE_CLEAN_DB


def test_a_longer_release_opens_the_gap(meeting):
    """Seen on recordings: 0.6, 1.4, 3.8, 7.1 dB at 30, 50, 100, 200 ms."""
    gaps = []
    for release_ms in (30.0, 50.0, 100.0, 200.0):
        _, gain = ducked(meeting, KICK, 14.0, release_ms)
        gaps.append(duck.low_figures(meeting, duck.per_millisecond(gain, RATE)).gap_db)
    assert np.all(np.diff(gaps) > 0.5)
    assert gaps[0] < 2.0 < 5.0 < gaps[3]


def test_with_a_click_key_depth_and_length_are_independent_and_with_the_kick_they_are_not(meeting):
    """With a 2 ms click the time above half depth is 0.69 release + 2 ms within 1.5 ms, from 6 to 30 dB."""
    click_key = click_track(meeting.hits_s, len(meeting.key), meeting.sample_rate)
    by_click, by_kick = [], []
    for depth_db in (6.0, 12.0, 20.0, 30.0):
        by_click.append(time_above_half_ms(ducked(meeting, click_key, depth_db, 80.0, attack_ms=0.3)[1]))
        by_kick.append(time_above_half_ms(ducked(meeting, KICK, depth_db, 80.0, attack_ms=0.3)[1]))
    np.testing.assert_allclose(by_click, 0.69 * 80.0 + 2.0, atol=1.5)
    assert max(by_kick) / min(by_kick) > 1.4


def test_the_fit_beats_the_default_at_equal_pile_up(ducks):
    best, default = ducks.best, ducks.method("keyed_default")
    assert ducks.needed
    assert default.low.pile_up_db == pytest.approx(best.low.pile_up_db, abs=0.1)
    assert best.low.gap_db < default.low.gap_db
    assert best.low.cost < ducks.method("none").low.cost
    assert best.low.unrecovered_hits == 0
    assert not best.sound.ripples
    assert not best.sound.clicks
    assert ducks.infeasible is None
    costs = [one.low.cost for one in ducks.methods if one.feasible and not one.effect_only and not one.sound.ripples]
    assert costs == sorted(costs)


def test_all_methods_and_controls_are_there_and_the_key_is_read(ducks):
    names = {one.name for one in ducks.methods}
    assert names == {method.name for method in methods.METHODS} | {"none", "plain", "keyed_default"}
    np.testing.assert_allclose(ducks.meeting.hits_s, HITS, atol=0.003)
    assert ducks.key_hz == pytest.approx(54.0, abs=0.5)
    assert ducks.meeting.tail_ms == pytest.approx(170.0, rel=0.1)
    assert ducks.beat_s == pytest.approx(0.6, abs=0.01)
    assert "release_ms" in ducks.method("keyed").parameters
    assert ducks.method("band").parameters["low_hz"] < 54.0 < ducks.method("band").parameters["high_hz"]
    assert ducks.method("pulse").rank > ducks.method("drawn").rank


def test_a_deeper_knob_ducks_deeper():
    light, heavy = (find_ducks(KICK, BASS, RATE, only=["drawn"], kbr_db=depth).best for depth in (4.0, 20.0))
    assert heavy.low.kick_over_bass_db > light.low.kick_over_bass_db + 2.0
    assert heavy.low.pile_up_db < light.low.pile_up_db


def test_a_timeline_shape_fails_with_jitter_and_a_drawn_one_does_not():
    """15 ms of jitter: the hits move, the sixteenths of a timeline do not."""
    moved = [hit + off for hit, off in zip(HITS, np.random.default_rng(1).normal(0.0, 0.015, len(HITS)), strict=True)]
    sound = 0.7 * placed(kick(54.0, 170.0), moved, SECONDS)
    found = find_ducks(sound, BASS, RATE, only=["drawn", "timeline"])
    assert found.method("timeline").low.cost > 1.3 * found.method("drawn").low.cost
    assert found.best.name == "drawn"


def test_where_kick_and_bass_never_meet_no_duck_is_needed():
    off_beat = plucked([(hit + 0.33, 0.2, 55.0) for hit in HITS[:-1]], SECONDS)
    found = find_ducks(placed(kick(54.0, 90.0), HITS, SECONDS), off_beat, RATE, only=["drawn"])
    assert not found.needed
    assert found.method("none").low.cost < duck.NOT_NEEDED


def test_a_tail_that_fills_the_beat_is_said_to_be_infeasible():
    """A shape that has to stay down up to the next hit can't be back before it."""
    long = 0.9 * placed(kick(50.0, 900.0), [0.2 + 0.25 * i for i in range(24)], 6.5)
    meeting = duck.meet(long, BASS[: len(long)], RATE, [0.2 + 0.25 * i for i in range(24)], 900.0)
    held = np.full(len(meeting.key_power), -9.0)
    assert duck.low_figures(meeting, held).unrecovered_hits > 20
    found = find_ducks(long, 0.5 * BASS[: len(long)], RATE, only=["keyed"])
    assert (found.infeasible is None) == found.best.feasible


def test_a_key_without_hits_is_one_sentence():
    with pytest.raises(UserError, match="at least 3"):
        find_ducks(np.zeros(RATE), BASS, RATE)
    with pytest.raises(UserError, match="2 hits"):
        find_ducks(KICK[: round(1.0 * RATE)], BASS[:RATE], RATE)


def test_the_sketch_of_a_fit_agrees_with_the_sound_it_is_judged_on(ducks):
    """Gains at 6 kHz with held magnitudes against the processors at full rate: cost within a tenth."""
    meeting = ducks.meeting
    prepared = methods.sketch(meeting, ducks.key_hz, 0.6, np.array(meeting.hits_s), np.array(meeting.hits_s))
    for method in methods.METHODS[:5]:
        found = ducks.method(method.name)
        gain = method.gain_db(prepared, found.numbers | {"range_db": 4.0} if method.name == "band" else found.numbers)
        sketched = duck.low_figures(meeting, gain, powers=method.powers(prepared, gain))
        assert sketched.cost == pytest.approx(found.low.cost, rel=0.15, abs=0.05), method.name


def test_two_equal_powers_pile_up_3_db_and_nothing_ducked_leaves_no_gap():
    tone = np.sin(2 * np.pi * 60.0 * np.arange(4 * RATE) / RATE)
    meeting = duck.meet(tone, tone, RATE, [0.5, 1.5, 2.5, 3.5], 900.0)
    found = duck.low_figures(meeting, np.zeros(len(meeting.key_power)))
    assert found.pile_up_db == pytest.approx(3.01, abs=0.02)
    assert found.gap_db == pytest.approx(0.0, abs=0.01)
    assert found.recovery_margin_ms == pytest.approx(994.0, abs=1.0)
    sound = duck.sound_figures(meeting, tone, np.zeros(len(tone)))
    assert sound.sum_peak_db == pytest.approx(6.02, abs=0.01)
    assert sound.ripple_db is None


def test_figures_are_those_of_the_definition_hit_by_hit(meeting):
    """The formulas of the module's first lines, in plain NumPy."""
    m, gain_db = meeting, np.minimum(0.0, 9.0 * np.sin(np.arange(len(meeting.key_power)) / 60.0) - 2.0)
    ducked = m.target_power * 10.0 ** (gain_db / 10.0)
    excess = 10.0 * np.log10((m.key_power + ducked) / np.maximum(m.key_power, m.target_power))
    excess[~m.active] = 0.0
    hits = [slice(first, last) for first, last in zip(m.first, m.last, strict=True)]
    ratios = [m.key_power[i:t].sum() / ducked[i:t].sum() for i, t in zip(m.first, m.tail, strict=True)]
    late = [
        hit.stop - max(hit.start, *(t + 1 for t in range(hit.start, hit.stop) if gain_db[t] < -0.5)) for hit in hits
    ]
    found = duck.low_figures(meeting, gain_db)
    assert found.gap_db == pytest.approx(np.median([max(0.0, (-excess[hit]).max()) for hit in hits]))
    assert found.gap_ms == pytest.approx(np.median([np.count_nonzero(excess[hit] < -3.0) for hit in hits]))
    assert found.kick_over_bass_db == pytest.approx(np.median(10.0 * np.log10(ratios)))
    assert found.depth_db == pytest.approx(np.median([-gain_db[hit].min() for hit in hits]))
    assert found.recovery_margin_ms == pytest.approx(np.median(late))
    assert found.unrecovered_hits == sum(gain_db[hit.stop - 1] < -0.5 for hit in hits) > 0
    assert duck.cost(meeting, gain_db) == (found.cost, found.unrecovered_hits)


def test_a_step_of_gain_on_a_bass_clicks_and_a_smooth_one_does_not():
    bass = 0.5 * np.sin(2 * np.pi * 55.0 * np.arange(4 * RATE) / RATE + 1.0)
    silent_click = 1e-3 * placed(kick(54.0, 100.0), [0.5, 1.5, 2.5, 3.5], 4.0)
    meeting = duck.meet(silent_click, bass, RATE, [0.5, 1.5, 2.5, 3.5], 100.0)
    steps = []
    for fade_ms in (0.02, 5.0):
        gain = np.zeros(len(bass))
        for hit in meeting.hits_s:
            at, fade = round(hit * RATE), max(1, round(fade_ms * 0.001 * RATE))
            gain[at - fade : at] = -12.0 * (0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade))
            gain[at : at + RATE // 5] = -12.0
        steps.append(duck.sound_figures(meeting, bass * 10.0 ** (gain / 20.0), gain))
    assert steps[0].clicks
    assert not steps[1].clicks
