"""How kick and bass share the bottom of a session, as they arrive in the mix (`engine.listening`).

The gap that a duck leaves is the difference between the bass with and without the stations that duck.
"""

import threading
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.ducker import follows_another
from all_even.engine import listening
from all_even.engine.figures.book import Book
from all_even.late import scipy
from all_even.measure.recording.character import Character
from all_even.measure.sharing import duck, focus
from all_even.session import routing
from all_even.session.hits import is_kick, lane_hits_s, struck
from all_even.session.model import Lane, Session
from all_even.session.roles import family_of

Array = NDArray[np.float64]
OWNER_HZ = (30.0, 80.0)
OWNER_DB = 1.5
"""Under this difference nobody owns the bottom."""


@dataclass(frozen=True, slots=True)
class LowEnd:
    """owner: kick or bass, None where neither has more of 30 to 80 Hz. gap, pile-up: `measure.sharing.duck`.

    focus: share of the kick that is heard, 0 to 1; bass_limit_db: change of the bass at which 0.70 is left.
    """

    owner: str | None
    gap_db: float | None
    gap_ms: float | None
    pile_up_db: float | None
    focus: float | None
    bass_limit_db: float | None
    bass_suggestion_db: float | None
    sum_peak_dbfs: float | None


NO_LOW_END = LowEnd(None, None, None, None, None, None, None, None)


def low_end(
    session: Session, book: Book, characters: Mapping[str, Character], *, cancelled: threading.Event | None = None
) -> LowEnd:
    """How kick and bass share the bottom; hits of the first kick with any."""
    heard = heard_low_end(session, book, characters, cancelled=cancelled)
    if heard is None:
        return NO_LOW_END
    lane, hits_s, kick, bass, peak = heard.lane, heard.hits_s, heard.kick, heard.bass, heard.peak
    _, basses = kicks_and_basses(session)
    rate = session.sample_rate
    owner = _owner(kick, bass, rate)
    focused = focus.focus(kick, bass, rate, hits_s)
    gap_db = gap_ms = pile_up_db = None
    if len(hits_s) >= 3 and np.any(bass) and np.any(kick):
        found = struck(characters[lane.id], lane.role).tail
        meeting = duck.meet(kick, bass, rate, hits_s, found.ms if found else 150.0)
        powers = _with_and_without(session, book, bass, basses, rate, cancelled)
        gain_db = 10.0 * np.log10((powers[1] + 1e-20) / (powers[0] + 1e-20)) if powers else np.zeros(len(bass))
        figures = duck.low_figures(meeting, np.minimum(0.0, gain_db), powers=powers)
        gap_db, gap_ms, pile_up_db = figures.gap_db, figures.gap_ms, figures.pile_up_db
    return LowEnd(
        owner, gap_db, gap_ms, pile_up_db,
        focused.at_present if focused else None,
        focused.limit_db if focused else None,
        focused.suggestion_db if focused else None,
        float(20.0 * np.log10(peak)) if peak > 0.0 else None,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """kick, bass: (frames,) mono as they arrive; lane, hits_s: the kick whose hits count; peak: of their sum,
    linear."""

    lane: Lane
    hits_s: tuple[float, ...]
    kick: Array
    bass: Array
    peak: float


def heard_low_end(
    session: Session, book: Book, characters: Mapping[str, Character], *, cancelled: threading.Event | None = None
) -> Heard | None:
    """Kick and bass as they arrive in the mix; None where one of them, or every hit, is missing."""
    main = _main_kick(session, characters)
    if main is None:
        return None
    kicks, basses = kicks_and_basses(session)
    heard_kick = listening.sum_of(session, book, kicks, cancelled=cancelled)
    heard_bass = listening.sum_of(session, book, basses, cancelled=cancelled)
    if heard_kick is None or heard_bass is None:
        return None
    peak = float(np.abs(heard_kick + heard_bass).max(initial=0.0))
    return Heard(*main, _mono(heard_kick), _mono(heard_bass), peak)


def _mono(sound: NDArray[np.float32]) -> Array:
    return np.asarray(0.5 * (sound[:, 0] + sound[:, 1].astype(np.float64)))


def _main_kick(session: Session, characters: Mapping[str, Character]) -> tuple[Lane, tuple[float, ...]] | None:
    """The first sounding kick that has hits."""
    for lane in session.lanes:
        if is_kick(lane.role) and lane.id in characters and routing.is_sounding(session, lane):
            hits_s = lane_hits_s(lane, characters[lane.id])
            if hits_s:
                return lane, hits_s
    return None


def _owner(kick: Array, bass: Array, rate: int) -> str | None:
    """Who has more of the bottom."""
    size = scipy.fft.next_fast_len(len(kick), real=True)
    low, high = (round(edge * size / rate) for edge in OWNER_HZ)
    energies = []
    for side in (kick, bass):
        spectrum = scipy.fft.rfft(side.astype(np.float32), size)[low : high + 1]
        energies.append(float((spectrum.real**2 + spectrum.imag**2).sum(dtype=np.float64)))
    if min(energies) <= 0.0 and max(energies) <= 0.0:
        return None
    difference = 10.0 * np.log10((energies[0] + 1e-30) / (energies[1] + 1e-30))
    return None if abs(difference) < OWNER_DB else "kick" if difference > 0.0 else "bass"


def kicks_and_basses(session: Session) -> tuple[set[str], set[str]]:
    """The lanes whose sums share the bottom."""
    kicks = {lane.id for lane in session.lanes if lane.role.startswith("kick")}
    return kicks, {lane.id for lane in session.lanes if family_of(lane.role) == "bass"}


def _with_and_without(
    session: Session, book: Book, bass: Array, basses: set[str], rate: int, cancelled: threading.Event | None
) -> tuple[Array, Array] | None:
    """Low-band power of the bass without and with what ducks it; None where nothing does."""
    plain = replace(session, lanes=tuple(_without_ducks(lane) if lane.id in basses else lane for lane in session.lanes))
    if plain == session:
        return None
    unducked = listening.sum_of(plain, book, basses, cancelled=cancelled)
    if unducked is None:
        return None
    sides = (_mono(unducked), bass)
    without, ducked = (duck.smoothed_power(duck.low_band(side, rate)) for side in sides)
    return without, ducked


def _without_ducks(lane: Lane) -> Lane:
    """Every station that listens to another track, or follows a shape, is bypassed; latency stays."""
    return replace(
        lane,
        chain=tuple(replace(station, bypass=True) if follows_another(station) else station for station in lane.chain),
    )
