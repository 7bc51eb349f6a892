"""Kick focus: the limit moves with the bass, a duck raises it, and the frames hardly matter."""

import numpy as np
import pytest

from tests.conftest import RATE
from tests.measure.sounds import kick, placed, plucked
from tests.measuring import focus

HITS = [0.3 + 0.6 * i for i in range(8)]
SECONDS = 5.5


@pytest.fixture(scope="module")
def drum():
    return 0.5 * placed(kick(52.0, 260.0), HITS, SECONDS)


@pytest.fixture(scope="module")
def bass():
    return plucked([(0.0 + 0.6 * i, 0.6, 49.0 if i % 2 else 58.27) for i in range(9)], SECONDS)


def test_a_bass_6_db_louder_lowers_the_limit_by_6_db(drum, bass):
    plain = focus(drum, bass, RATE, HITS)
    louder = focus(drum, 2.0 * bass, RATE, HITS)
    assert louder.limit_db - plain.limit_db == pytest.approx(-6.02, abs=0.3)
    assert plain.suggestion_db == pytest.approx(plain.limit_db - 3.0)
    assert louder.at_present < plain.at_present


def test_the_share_is_0_7_at_the_limit_and_falls_with_the_bass(drum, bass):
    found = focus(drum, bass, RATE, HITS)
    assert np.all(np.diff(found.curve) <= 1e-9)
    at_limit = focus(drum, bass * 10.0 ** (found.limit_db / 20.0), RATE, HITS)
    assert at_limit.at_present == pytest.approx(0.70, abs=0.01)


def test_a_duck_raises_the_limit(drum, bass):
    gain = np.ones(len(bass))
    for hit in HITS:
        at, length = round(hit * RATE), round(0.2 * RATE)
        gain[at : at + length] = 10.0 ** (-9.0 * (1.0 - np.arange(length) / length) / 20.0)
    assert 1.0 < focus(drum, gain * bass, RATE, HITS).limit_db - focus(drum, bass, RATE, HITS).limit_db < 9.0


@pytest.mark.parametrize(("frame_s", "hop_s"), [(0.030, 0.010), (0.050, 0.010), (0.040, 0.005)])
def test_frames_and_hops_stay_within_1_db_on_sustained_material(drum, bass, frame_s, hop_s):
    plain, other = focus(drum, bass, RATE, HITS), focus(drum, bass, RATE, HITS, frame_s=frame_s, hop_s=hop_s)
    assert other.limit_db == pytest.approx(plain.limit_db, abs=1.0)


def test_without_a_bass_there_is_no_conflict(drum):
    found = focus(drum, np.zeros_like(drum), RATE, HITS)
    assert found.limit_db is None
    assert found.at_present == pytest.approx(1.0, abs=0.01)
    assert focus(np.zeros_like(drum), drum, RATE, HITS) is None
    assert focus(drum, drum, RATE, []) is None
