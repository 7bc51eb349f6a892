"""What the words of shaper and expander promise, on struck sounds."""

import numpy as np
import pytest

from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Single
from all_even.measure.dynamics import punch
from tests.measure.sounds import RATE, click, decay, kick, placed, snare

HITS_S = tuple(np.arange(0.3, 9.5, 0.5))
TAIL_S = (0.080, 0.300)
HATS = placed(click(), np.arange(0.05, 9.9, 0.125), 10.0) * 0.03
BLEED = placed(kick(60.0), np.array(HITS_S) + 0.25, 10.0) * 0.1
STRUCK = {
    "snare": placed(snare(), HITS_S, 10.0),
    "kick": placed(kick(), HITS_S, 10.0),
    "tom": placed(decay(120.0, 350.0, 1.2, sweep_hz=30.0), HITS_S, 10.0),
    "snare with bleed": placed(snare(), HITS_S, 10.0) + HATS + BLEED,
}


def through(station, sound):
    return Single(station, RATE)(sound[:, np.newaxis])[:, 0]


def moved_db(before, after, part_s):
    return punch.level_after_db(after, RATE, HITS_S, part_s) - punch.level_after_db(before, RATE, HITS_S, part_s)


@pytest.mark.parametrize("name", STRUCK)
@pytest.mark.parametrize("scale", [1.0, 0.03], ids=["loud", "soft"])
def test_attack_up_is_punch_up_whatever_the_level(name, scale):
    sound = scale * STRUCK[name]
    up, down = (through(TransientShaper(attack_db=db), sound) for db in (6.0, -6.0))
    now = punch.punch_db(sound, RATE, HITS_S)
    assert punch.punch_db(up, RATE, HITS_S) > now + 2.5
    assert punch.punch_db(down, RATE, HITS_S) < now - 2.5


@pytest.mark.parametrize("name", ["snare", "kick", "tom"])
def test_sustain_up_lifts_the_tail_and_leaves_the_attack(name):
    sound = STRUCK[name]
    lifted = through(TransientShaper(sustain_db=6.0), sound)
    assert moved_db(sound, lifted, TAIL_S) > 3.0
    assert abs(moved_db(sound, lifted, punch.ATTACK_S)) < 1.0


def test_an_expander_takes_ten_decibels_at_most_and_a_gate_all_it_is_told():
    soft = np.full((RATE, 1), 1e-3)
    for character, most in (("expander", 10.0), ("gate", 40.0)):
        gain = np.zeros(RATE)
        Single(Gate(threshold_db=-30.0, ratio=10.0, range_db=40.0, character=character), RATE)(soft, None, gain)
        assert gain[-1] == pytest.approx(-most, abs=0.01)


@pytest.mark.parametrize("level_db", [-40.0, -33.0, -30.0, -27.0, -20.0])
@pytest.mark.parametrize("character", ["expander", "gate"])
def test_what_is_drawn_as_its_curve_is_what_it_does(character, level_db):
    station = Gate(threshold_db=-30.0, ratio=2.0, range_db=8.0, character=character)
    gain = np.zeros(2 * RATE)
    Single(station, RATE)(np.full((2 * RATE, 1), 10.0 ** (level_db / 20.0)), None, gain)
    assert gain[-1] == pytest.approx(float(station.static_db(np.array(level_db))) - level_db, abs=0.02)
