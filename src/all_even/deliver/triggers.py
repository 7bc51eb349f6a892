"""What a duck is to carry away: its hits as a click and as MIDI, its gain as a table and as a MIDI controller.

All start where the session starts. The click is 2 ms of one level at each hit: what `Clicks` plays here, and what a
keyed compressor elsewhere can listen to. The gain is what the engine's own station applied, per millisecond: whoever
multiplies a bass by it, straight lines between the values, has the duck. The controller carries the same gain as a
level from 0 to 127, linear.
"""

import csv
import io
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from all_even import outputs
from all_even.audio.writing import write_sound
from all_even.deliver import lacking
from all_even.deliver.stems import stem_names
from all_even.dsp.ducking.clicks import click_track
from all_even.dsp.ducking.shaped import Shaped, coefficients_with, follows_another, shape_of
from all_even.dsp.processor import Processor, Single, key_of
from all_even.engine.planning import make_plan
from all_even.engine.responses import linked
from all_even.errors import UserError, short_name, system_reason
from all_even.figures.arriving.contribution import processed
from all_even.figures.book.look import Look
from all_even.outputs import NO_RECORDINGS, Recordings
from all_even.session.model.session import Session
from all_even.session.song.hits import lane_hits_s

Array = NDArray[np.float64]
NOTE = 36
"""Bass drum 1 in the General MIDI percussion map."""
CONTROLLER = 11
"""Expression, in the MIDI 1.0 controller list."""
TICKS_PER_BEAT, TEMPO_US = 480, 500_000
TICKS_PER_S = TICKS_PER_BEAT * 1_000_000 / TEMPO_US
NOTE_S = 0.02
PER_S = 1_000
CONTROLLER_STEP_S = 0.005
MIDI = outputs.Kind("MIDI file", (".mid",), lambda head: head.startswith(b"MThd"))
TABLE = outputs.Kind("table of gains", (".csv",), lambda head: head.startswith(b"time_s,"))


def duck_of(session: Session, lane_id: str) -> Processor | None:
    """The first station of a lane that follows another track."""
    return next((item for item in session.lane(lane_id).chain if follows_another(item) and not item.bypass), None)


def gain_db(look: Look, lane_id: str) -> Array:
    """(frames,) dB at full rate that a lane's duck applies; zeros where it has none."""
    session = look.session
    frames = look.book.fingerprints(session).song_frames
    station = duck_of(session, lane_id)
    if station is None:
        return np.zeros(frames)
    rate = session.sample_rate
    key = key_of(station)
    if key is None:
        gain = np.zeros(frames)
        run = Single(station, rate, coefficients=coefficients_with(station, linked(session), rate))
        run(np.zeros((frames, 1)), None, gain)
        return gain
    kept = look.sound(key.source)
    heard = np.array(kept.read(0, kept.frames)) * np.float32(10.0 ** (key.level_db / 20.0))
    silent = np.zeros((frames, heard.shape[1]), dtype=np.float32)
    return processed(station, rate, silent, heard)[1]


def hits_s(look: Look, lane_id: str) -> tuple[float, ...]:
    """The hits of a lane's duck: of its shape, of the clicks it listens to, or of the kick."""
    session = look.session
    station = duck_of(session, lane_id)
    key = key_of(station) if station is not None else None
    heard = session.lane(key.source).chain if key is not None and session.is_lane(key.source) else ()
    for item in (station, *heard):
        if isinstance(item, Shaped):
            shape = shape_of(item, session.shapes)
            return tuple(sorted(shape.hits_s)) if shape is not None else ()
    report = look.reports.get(key.source) if key is not None else None
    if key is None or report is None or report.character is None or not session.is_lane(key.source):
        return ()
    return lane_hits_s(session.lane(key.source), report.character)


def midi_hits(hits: tuple[float, ...], ticks_per_beat: int = 32_000) -> bytes:
    """A Standard MIDI File of notes; ticks fine enough that a hit stays within a sample at 48 kHz."""
    per_s = ticks_per_beat * 1_000_000 / TEMPO_US
    events = [(round(hit * per_s), "note_on", 100) for hit in hits]
    events += [(round((hit + NOTE_S) * per_s), "note_off", 0) for hit in hits]
    track = mido.MidiTrack(
        [mido.MetaMessage("track_name", name="Duck hits"), mido.MetaMessage("set_tempo", tempo=TEMPO_US)]
    )
    now = 0
    for tick, kind, velocity in sorted(events, key=lambda event: (event[0], event[1] == "note_on")):
        track.append(mido.Message(kind, note=NOTE, velocity=velocity, channel=9, time=tick - now))
        now = tick
    return _saved(mido.MidiFile(ticks_per_beat=ticks_per_beat, tracks=[track]))


def midi_controller(gain: Array, sample_rate: int) -> bytes:
    """The gain as a controller, a value where it changes; 127 is no duck."""
    step = max(1, round(CONTROLLER_STEP_S * sample_rate))
    values = np.round(127.0 * 10.0 ** (gain[::step] / 20.0)).astype(int)
    track = mido.MidiTrack([mido.MetaMessage("track_name", name="Duck gain, linear, 127 is 0 dB"),
                            mido.MetaMessage("set_tempo", tempo=TEMPO_US)])  # fmt: skip
    now, last = 0, -1
    for index, value in enumerate(values):
        if value != last:
            tick = round(index * step / sample_rate * TICKS_PER_S)
            track.append(mido.Message("control_change", control=CONTROLLER, value=int(value), time=tick - now))
            now, last = tick, int(value)
    return _saved(mido.MidiFile(ticks_per_beat=TICKS_PER_BEAT, tracks=[track]))


def _saved(file: mido.MidiFile) -> bytes:
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def gain_table(gain: Array, sample_rate: int) -> bytes:
    """CSV of time and gain, a row per millisecond, at the moments themselves."""
    times = np.arange(int(len(gain) * PER_S / sample_rate)) / PER_S
    at = np.minimum(np.round(times * sample_rate).astype(int), len(gain) - 1)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(("time_s", "gain_db"))
    writer.writerows((f"{time:.3f}", f"{value:.3f}") for time, value in zip(times, gain[at], strict=True))
    return out.getvalue().encode()


def write_triggers(
    look: Look, folder: Path, protected: Recordings = NO_RECORDINGS, *, even_without: bool = False
) -> tuple[list[Path], tuple[str, ...]]:
    """Writes the click and the MIDI of the hits, and table and controller of each ducked lane's gain; returns the
    files, and what of ducked tracks and their keys could not be read whole.

    A UserError where nothing is ducked or the folder refuses; SourcesLacking where one of these can't be read whole,
    unless `even_without`.
    """
    session = look.session
    ducked = [lane for lane in session.lanes if duck_of(session, lane.id) is not None]
    if not ducked:
        raise UserError("Nothing is ducked in this session: there is no trigger to save.")
    plan = make_plan(session, look.book.sources, goals=[lane.id for lane in ducked])
    lacks = lacking.check(lacking.of_plan(plan, look), even_without)
    frames = look.book.fingerprints(session).song_frames
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(f"{short_name(folder.name)} can't be made: {system_reason(error)}.") from None
    hits = hits_s(look, ducked[0].id)
    written = [folder / "Duck click.wav", folder / "Duck hits.mid"]
    clicks = click_track(hits, frames, session.sample_rate).astype(np.float32)[:, np.newaxis]
    write_sound(
        written[0], (clicks,), sample_rate=session.sample_rate, channels=1,
        protected=protected,
    )  # fmt: skip
    _write(written[1], midi_hits(hits), MIDI, protected)
    names = stem_names(session, [lane.id for lane in ducked])
    for lane in ducked:
        name, gain = names[lane.id], gain_db(look, lane.id)
        for ending, data, kind in (
            (" gain.csv", gain_table(gain, session.sample_rate), TABLE),
            (" gain.mid", midi_controller(gain, session.sample_rate), MIDI),
        ):
            written.append(folder / f"{name}{ending}")
            _write(written[-1], data, kind, protected)
    return written, lacks


def _write(path: Path, data: bytes, kind: outputs.Kind, protected: Recordings) -> None:
    outputs.allowed(path, kind, protected)
    try:
        outputs.write_whole(path, data)
    except OSError as error:
        raise UserError(f"{short_name(path.name)} can't be written: {system_reason(error)}.") from None
