"""Songs in which something vanishes elsewhere: a dark bass, sides against each other, a soft part in noise."""

from pathlib import Path

import numpy as np

from all_even.figures.book.look import Look
from all_even.session.editing import edits
from tests.measure.sounds import kick, placed, plucked, snare
from tests.moves.looks import look_at, measured_again
from tests.moves.low_sessions import write
from tests.moves.share_sessions import band, held

SECONDS, BEAT_S = 12.0, 0.5
BASS_HZ = (55.0, 65.4, 49.0, 61.7)
SOFT_DB = -30.0


def _notes(hz: tuple[float, ...], length_s: float) -> list[tuple[float, float, float]]:
    count = int((SECONDS - 1.0) / length_s)
    return [(0.2 + i * length_s, 0.85 * length_s, hz[i % len(hz)]) for i in range(count)]


def song(folder: Path, slope: float = 2.6) -> Path:
    """Kick, snare, a dark bass, guitar, a voice. slope: of the bass' overtones; steep has next to none."""
    beats = np.arange(0.2, SECONDS - 0.6, BEAT_S)
    return write(
        folder,
        {
            "kick": placed(kick(), beats[::2], SECONDS),
            "snare": placed(snare(), beats[1::2], SECONDS),
            "bass DI": plucked(_notes(BASS_HZ, BEAT_S), SECONDS, slope=slope),
            "electric guitar": held(_notes((196.0, 247.0, 220.0, 294.0), 1.0), 1.0, seconds=SECONDS),
            "lead voice": held(_notes((330.0, 392.0, 349.0, 294.0), 0.75), 1.2, seconds=SECONDS),
        },
    )


def sides(folder: Path) -> Path:
    """The same, with an accordion whose sides are in part against each other."""
    song(folder)
    middle = held(_notes((262.0, 311.0, 294.0), 1.5), 1.0, seconds=SECONDS)
    apart = band(250.0, 4000.0, 5, SECONDS) * np.abs(middle).max()
    apart *= 0.75 * np.sqrt(np.mean(middle**2) / np.mean(apart**2))
    both = np.stack([middle + apart, middle - apart], axis=1)
    return write(folder, {"accordion": both})


def soft(folder: Path) -> Path:
    """The same, with a shaker so soft that the noise of a car covers it."""
    song(folder)
    shaker = placed(band(5000.0, 12_000.0, 7, 0.06), np.arange(0.2, SECONDS - 0.4, 0.25), SECONDS)
    return write(folder, {"shaker": shaker}, peak=0.4 * 10.0 ** (SOFT_DB / 20.0))


def dark(folder: Path) -> Look:
    """Of a bass that vanishes on small speakers, everything a little softer than the bass."""
    return look_at(song(folder))


def looks(folder: Path) -> list[Look]:
    """In which, taken together, every kind of Check has something to do."""
    soft_look = look_at(soft(folder / "soft"))
    shaker = next(lane.id for lane in soft_look.session.lanes if "haker" in lane.name)
    counted = edits.change_strips(soft_look.session, [shaker], importance="carrying")
    bright = look_at(song(folder / "bright", slope=1.5))
    return [dark(folder / "dark"), look_at(sides(folder / "sides")), measured_again(soft_look, counted), bright]
