"""Two players beside each other in a simulated room (`tests.proof.rooms`), and two microphones at one of them."""

import numpy as np
import pytest

from all_even.measure.recording import players
from tests.measure.sounds import overtones
from tests.proof.rooms import Room, heard

RATE, SECONDS = 24_000, 9.0
ROOM = Room((7.0, 5.5, 3.0), 0.6, RATE)
FIRST, SECOND = (2.8, 2.6, 1.3), (4.4, 2.7, 1.3)


def line(seed: int, root_hz: float) -> np.ndarray:
    """Held notes with rests, no two players at the same time."""
    rng = np.random.default_rng(seed)
    out, at = np.zeros(round(SECONDS * RATE)), 0.1
    while at < SECONDS - 1.0:
        length = float(rng.uniform(0.2, 0.6))
        hz = root_hz * 2.0 ** (int(rng.integers(0, 8)) / 12.0)
        tone = overtones(round(length * RATE), hz, 9000.0, 1.0, bent=True)
        edge = np.minimum(1.0, np.minimum(np.arange(len(tone)), np.arange(len(tone))[::-1]) / (0.02 * RATE))
        start = round(at * RATE)
        out[start : start + len(tone)] += (tone * edge)[: len(out) - start]
        at += length + float(rng.choice([0.0, 0.3]))
    return out / np.sqrt(np.mean(out**2))


def pieces(a: np.ndarray, b: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    noise = np.random.default_rng(0).standard_normal((2, len(a))) * 1e-4
    return [(a[i : i + RATE] + noise[0][i : i + RATE], b[i : i + RATE] + noise[1][i : i + RATE])
            for i in range(0, len(a) - RATE, RATE)]  # fmt: skip


@pytest.mark.parametrize("unison", [False, True])
def test_two_players_are_told_by_the_order_of_what_each_plays(unison):
    own = line(1, 330.0)
    other = np.roll(line(1, 331.5), round(0.012 * RATE)) if unison else line(2, 392.0)
    both = {"first": (own, FIRST), "second": (other, SECOND)}
    a = heard(ROOM, both, (2.8, 2.2, 1.4), FIRST)
    b = heard(ROOM, both, (4.4, 2.3, 1.4), SECOND)
    found = players.order(pieces(a, b), RATE)
    assert found.are_two_players
    if not unison:  # where the first is the louder, the second microphone hears him later, by the way between them
        way_ms = 1000.0 * np.hypot(1.6, 0.1) / 343.0
        assert found.lag_ms[0] == pytest.approx(way_ms, abs=1.6)
        assert found.lag_ms[1] == pytest.approx(-way_ms, abs=1.6)


def test_two_microphones_at_one_player_hear_all_with_one_lag():
    both = {"first": (line(1, 330.0), FIRST), "second": (line(2, 392.0), SECOND)}
    a = heard(ROOM, both, (2.8, 2.2, 1.4), FIRST, {"second": 0.2})
    b = heard(ROOM, both, (2.5, 2.0, 1.7), FIRST, {"second": 0.2})
    found = players.order(pieces(a, b), RATE)
    assert not found.are_two_players
    assert found.lag_ms[0] == pytest.approx(found.lag_ms[1], abs=0.3)


def test_too_little_sound_tells_nothing():
    assert players.order([], RATE) is None
    assert players.order([(np.zeros(RATE), np.zeros(RATE))], RATE) is None
