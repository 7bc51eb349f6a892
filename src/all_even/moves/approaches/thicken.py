"""Thicken a bass in parallel: driven lows, an octave below, or detuned doubles, each on a bus of its own.

For a thin sub above all, also where the line goes under 80 Hz: an octave below is offered down to lines whose lower
octave a loudspeaker still carries (over 40 Hz, so 20 Hz and up, with the share of notes for which that holds). Mute the
bus and the bass is as it was.
"""

from collections.abc import Iterator

import numpy as np

from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.processor import Processor
from all_even.dsp.space.doubling import Doubling
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.tone.sub_octave import SubOctave
from all_even.figures.arriving.contribution import Samples
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import bass_notes, sounding_basses
from all_even.measure.dynamics.signal import signal_of
from all_even.moves.approaches.figures import BAND, SIDES, arriving
from all_even.moves.approaches.trial import Draft, on_trial
from all_even.moves.buses.tracks import bus_named, present
from all_even.moves.dynamics.trying import through
from all_even.moves.kind import value_of
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

DRIVEN, OCTAVE, DOUBLES = "Bass driven", "Bass octave below", "Bass doubles"
LEVELS_DB = {OCTAVE: -12.0, DOUBLES: -9.0}
UNDER_LU = 8.0
LOWEST_HZ = 41.0
"""Half of it is 20 Hz; lower than that no loudspeaker carries."""
MOST_TOO_LOW = 0.3


def into_bus(session: Session, lanes: tuple[str, ...], name: str, level_db: float,
              stations: tuple[Processor, ...]) -> Session:  # fmt: skip
    """Copies of tracks on a parallel bus with these stations."""
    session, bus = routing_edits.add_bus(session, name, "parallel")
    session = routing_edits.set_send(session, present(session, lanes), bus)
    for station in stations:
        session = chain_edits.add_station(session, bus, station)
    return edits.change_strips(session, [bus], level_db=LEVEL.clamped(level_db))


def beside_db(sound: Samples | None, rate: int, stations: tuple[Processor, ...], under_lu: float) -> float | None:
    """The bus fader at which what comes back of a sound stands so far under it; None of silence."""
    if sound is None:
        return None
    copy = through(signal_of(sound, rate), stations)[0].lufs
    own = signal_of(sound, rate).lufs
    return None if copy is None or own is None else LEVEL.clamped(round(own - under_lu - copy, 1))


DRIVEN_LOWS = (LowPass(frequency_hz=250.0, slope=12),
               Saturation(curve="uneven", drive_db=24.0, low_cut_hz=0.0, output_db=18.0),
               HighPass(frequency_hz=100.0, slope=24))  # fmt: skip
"""What is driven hard comes out softer by as much; most of it is given back behind the curve."""


def _driven(session: Session, move: Proposal) -> Session:
    return into_bus(session, tuple(move.targets), DRIVEN, value_of(move, "level_db"), DRIVEN_LOWS)


def _octave(session: Session, move: Proposal) -> Session:
    lowest, highest = value_of(move, "lowest_hz"), value_of(move, "highest_hz")
    below = float(np.clip(lowest, 20.0, 200.0))
    station = SubOctave(lowest_hz=below, highest_hz=float(np.clip(max(highest, 1.2 * below), 60.0, 500.0)))
    return into_bus(session, tuple(move.targets), OCTAVE, value_of(move, "level_db"), (station,))


def _doubles(session: Session, move: Proposal) -> Session:
    stations = (HighPass(frequency_hz=150.0, slope=12), Doubling(voices_db=0.0, dry_db=-60.0, depth_ms=2.0))
    return into_bus(session, tuple(move.targets), DOUBLES, value_of(move, "level_db"), stations)


def _basses(look: Look, name: str) -> tuple[str, ...]:
    lanes = tuple(lane.id for lane in sounding_basses(look.session))
    return lanes if bus_named(look.session, name) is None else ()


def _drive(look: Look) -> Iterator[Draft]:
    lanes = _basses(look, DRIVEN)
    sound = arriving(look, "bass") if lanes else None
    level_db = beside_db(sound, look.session.sample_rate, DRIVEN_LOWS, UNDER_LU)
    if level_db is not None:
        yield Draft(lanes, "Thicken the bass: driven lows beside it",
                    f"Its lows up to 250 Hz, driven for even harmonics, {UNDER_LU:.0f} LU under it on a parallel bus.",
                    {"level_db": level_db},
                    arguments={"of": "bass", "low_hz": 120.0, "high_hz": 800.0})  # fmt: skip


def _below(look: Look) -> Iterator[Draft]:
    lanes, notes = _basses(look, OCTAVE), bass_notes(look)
    if not lanes or len(notes) < 8:
        return
    pitches = np.array([note.frequency_hz for note in notes])
    low = float(np.mean(pitches < LOWEST_HZ))
    if low > MOST_TOO_LOW:
        return
    lowest, highest = (float(value) for value in np.percentile(pitches[pitches >= LOWEST_HZ], (5, 95)))
    told = f" {number(100.0 * low, 0)} % of the notes are too low for it." if low else ""
    yield Draft(
        lanes, "Thicken the bass: an octave below beside it",
        f"The line goes from {number(lowest, 0)} to {number(highest, 0)} Hz; only the new octave comes back, mono."
        f"{told} Hear it on large loudspeakers.",
        {"level_db": LEVELS_DB[OCTAVE], "lowest_hz": lowest, "highest_hz": highest},
        arguments={"of": "bass", "low_hz": 20.0, "high_hz": 60.0},
    )  # fmt: skip


def _ensemble(look: Look) -> Iterator[Draft]:
    lanes = _basses(look, DOUBLES)
    if lanes:
        yield Draft(lanes, "Thicken the bass: detuned doubles beside it",
                    "What is over 150 Hz, doubled and slowly moving on both sides; the lows stay mono.",
                    {"level_db": LEVELS_DB[DOUBLES]}, arguments={"of": "bass"})  # fmt: skip


BUS_LEVEL = {"level_db": LEVEL}
DRIVE = on_trial("low-end.thicken-drive", "thicken", BAND, _drive, _driven, parameters=BUS_LEVEL, weight=1.5, better=1)
BELOW = on_trial("low-end.thicken-octave", "thicken", BAND, _below, _octave, parameters=BUS_LEVEL, weight=1.4)
ENSEMBLE = on_trial("low-end.thicken-doubles", "thicken", SIDES, _ensemble, _doubles, parameters=BUS_LEVEL, weight=1.3)
KINDS = (DRIVE, BELOW, ENSEMBLE)
