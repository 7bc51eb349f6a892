"""Who leads the low end of a finished mix, and the treble of hits: planted, and read back."""

import numpy as np
import pytest
import scipy.signal

from all_even.measure.dynamics import punch
from all_even.measure.sharing.low_lead import low_lead_db, over_sustained_db, who
from tests.measure.sounds import RATE, kick, placed, snare

SECONDS = 12.0
HITS = tuple(0.25 + 0.5 * i for i in range(22))


def mix(kick_db: float) -> np.ndarray:
    """A held low note under a kick."""
    time = np.arange(round(SECONDS * RATE)) / RATE
    held = 0.1 * np.sin(2 * np.pi * 52.0 * time)
    return (held + 0.1 * 10.0 ** (kick_db / 20.0) * placed(kick(60.0, 90.0), HITS, SECONDS))[:, np.newaxis]


def test_a_louder_kick_leads_by_as_much_more():
    soft, loud = (over_sustained_db(mix(db), RATE, HITS) for db in (6.0, 18.0))
    assert loud - soft == pytest.approx(12.0, abs=2.5)
    assert who(over_sustained_db(mix(-12.0), RATE, HITS)) == "bass"
    assert who(loud) == "kick"


def test_it_finds_the_hits_itself():
    assert low_lead_db(mix(20.0), RATE) == pytest.approx(over_sustained_db(mix(20.0), RATE, HITS), abs=1.0)


def test_without_hits_nothing_is_said():
    assert low_lead_db(np.zeros((5 * RATE, 1)), RATE) is None
    assert over_sustained_db(mix(6.0), RATE, HITS[:5]) is None


def test_treble_taken_from_hits_is_read_back():
    sound = placed(snare(), HITS, SECONDS)
    sections = scipy.signal.butter(2, 3000.0, "highpass", fs=RATE, output="sos")
    darker = sound - 0.5 * scipy.signal.sosfilt(sections, sound)
    change = punch.treble_db(darker, RATE, HITS) - punch.treble_db(sound, RATE, HITS)
    assert -7.0 < change < -3.0
    assert punch.treble_db(0.5 * sound, RATE, HITS) - punch.treble_db(sound, RATE, HITS) == pytest.approx(
        -6.02, abs=0.01
    )


def test_a_fast_attack_with_a_long_release_takes_treble_from_the_hits():
    """0.1/800 ms against 30/100 ms at equal loudness: the one darkens, the other does not. Common practice."""
    from all_even.dsp.dynamics.compressor import Compressor
    from all_even.measure.dynamics.movement import part_of
    from all_even.measure.dynamics.signal import signal_of
    from all_even.moves.dynamics.trying import try_out

    time = np.arange(round(SECONDS * RATE)) / RATE
    pad = 0.05 * (np.sin(2 * np.pi * 220.0 * time) + 0.5 * np.sin(2 * np.pi * 330.0 * time))
    beats = placed(kick(), [hit + 0.25 for hit in HITS], SECONDS)
    sound = (0.5 * placed(snare(), HITS, SECONDS) + 0.5 * beats + pad)[:, np.newaxis].astype(np.float32)
    found = part_of(signal_of(sound, RATE), HITS, is_sum=True)
    fast, slow = (
        try_out(found, [Compressor(threshold_db=-24.0, ratio=4.0, attack_ms=attack, release_ms=release)]).movement.side
        for attack, release in ((0.1, 800.0), (30.0, 100.0))
    )
    assert fast.treble_change_db < slow.treble_change_db - 1.0
    assert fast.darkens
    assert not slow.darkens
