"""Printing a track or a group with its inserts, to go on with: the sound behind its chain as a file, and the session
with that in its place.

The track keeps its id, fader, pan, sends, routing and what is sidechained from it; it reads the printed file, and its
inserts sleep (bypassed: they are in the sound). The recording with its inserts stays as an alternate take, muted. A
summing group keeps all that too: what it is printed as plays into it, and its tracks lead nowhere, their sends and keys
go on. What was sent out as such a file and comes back processed is put in place to the sample.
"""

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soxr
from msgspec.structs import replace

from all_even.audio import round_trip, sound_file
from all_even.audio.decoded import Frames
from all_even.audio.round_trip import SENT_PEAK_DB, Trip, Watch, Way
from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.deliver.delivery import file_name
from all_even.errors import Cancelled, UserError, system_reason
from all_even.figures.book.look import Look
from all_even.late import scipy
from all_even.session.editing import alternatives, edits
from all_even.session.file import store
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Automation, HitChanges, Lane, Printed, Strip
from all_even.session.tracks.roles import guess_role

BLOCK = 1 << 16
UNKNOWN_ROLE = "unknown"
ENDING = " printed"
"""Of the folder beside the session."""
FURTHEST_S, LOOKED_AT_S = 2.0, 20.0
"""How far off a file that came back may lie, and how much of the song, around its loudest place, is compared."""
LEAST_ALIKE = 0.3
"""Correlation under which two sounds are taken for different ones: heavy distortion and equalising leave 0.5 and more
(a setting of ours)."""


def folder_of(session_path: Path) -> Path:
    """Where the printed tracks of a session lie."""
    return session_path.with_name(session_path.stem + ENDING)


def check(session: Session, strip_id: str) -> None:
    """UserError, with the reason, where a strip can't be printed and gone on with."""
    if session.is_lane(strip_id):
        return
    bus = next((bus for bus in session.buses if bus.id == strip_id), None)
    if bus is None:
        raise UserError("Only a track or a summing group can be printed to go on with: a folder holds no sound.")
    if bus.use != "group" or any(send.to == strip_id for strip in session.strips for send in strip.sends):
        raise UserError(f"{bus.name} is fed by sends: a print in their place would stop following them.")
    printed = alternatives.print_of(session, strip_id)
    if printed is not None and printed.printed is not None and printed.printed.bus == strip_id and not printed.mute:
        raise UserError(f"{bus.name} plays its print already: play its tracks first (U).")
    if not _leading_to(session, strip_id):
        raise UserError(f"Nothing leads to {bus.name}: there is nothing to print.")


def print_strip(look: Look, strip_id: str, folder: Path) -> Path:
    """Writes the sound behind a lane's or group's chain as 32-bit float WAV, from the song's beginning on, aligned to
    the sample.

    A UserError where it can't be printed or written; nothing is written over.
    """
    check(look.session, strip_id)
    sound = look.sound(strip_id)
    path = _free(_made(folder), file_name(look.session.strip_name(strip_id)))
    write_sound(
        path, _blocks(sound, look.cancelled), sample_rate=look.session.sample_rate, channels=sound.channels, bits="32f",
        protected=store.recordings(look.session), frames=sound.frames,
    )  # fmt: skip
    return path


def take_back(look: Look, strip_id: str, came: Path, folder: Path) -> tuple[Path, int]:
    """A file that a lane's or group's sound was sent out as and that came back processed, put in its place to the
    sample: written anew as 32-bit float WAV. Returns it, and by how many frames it was late (early below 0).

    Whatever was done to it, it is still the same playing: its place is where it correlates most with what was sent,
    whatever its polarity, no further off than `FURTHEST_S`. A UserError where it sounds like something else.
    """
    check(look.session, strip_id)
    sent, name = look.sound(strip_id), look.session.strip_name(strip_id)
    rate = look.session.sample_rate
    info = sound_file.inspect(came)
    reader = sound_file.Reader(info)
    try:
        back = reader.read(0, info.frames)[:, :2]
    finally:
        reader.close()
    if info.sample_rate != rate:
        back = soxr.resample(back, info.sample_rate, rate)
    late = _late_by(sent.read(0, sent.frames), back, rate)
    if late is None:
        raise UserError(f"{came.name} does not sound like {name}: it was not taken.")
    placed = np.zeros((sent.frames, back.shape[1]), np.float32)
    start, begin = max(0, -late), max(0, late)
    count = min(len(back) - begin, sent.frames - start)
    placed[start : start + count] = back[begin : begin + count]
    return _written_back(look, name, placed, folder), late


def send_and_take_back(
    look: Look, strip_id: str, way: Way, folder: Path, *, peak_db: float = SENT_PEAK_DB, watch: Watch
) -> tuple[Path, Trip]:
    """A lane's or group's sound through an outside device, written in its place to the sample as `take_back` does.

    peak_db, watch: as in `round_trip.send`, whose errors it has.
    """
    check(look.session, strip_id)
    sound = look.sound(strip_id)
    trip = round_trip.send(
        sound.read(0, sound.frames), look.session.sample_rate, way, peak_db=peak_db, watch=watch
    )  # fmt: skip
    return _written_back(look, look.session.strip_name(strip_id), trip.back, folder), trip


def _written_back(look: Look, name: str, sound: Samples, folder: Path) -> Path:
    path = _free(_made(folder), f"{file_name(name)} back")
    write_sound(
        path, (sound,), sample_rate=look.session.sample_rate, channels=sound.shape[1], bits="32f",
        protected=store.recordings(look.session), frames=len(sound),
    )  # fmt: skip
    return path


def _late_by(sent: Samples, back: Samples, rate: int) -> int | None:
    """Frames by which `back` is late; None where the two have too little in common."""
    one, other = (x.mean(axis=1, dtype=np.float64) for x in (sent, back))
    gone = np.concatenate(([0.0], np.cumsum(one**2)))
    middle = int(np.argmax(gone[rate:] - gone[:-rate])) + rate // 2 if len(one) > rate else len(one) // 2
    first = max(0, middle - round(LOOKED_AT_S * rate / 2))
    piece = one[first : first + round(LOOKED_AT_S * rate)]
    reach = round(FURTHEST_S * rate)
    around = np.zeros(len(piece) + 2 * reach)
    source = max(0, first - reach)
    got = other[source : first + len(piece) + reach]
    around[source - (first - reach) :][: len(got)] = got
    found = scipy.signal.correlate(around, piece, mode="valid", method="fft")
    best = int(np.argmax(np.abs(found)))
    under = np.sqrt(float((piece**2).sum()) * float((around[best : best + len(piece)] ** 2).sum()))
    return best - reach if under > 0.0 and abs(float(found[best])) / under > LEAST_ALIKE else None


def _made(folder: Path) -> Path:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(f"The folder {folder.name} can't be made: {system_reason(error)}.") from None
    return folder


def _free(folder: Path, name: str) -> Path:
    """A name that nothing has there."""
    path, number = folder / f"{name}.wav", 2
    while path.exists():
        path, number = folder / f"{name} {number}.wav", number + 1
    return path


def _blocks(sound: Frames, cancelled: threading.Event | None) -> Iterator[Samples]:
    for start in range(0, sound.frames, BLOCK):
        if cancelled is not None and cancelled.is_set():
            raise Cancelled
        yield sound.read(start, min(BLOCK, sound.frames - start))


def with_printed(session: Session, strip_id: str, path: Path) -> Session:
    """The session with a printed file in the place of a lane, or of all that leads to a summing group. path: absolute,
    as `print_strip` wrote it."""
    session, folder = _in_folder(session, path)
    if not session.is_lane(strip_id):
        return _printed_group(session, strip_id, folder, path.name)
    lane, lane_id = session.lane(strip_id), strip_id
    session, kept = _kept_take(session, lane)
    asleep = tuple(replace(station, bypass=True) for station in lane.chain)
    shifted = HitChanges(
        added_s=tuple(time + lane.start_s for time in lane.hits.added_s),
        removed_s=tuple(time + lane.start_s for time in lane.hits.removed_s),
    )
    outside = tuple(item for item in lane.automation if item.parameter != "clip_gain_db")
    session = edits.change_strips(
        session, (lane_id,), folder=folder, file=path.name, take=None, start_s=0.0, clip_gain_db=0.0, chain=asleep,
        hits=shifted, automation=outside,
    )  # fmt: skip
    others = [item.id for item in alternatives.candidates(session, lane_id) if item.id != lane_id]
    if others:
        return edits.change_strips(session, (kept,), alternative=lane.alternative, mute=True)
    return alternatives.together(session, (lane_id, kept))


def _leading_to(session: Session, bus_id: str) -> list[Strip]:
    return [strip for strip in session.strips if strip.destination == bus_id]


def _in_folder(session: Session, path: Path) -> tuple[Session, int]:
    """The session with the folder of a file among its own, and which one that is."""
    folder = next((i for i, item in enumerate(session.folders) if Path(item.path) == path.parent), None)
    if folder is not None:
        return session, folder
    return replace(session, folders=(*session.folders, Folder(path=str(path.parent)))), len(session.folders)


def _printed_group(session: Session, bus_id: str, folder: int, file: str) -> Session:
    bus = next(bus for bus in session.buses if bus.id == bus_id)
    leading = _leading_to(session, bus_id)
    before = [item for item in leading if isinstance(item, Lane) and item.printed and item.printed.bus == bus_id]
    strips = tuple(item.id for item in leading if item not in before)
    held = Printed(bus=bus_id, strips=strips, stations=tuple(item.id for item in bus.chain if not item.bypass))
    role = guess_role(bus.name)
    if role == UNKNOWN_ROLE:
        role = next((item.role for item in leading if isinstance(item, Lane)), UNKNOWN_ROLE)
    lane = Lane(
        id=edits.free_id(session, "print"), name=f"{bus.name} (printed)"[:200], folder=folder, file=file, role=role,
        destination=bus_id, mute=True, printed=held, role_said=True,
    )  # fmt: skip
    last = max((i for i, item in enumerate(session.lanes) if item.id in held.strips), default=len(session.lanes) - 1)
    session = replace(session, lanes=(*session.lanes[: last + 1], lane, *session.lanes[last + 1 :]))
    session = edits.change_strips(session, [item.id for item in before], printed=None)  # an older print, as any track
    return alternatives.play_other(session, lane.id)


def _kept_take(session: Session, lane: Lane) -> tuple[Session, str]:
    """The recording with its inserts as a lane of its own right behind it; its processors have ids of their own."""
    kept_id = edits.free_id(session, "take")
    taken = {station.id for strip in session.strips for station in strip.chain} | {
        item.id for item in session.mix.chain
    }
    names: dict[str, str] = {}
    for station in lane.chain:
        number = next(number for number in range(1, 10**6) if f"s{number}" not in taken)
        names[station.id] = f"s{number}"
        taken.add(f"s{number}")
    chain = tuple(replace(station, id=names[station.id]) for station in lane.chain)
    automation = tuple(_renamed(item, names) for item in lane.automation)
    kept = replace(
        lane, id=kept_id, name=f"{lane.name} (recording)", chain=chain, automation=automation, mute=True, solo=False,
    )  # fmt: skip
    place = next(index for index, item in enumerate(session.lanes) if item.id == lane.id) + 1
    return replace(session, lanes=(*session.lanes[:place], kept, *session.lanes[place:])), kept_id


def _renamed(item: Automation, names: dict[str, str]) -> Automation:
    station, dot, rest = item.parameter.partition(".")
    return replace(item, parameter=f"{names[station]}.{rest}") if dot and station in names else item
