"""How far a source stands out of the rest of a mix, from powers behind gammatone filters.

In a band, while the source plays: its power against that of all others and of the rooms, dB. Lines are read over 400 ms
and, as phrases, between pauses; hits over the frames that begin with them. Bands are trade words (common practice): the
low of a kick and its click, the body of a snare and its crack, a voice between 300 and 3500 Hz.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from all_even.measure.whole import gammatone

LEAD_HZ = (300.0, 3500.0)
KICK_LOW_HZ, KICK_CLICK_HZ = (40.0, 120.0), (2000.0, 6000.0)
SNARE_BODY_HZ, SNARE_CRACK_HZ = (150.0, 400.0), (2000.0, 8000.0)
BASS_HZ = (40.0, 120.0)
LINE_S, PLAYING_DB = 0.4, 15.0
PAUSE_S, LONGEST_PHRASE_S = 0.4, 4.0
LONG_HIT_S, SHORT_HIT_S = 0.1, 0.02
NOTE_S, SOUNDING_DB = 0.25, 20.0
UNDER_HIT_S, LEAST_KEPT = 0.2, 0.25
"""So much behind each hit of the kick is not judged, unless hardly anything would be left."""
FEWEST = 4
"""Of windows, phrases, hits: fewer tell nothing."""
QUIET = 1e-14
Array = NDArray[np.float64]
Powers = NDArray[np.floating]


def in_band(powers: Powers, band_hz: tuple[float, float]) -> Array:
    """(frames,) power in a band. powers: (frames, bands)."""
    centres = gammatone.centres_hz()
    inside = (centres >= band_hz[0]) & (centres <= band_hz[1])
    found: Array = powers[:, inside].sum(axis=1, dtype=np.float64)
    return found


def bands_in(band_hz: tuple[float, float]) -> int:
    """How many filters have their middle in a band."""
    centres = gammatone.centres_hz()
    return int(((centres >= band_hz[0]) & (centres <= band_hz[1])).sum())


def line_over_rest_db(own: Powers, rest: Powers, sample_rate: int, band_hz: tuple[float, float]) -> float | None:
    """Median over 400 ms windows in which it plays; None where it hardly does."""
    mine, others = (_means(in_band(part, band_hz), LINE_S, sample_rate) for part in (own, rest))
    playing = _playing(mine, PLAYING_DB)
    return float(np.median(_ratio_db(mine[playing], others[playing]))) if playing.sum() >= FEWEST else None


def spread_over_phrases_db(own: Powers, rest: Powers, sample_rate: int, band_hz: tuple[float, float]) -> float | None:
    """P90 less P10 over phrases: what lies between pauses of 400 ms, cut after 4 s."""
    mine, others = in_band(own, band_hz), in_band(rest, band_hz)
    levels = [_ratio_db(mine[at].sum(), others[at].sum()) for at in phrases(mine, sample_rate)]
    return float(np.subtract(*np.percentile(levels, [90, 10]))) if len(levels) >= FEWEST else None


def phrases(power: Array, sample_rate: int) -> list[slice]:
    """Frames of each phrase of a line. power: (frames,) in its band."""
    per_s = sample_rate / gammatone.hop_frames(sample_rate)
    playing = np.flatnonzero(_playing(power, PLAYING_DB))
    found: list[slice] = []
    if not len(playing):
        return found
    breaks = np.flatnonzero(np.diff(playing) > PAUSE_S * per_s)
    longest = round(LONGEST_PHRASE_S * per_s)
    for run in np.split(playing, breaks + 1):
        for start in range(int(run[0]), int(run[-1]) + 1, longest):
            found.append(slice(start, min(start + longest, int(run[-1]) + 1)))
    return [part for part in found if part.stop - part.start >= PAUSE_S * per_s]


def hits_over_rest_db(
    own: Powers, rest: Powers, sample_rate: int, band_hz: tuple[float, float], hits_s: Sequence[float], length_s: float
) -> float | None:
    """Median over hits of the power in a band from each on, against the rest's."""
    mine, others = in_band(own, band_hz), in_band(rest, band_hz)
    hop_s = gammatone.hop_frames(sample_rate) / sample_rate
    count = max(1, round(length_s / hop_s))
    # The frame that begins with a hit has its middle one hop behind it.
    starts = [round(time / hop_s) + 1 for time in hits_s]
    pairs = [(mine[at : at + count].mean(), others[at : at + count].mean()) for at in starts if at + count <= len(mine)]
    heard = [(one, other) for one, other in pairs if one > QUIET]
    return float(np.median([_ratio_db(*pair) for pair in heard])) if len(heard) >= FEWEST else None


def spread_of_notes_db(own: Powers, sample_rate: int, hits_s: Sequence[float] = ()) -> float | None:
    """P90 less P10 of a bass under 120 Hz, a quarter of a second at a time while it sounds. hits_s: of the kick; what
    lies under them is left aside, since there a bass may step back by intention."""
    power, hop_s = in_band(own, BASS_HZ), gammatone.hop_frames(sample_rate) / sample_rate
    if len(hits_s):
        beats = np.concatenate(
            [np.arange(round(time / hop_s), round((time + UNDER_HIT_S) / hop_s) + 1) for time in hits_s]
        )
        kept = np.delete(power, beats[(beats >= 0) & (beats < len(power))].astype(np.int64))
        power = kept if len(kept) >= LEAST_KEPT * len(power) else power
    level = _means(power, NOTE_S, sample_rate)
    sounding = level[_playing(level, SOUNDING_DB)]
    if len(sounding) < 2 * FEWEST:
        return None
    return float(np.subtract(*np.percentile(10.0 * np.log10(np.maximum(sounding, QUIET)), [90, 10])))


def level_db(own: Powers, sample_rate: int, band_hz: tuple[float, float]) -> float | None:
    """Median level in a band while it sounds, dB re full scale."""
    level = _means(in_band(own, band_hz), NOTE_S, sample_rate)
    sounding = level[_playing(level, SOUNDING_DB)]
    return float(10.0 * np.log10(max(float(np.median(sounding)), QUIET))) if len(sounding) >= FEWEST else None


def _means(power: Array, length_s: float, sample_rate: int) -> Array:
    length = max(1, round(length_s * sample_rate / gammatone.hop_frames(sample_rate)))
    whole = len(power) // length * length
    found: Array = power[:whole].reshape(-1, length).mean(axis=1)
    return found


def _playing(power: Array, within_db: float) -> NDArray[np.bool_]:
    heard = power[power > QUIET]
    if not len(heard):
        return np.zeros(len(power), dtype=np.bool_)
    return np.asarray(power > np.percentile(heard, 95) * 10.0 ** (-within_db / 10.0))


def _ratio_db(own: Array | float, other: Array | float) -> Array:
    return np.asarray(10.0 * np.log10(np.maximum(own, QUIET) / np.maximum(other, QUIET)))
