"""What a track plays, beside how loud it is: its hits, tail, pitch and notes, and what is wrong with the recording.

All of it is read from the traces of one pass (`measure.time.traces`), without knowing what the track is called;
`CharacterMeter` takes blocks as they come from a file. Both readings of the hits are kept: the track's own,
and those of a kick in whatever it holds; which of them counts is for those to say who know the track's
role.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from all_even.decibels import OFF_DB, power_db
from all_even.measure.faults import hum
from all_even.measure.faults.ends import Cuts, EndMeter
from all_even.measure.faults.gaps import GapMeter
from all_even.measure.faults.hum import Hum
from all_even.measure.faults.reverb import ReverbMeter
from all_even.measure.pitch import evenness, notes, pitch, tuning
from all_even.measure.pitch.evenness import Evenness
from all_even.measure.pitch.notes import Note
from all_even.measure.pitch.pitch import KickPitch
from all_even.measure.pitch.tuning import Tuning
from all_even.measure.recording.sounding import Sounding, sounding
from all_even.measure.time import hits, tails
from all_even.measure.time.hits import Hits
from all_even.measure.time.tails import Tail
from all_even.measure.time.traces import TraceMeter, Traces

Envelope = NDArray[np.float16]
"""RMS of each millisecond, linear, (frames,)."""
LOUDEST = 6e4
"""The most that an envelope in half precision holds."""
HUM_WITHIN, HUM_OVER_DB = 0.01, 3.0
QUIET_DBFS = -70.0
"""A track that never rises over this holds nothing to judge."""


@dataclass(frozen=True, slots=True)
class Struck:
    """A track read as an instrument that is struck. tail: the typical one; kick: its pitch."""

    hits: Hits
    tail: Tail | None
    kick: KickPitch


@dataclass(frozen=True, slots=True)
class Character:
    """own: the track's own hits. as_kick: the hits of a kick in it. notes: of a line of single notes.

    dropouts: (start, length) in s. reverb_s: printed reverberation, time for 60 dB; says
    something of held instruments only.
    sounding: what it sounds like, whatever it is called.
    """

    own: Struck
    as_kick: Struck
    notes: tuple[Note, ...]
    evenness: Evenness | None
    tuning: Tuning | None
    hum: Hum | None
    dropouts: tuple[tuple[float, float], ...]
    cuts: Cuts
    reverb_s: float | None
    sounding: Sounding | None = None


NOTHING_STRUCK = Struck(hits.NONE, None, pitch.NO_PITCH)


class CharacterMeter:
    """Feeds blocks of any length, (frames, channels) of float32, finite."""

    def __init__(self, sample_rate: int, channels: int) -> None:
        self._traces = TraceMeter(sample_rate, channels)
        self._gaps = GapMeter(sample_rate, channels)
        self._ends = EndMeter(sample_rate, channels)
        self._reverb = ReverbMeter(sample_rate)
        self._sum, self._frames = np.zeros(channels), 0

    def add(self, block: NDArray[np.float32]) -> None:
        self._traces.add(block)
        self._gaps.add(block)
        self._ends.add(block)
        self._reverb.add(block)
        self._sum += block.sum(axis=0, dtype=np.float64)
        self._frames += len(block)

    def result(self, third_octave_db: Sequence[float | None] | None = None) -> tuple[Character, Envelope]:
        """And the envelope: what files that belong together are found by. third_octave_db: of the same sound; without
        it nothing is said of what it sounds like."""
        traces = self._traces.result()
        loud_dbfs = power_db(float(np.percentile(traces.power, 95))) if len(traces) else OFF_DB
        cuts = self._ends.result(self._sum / max(1, self._frames), loud_dbfs)
        envelope = np.minimum(np.sqrt(traces.power), LOUDEST).astype(np.float16)
        found = character(traces, self._gaps.result(), cuts, self._reverb.result())
        if third_octave_db is not None and found.own is not NOTHING_STRUCK:
            levels = np.array([np.nan if level is None else level for level in third_octave_db])
            found = replace(found, sounding=sounding(traces, found.notes, levels))
        return found, envelope


def character(
    traces: Traces, dropouts: tuple[tuple[float, float], ...], cuts: Cuts, reverb_s: float | None = None
) -> Character:
    """Puts everything together from traces."""
    if power_db(float(traces.power.max(initial=0.0))) < QUIET_DBFS:
        nothing = NOTHING_STRUCK
        return Character(nothing, nothing, (), None, None, None, dropouts, cuts, None)
    candidates = hits.find_candidates(traces)
    own_hits, kick_hits = (hits.judged(traces, candidates, kick=kick) for kick in (False, True))
    low_level = tails.envelope_db(traces.low)
    as_kick = _struck(traces, kick_hits, low_level, low_level)
    if own_hits.own_band == hits.BODY_BAND:
        own = as_kick if own_hits == kick_hits else _struck(traces, own_hits, low_level, low_level)
    else:
        own = _struck(traces, own_hits, tails.envelope_db(traces.low, band_hz=None), low_level)
    humming = hum.find_hum(traces.low)
    line = tuple(note for note in notes.find_notes(traces) if humming is None or not _is_hum(note, humming))
    return Character(
        own, as_kick, line, evenness.evenness(traces.low, line), tuning.tuning(line), humming,
        dropouts, cuts, reverb_s if line else None,
    )  # fmt: skip


def _is_hum(note: Note, humming: Hum) -> bool:
    """Whether what was read as a note is the hum between notes: at a multiple of the mains, and no louder."""
    multiple = note.frequency_hz / humming.mains_hz
    near = round(multiple) >= 1 and abs(multiple / round(multiple) - 1.0) < HUM_WITHIN
    return near and note.level_db < humming.level_dbfs + HUM_OVER_DB


def _struck(traces: Traces, found: Hits, level_db: tails.Array, low_level_db: tails.Array) -> Struck:
    return Struck(
        found,
        tails.typical(tails.tails(level_db, found.times_s)),
        pitch.kick_pitch(traces.low, low_level_db, found.times_s) if found.own_band <= 1 else pitch.NO_PITCH,
    )
