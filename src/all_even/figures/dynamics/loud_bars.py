"""A station on the sound it works on: the loudest bars of what comes in, what goes out, and the gain in between.

Bars are the song's, two of them; without a tempo, four seconds. The station is run from a few seconds before, so that
it stands where it stands in the song.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import highest_of, power_of
from all_even.dsp.processor import key_of
from all_even.engine.responses import linked
from all_even.figures.arriving.contribution import Samples, processed
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import strip_samples
from all_even.figures.song import SONG
from all_even.session.editing import chain_edits

Array = NDArray[np.float64]
COLUMN_S = 0.005
BARS, WITHOUT_TEMPO_S = 2, 4.0
LONGEST_S, LEAD_S = 12.0, 3.0
FLOOR_DB = -90.0


@dataclass(frozen=True, slots=True, eq=False)
class LoudBars:
    """beats_s: on the song's time line, as far as they lie inside. into_db, out_db: peak of each 5 ms, dBFS. gain_db:
    its mean gain there, None where the station reports none."""

    start_s: float
    end_s: float
    beats_s: tuple[float, ...]
    into_db: Array
    out_db: Array
    gain_db: Array | None


def loud_bars(look: Look, strip_id: str, station_id: str) -> LoudBars | None:
    """None where nothing of the strip is heard, or the station is gone."""
    found = look.get(LOUD_BARS, f"{strip_id}:{station_id}")
    return found if isinstance(found, LoudBars) else None


def _split(target: str) -> tuple[str, str]:
    strip_id, _, station_id = target.rpartition(":")
    return strip_id, station_id


def _rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    strip_id, station_id = _split(target)
    chain = look.session.chain(strip_id)
    tempo = look.session.song
    return digest((prints.strips.get(strip_id), [item.id for item in chain], station_id, tempo, len(look.reports)))


def _compute(look: Look, target: str) -> LoudBars | str:
    strip_id, station_id = _split(target)
    session, rate = look.session, look.session.sample_rate
    chain = session.chain(strip_id)
    at = next((index for index, item in enumerate(chain) if item.id == station_id), None)
    up_to = chain_edits.set_chain(session, strip_id, chain[:at])
    if at is None or look.book.fingerprints(up_to).strips.get(strip_id) is None:
        return "not heard"
    into = strip_samples(look, up_to, strip_id)
    if not len(into) or not np.any(into):
        return "silent"
    start_s, end_s, beats_s = _stretch(look, into)
    first = max(0, round((start_s - LEAD_S) * rate))
    begin, end = round(start_s * rate) - first, round(end_s * rate) - first
    sound = into[first : first + end]
    own, key = key_of(chain[at]), None
    if own is not None:
        heard = strip_samples(look, session, own.source)[first : first + end]
        key = np.zeros((len(sound), heard.shape[1]), dtype=np.float32)
        key[: len(heard)] = heard * np.float32(10.0 ** (own.level_db / 20.0))
    out, gain_db = processed(chain[at], rate, sound, key, linked(session))
    return LoudBars(
        start_s, end_s, beats_s, _peaks_db(sound[begin:], rate), _peaks_db(out[begin:], rate),
        _means(gain_db[begin:], rate) if chain[at].DYNAMIC else None,
    )  # fmt: skip


def _stretch(look: Look, sound: Samples) -> tuple[float, float, tuple[float, ...]]:
    """(start s, end s, beats in it) of the loudest bars."""
    rate, tempo = look.session.sample_rate, look.get(SONG).tempo
    length_s = len(sound) / rate
    starts = np.arange(0.0, max(1e-3, length_s - WITHOUT_TEMPO_S), 0.5)
    last_s, beats = WITHOUT_TEMPO_S, np.zeros(0)
    if tempo is not None and len(tempo.beats_s) > tempo.beats_per_bar * BARS:
        beats = np.array(tempo.beats_s)
        bars = np.array(tempo.downbeats_s)
        wide = float(np.median(np.diff(bars))) * BARS if len(bars) > BARS else 0.0
        if 0.5 < wide <= LONGEST_S:
            starts, last_s = bars[bars < length_s - 0.5 * wide], wide
    power = np.concatenate(([0.0], np.cumsum(power_of(sound))))
    first = np.clip(np.round(starts * rate).astype(int), 0, len(sound))
    ends = np.clip(np.round((starts + last_s) * rate).astype(int), 0, len(sound))
    loudest = int(np.argmax(power[ends] - power[first])) if len(starts) else 0
    start_s = float(starts[loudest]) if len(starts) else 0.0
    end_s = min(length_s, start_s + last_s)
    inside = beats[(beats >= start_s - 1e-6) & (beats <= end_s + 1e-6)]
    return start_s, end_s, tuple(inside.tolist())


def _columns(values: NDArray[np.floating], rate: int) -> NDArray[np.floating]:
    wide = max(1, round(COLUMN_S * rate))
    return values[: len(values) // wide * wide].reshape(-1, wide)


def _peaks_db(sound: Samples, rate: int) -> Array:
    peaks = _columns(highest_of(sound), rate).max(axis=1, initial=0.0)
    return np.asarray(np.maximum(FLOOR_DB, 20.0 * np.log10(np.maximum(peaks, 1e-9))), dtype=np.float64)


def _means(gain_db: Array, rate: int) -> Array:
    return np.asarray(_columns(gain_db, rate).mean(axis=1), dtype=np.float64)


LOUD_BARS = Figure("loud bars of a processor", 1, "strip", _rests_on, _compute)
