"""Notes of a bass line, or of any track that sounds one note at a time.

The pitch comes frame by frame from YIN (`measure.pitch.yin`). A new note begins where the pitch steps by more
than 0.6 semitones and stays there, and where the same note is struck again: the sound above 100 Hz
jumps and its upper bands rise. Over-splitting spoils evenness far more than merging, so both have to be
sure. Of what YIN says a note only keeps the frames that are voiced.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from all_even.kernels import kernel
from all_even.late import scipy
from all_even.measure.pitch import pitch
from all_even.measure.pitch.yin import HOP_S, pitch_track
from all_even.measure.time.traces import LOW_RATE, Traces

HIGHEST_BASS_HZ, HIGHEST_HZ = 330.0, 1000.0
REFINED_OVER_HZ = 150.0
"""Above this the lags of YIN are coarse (4 cents at 440 Hz), and the spectrum's peak is finer."""
VOICED_UNDER = 0.3
MEDIAN_FRAMES = 5
STEP_SEMITONES = 0.6
STEP_FRAMES = 5
SHORTEST_S = 0.06
RISE_DB = 1.5
JUMP_DB = 6.0
"""A note struck again: its attack band (1 to 4 kHz) jumps by this, and the sound over 100 Hz rises..."""
SWELL_DB = 6.0
"""...or the whole of it rises by this after a gap: a sub has no attack band."""
ATTACK_RANGE_DB = 40.0
AFTER_MS, BEFORE_MS = (0, 10, 20), (0, 10, 20, 30, 40)
DEFAULT_PERIOD_S = 0.025
REACH = 4
"""Strikes are at least so many frames apart."""
APART_S = 0.07
UNSETTLED_S = 0.4
"""How long a note may sound before its pitch is there..."""
OCTAVE_ATTACK_S, SWELL_S = 0.2, 0.3
"""...how long be read an octave off, and how long after its attack swell."""
VOICED_SHARE = 0.55
"""A track is a line of single notes when so much of its sounding time is voiced."""
CLEARLY_VOICED_SHARE, CLEARER_SHARE = 0.75, 0.1
"""With less of it voiced a second reading is made; it counts where this much more is."""
EMPHASIS = 0.9
LOW_HARMONICS, HOLLOW_DB, HOLLOW_SHARE = 3, -20.0, 0.3
"""A note has one of its first three harmonics within 20 dB of its strongest; a chord's common period has not."""
PROBE_EVERY, PROBE_SHARE = 8, 0.4
"""Every so manieth frame is looked at first: most tracks are no lines, and that is seen at once."""
RANGE_DB = 30.0
"""Notes further than this under the loudest tenth are bleed or noise."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Note:
    """frequency_hz: the median over the note. level_db: RMS of the note, dB re full scale."""

    start_s: float
    end_s: float
    frequency_hz: float
    level_db: float

    @property
    def length_s(self) -> float:
        return self.end_s - self.start_s

    @property
    def name(self) -> str:
        return pitch.named(self.frequency_hz).name


@dataclass(frozen=True, slots=True, eq=False)
class _Reading:
    """Per 10 ms: Hz, level in dB, whether there is a pitch."""

    frequency: Array
    level: Array
    voiced: NDArray[np.bool_]


OWN_DB = 12.0
"""What sounds this much softer than the louder notes of a track may be another one, heard from afar."""


def own_notes(notes: Sequence[Note]) -> tuple[Note, ...]:
    """The notes that are a track's own: near its louder ones (their upper quartile by level). A neighbour who bleeds in
    while it rests is softer."""
    if not notes:
        return ()
    loud = float(np.percentile([note.level_db for note in notes], 75))
    return tuple(note for note in notes if note.level_db >= loud - OWN_DB)


def find_notes(traces: Traces) -> tuple[Note, ...]:
    """The notes in order; none where the track is no single line.

    Which octave counts is first asked of the whole range up to 1 kHz; a line whose notes mostly lie
    under 330 Hz is then read with the bass's own limit, under which harmonics cannot be taken for it.
    """
    reading = _read(traces.low)
    if reading is None:
        return ()
    frequency, voiced = reading.frequency, reading.voiced
    semitones = _median(np.where(voiced, 12.0 * np.log2(np.maximum(frequency, 1.0) / 440.0), np.nan))
    strikes = _strikes(traces, np.where(np.isfinite(semitones), frequency, 0.0))
    hollow_s = whole_s = 0.0
    notes: list[Note] = []
    unsettled, attacked = -1, False
    for first, last in pairwise([*_boundaries(semitones, strikes), len(semitones)]):
        struck = strikes.get(first, False)
        inside = np.flatnonzero(np.isfinite(semitones[first:last]) & voiced[first:last]) + first
        if len(inside) * HOP_S < SHORTEST_S:
            # Struck, and no pitch yet: it may be the beginning of what follows.
            unsettled = first if first in strikes else unsettled
            attacked = attacked or struck
            continue
        if not struck and unsettled >= 0 and first - unsettled <= UNSETTLED_S / HOP_S:
            first = unsettled
        unsettled = -1
        inside = inside[: _unbroken(inside)]
        note = _note(traces.low, reading.level, semitones, first, inside)
        whole_s += len(inside) * HOP_S
        begin = int(inside[0] * HOP_S * LOW_RATE)
        if _is_hollow(traces.low[begin:][: int(min(len(inside) * HOP_S, 0.5) * LOW_RATE)], note.frequency_hz):
            hollow_s += len(inside) * HOP_S
            continue
        if notes and not struck and (_is_its_attack(notes[-1], note) or (attacked and _swells_on(notes[-1], note))):
            note = replace(note, start_s=notes.pop().start_s)
            struck = attacked
        notes.append(note)
        attacked = struck
    if hollow_s > HOLLOW_SHARE * whole_s:
        return ()
    return tuple(note for note in notes if note.length_s >= SHORTEST_S)


def _read(low: NDArray[np.float32]) -> _Reading | None:
    """The pitch over time; None where the sound is no single line."""
    if len(low) < LOW_RATE // 4:
        return None
    frequency, aperiodicity = pitch_track(low, LOW_RATE, highest_hz=HIGHEST_HZ, every=PROBE_EVERY)
    level = _frame_levels(low, len(frequency))
    loud = np.percentile(level, 95) - RANGE_DB
    probed = (frequency > 0.0) & (level > loud)
    if not probed.any() or float(np.mean(aperiodicity[probed] < VOICED_UNDER)) < PROBE_SHARE:
        return None
    frequency, aperiodicity = pitch_track(low, LOW_RATE, highest_hz=HIGHEST_HZ)
    sounding = (level > loud) & (frequency > 0.0)
    voiced = sounding & (aperiodicity < VOICED_UNDER)
    if voiced.sum() < CLEARLY_VOICED_SHARE * sounding.sum():
        # The thump of a body may hide the note: harmonics weigh more in the difference of neighbouring samples.
        bright = np.diff(low, prepend=low[:1]) + (1.0 - EMPHASIS) * low
        again_hz, again = pitch_track(bright, LOW_RATE, highest_hz=HIGHEST_HZ)
        clearer = sounding & (again_hz > 0.0) & (again < VOICED_UNDER)
        if clearer.sum() > voiced.sum() + CLEARER_SHARE * sounding.sum():
            frequency, voiced = again_hz, clearer
    if sounding.sum() < 10 or voiced.sum() < VOICED_SHARE * sounding.sum():
        return None
    if np.median(frequency[voiced]) < HIGHEST_BASS_HZ / 2.0:
        voiced &= frequency <= HIGHEST_BASS_HZ
    return _Reading(frequency, level, voiced)


def _note(low: NDArray[np.float32], level_db: Array, semitones: Array, first: int, inside: NDArray[np.int64]) -> Note:
    """A note that begins at frame `first` and is voiced in the frames `inside`."""
    steady = inside[len(inside) // 5 : max(len(inside) // 5 + 3, len(inside) - len(inside) // 6)]
    hertz = 440.0 * 2.0 ** (float(np.median(semitones[steady])) / 12.0)
    if hertz > REFINED_OVER_HZ:
        stretch = low[int(steady[0] * HOP_S * LOW_RATE) : int((steady[-1] + 1) * HOP_S * LOW_RATE)]
        hertz = pitch.peak_hz(stretch, LOW_RATE, 0.97 * hertz, 1.03 * hertz) or hertz
    power = float(np.mean(np.power(10.0, level_db[inside] / 10.0)))
    return Note(float(first * HOP_S), float((inside[-1] + 1) * HOP_S), hertz, float(10.0 * np.log10(max(power, 1e-20))))


def _is_its_attack(before: Note, note: Note) -> bool:
    """Whether what was read before a note is its own attack, an octave off: a slap's noise hides every other period."""
    octave = abs(abs(12.0 * np.log2(note.frequency_hz / before.frequency_hz)) - 12.0) < STEP_SEMITONES
    return bool(octave and before.length_s < OCTAVE_ATTACK_S and note.start_s - before.end_s < SHORTEST_S)


def _swells_on(before: Note, note: Note) -> bool:
    """Whether a note only swells where it seems to begin anew: same pitch, no gap, and it began with an attack."""
    same = abs(12.0 * np.log2(note.frequency_hz / before.frequency_hz)) < STEP_SEMITONES
    return bool(same and before.length_s < SWELL_S and note.start_s - before.end_s < SHORTEST_S)


def _is_hollow(sound: NDArray[np.float32], hertz: float) -> bool:
    """Whether a period has no low harmonics: that of a chord, whose notes share one far below them all."""
    size = 1 << (2 * len(sound) - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound) + 2)[1:-1], size))
    reach = max(2.0, 0.03 * hertz)
    harmonics = [
        float(
            spectrum[int((k * hertz - reach) * size / LOW_RATE) : int((k * hertz + reach) * size / LOW_RATE) + 2].max()
        )
        for k in range(1, LOW_HARMONICS + 1)
        if (k * hertz + reach) < 0.48 * LOW_RATE
    ]
    return max(harmonics, default=0.0) < 10.0 ** (HOLLOW_DB / 20.0) * float(spectrum.max())


def _frame_levels(low: NDArray[np.float32], count: int) -> Array:
    hop = round(HOP_S * LOW_RATE)
    squares = low[: count * hop].astype(np.float64) ** 2
    power = squares.reshape(count, hop).mean(axis=1)
    smooth = np.convolve(power, np.ones(3) / 3.0, mode="same")
    return np.asarray(10.0 * np.log10(np.maximum(smooth, 1e-20)))


def _median(semitones: Array) -> Array:
    """Median of five, frames without a pitch left as they are."""
    filled = np.where(np.isfinite(semitones), semitones, -200.0)
    smooth = np.asarray(scipy.signal.medfilt(filled, MEDIAN_FRAMES))
    return np.where(np.isfinite(semitones) & (smooth > -150.0), smooth, np.nan)


def _unbroken(frames: NDArray[np.int64]) -> int:
    """How many of the frames follow each other with no hole over 60 ms."""
    holes = np.flatnonzero(np.diff(frames) * HOP_S > SHORTEST_S)
    return int(holes[0]) + 1 if len(holes) else len(frames)


def _boundaries(semitones: Array, strikes: Mapping[int, bool]) -> list[int]:
    """Frames at which notes begin: entries, steps of pitch, strikes."""
    starts = np.empty(len(semitones), dtype=np.int64)
    apart, unsettled = round(APART_S / HOP_S), round(UNSETTLED_S / HOP_S)
    count = _begin_notes(semitones, np.array(sorted(strikes), dtype=np.int64), apart, unsettled, starts)
    return starts[:count].tolist()


@kernel
def _begin_notes(semitones, strikes, apart, unsettled, starts):  # type: ignore[no-untyped-def]
    """Writes the frames into `starts`, `apart` or more from each other; returns how many. strikes: frames, in order.

    unsettled: frames after a strike within which its pitch may still be missing.
    """
    count = coming = 0
    anchor, leaving, silent, waiting = np.nan, 0, STEP_FRAMES, -apart
    for frame in range(len(semitones)):
        if coming < len(strikes) and strikes[coming] == frame:
            waiting = frame
            coming += 1
        value = semitones[frame]
        if not np.isfinite(value):
            silent += 1
            continue
        begin = -1
        if silent >= STEP_FRAMES:
            # A plucked or bowed note may have no pitch at first: it began where it was struck.
            begin = frame
            last = coming - 1 if waiting != frame else coming - 2
            if last >= 0 and strikes[last] >= frame - min(silent, unsettled):
                begin = strikes[last]
        elif frame - waiting <= apart:
            begin = waiting
            waiting = -apart
        silent = 0
        if begin >= 0:
            count = _add_start(starts, count, begin, strikes, apart)
            anchor, leaving = np.nan, 0
        if np.isnan(anchor):
            anchor = value
        elif abs(value - anchor) > STEP_SEMITONES:
            leaving += 1
            if leaving >= STEP_FRAMES:
                count = _add_start(starts, count, frame - leaving + 1, strikes, apart)
                anchor, leaving = value, 0
        else:
            leaving = 0
            anchor += 0.1 * (value - anchor)
    return count


@kernel
def _add_start(starts, count, frame, strikes, apart):  # type: ignore[no-untyped-def]
    """Adds a beginning at the first strike near it, or at the frame itself; returns how many there are."""
    at = frame
    for strike in strikes:
        if abs(strike - frame) <= apart // 2:
            at = strike
            break
    if count > 0 and at - starts[count - 1] < apart:
        return count
    starts[count] = max(0, at)
    return count + 1


def _strikes(traces: Traces, frequency: Array) -> dict[int, bool]:
    """Frames (10 ms) at which a note is struck anew, in order; whether with an attack, or it only swells.

    frequency: Hz per frame, 0 where there is none.

    Levels are taken over one period of the note: over less, they beat with the note itself.
    """
    count = min(len(frequency), int(len(traces) * traces.frame_s / HOP_S))
    if count < 2 * REACH:
        return {}
    period_s = np.where(frequency[:count] > 0.0, 1.0 / np.maximum(frequency[:count], 28.0), 0.0)
    around = np.lib.stride_tricks.sliding_window_view(np.pad(period_s, REACH), 2 * REACH + 1).max(axis=1)
    width = np.round(np.where(around > 0.0, around, DEFAULT_PERIOD_S) / traces.frame_s).astype(int)
    at = np.round(np.arange(count) * HOP_S / traces.frame_s).astype(int)

    def rise_db(power: NDArray[np.float32]) -> tuple[Array, Array]:
        """How far the level rises at each frame, and the level it reaches."""
        summed = np.concatenate(([0.0], np.cumsum(power, dtype=np.float64)))

        def mean(begin: NDArray[np.int64], end: NDArray[np.int64]) -> Array:
            begin, end = np.clip(begin, 0, len(power)), np.clip(end, 0, len(power))
            return np.asarray((summed[end] - summed[begin]) / np.maximum(1, end - begin))

        after = np.max([mean(at + ms, at + ms + width) for ms in AFTER_MS], axis=0)
        before = np.min([mean(at - ms - width, at - ms) for ms in BEFORE_MS], axis=0)
        least = max(float(after.max()), 1e-12) * 1e-6
        reached = np.maximum(after, least)
        return 10.0 * np.log10(reached / np.maximum(before, least)), np.asarray(10.0 * np.log10(reached / after.max()))

    attack, reached = rise_db(traces.bands[2])
    upper, _ = rise_db(traces.bands[1] + traces.bands[2])
    whole, level = rise_db(traces.power)
    sharp = (attack > JUMP_DB) & (upper > RISE_DB) & (reached > -ATTACK_RANGE_DB)
    struck = sharp | ((whole > SWELL_DB) & (level > -RANGE_DB))
    score = np.where(struck, attack + upper + whole, 0.0)
    highest = np.lib.stride_tricks.sliding_window_view(np.pad(score, REACH), 2 * REACH + 1).max(axis=1)
    found: dict[int, bool] = {}
    last = -2 * REACH
    for frame in np.flatnonzero((score > 0.0) & (score >= highest)).tolist():
        if frame - last > REACH:
            found[frame], last = bool(sharp[frame]), frame
    return found
