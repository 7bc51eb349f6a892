"""Printing one track with its inserts, to go on with: the sound behind its chain as a file, and the session with that
in its place.

The track keeps its id, fader, pan, sends, routing and what is sidechained from it; it reads the printed file, and its
inserts sleep (bypassed: they are in the sound). The recording with its inserts stays as an alternate take, muted. What
was sent out as such a file and comes back processed is put in place to the sample.
"""

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soxr
from msgspec.structs import replace

from all_even.audio import sound_file
from all_even.audio.decoded import Frames
from all_even.audio.sound_file import Samples
from all_even.audio.writing import write_sound
from all_even.deliver.delivery import file_name
from all_even.errors import Cancelled, UserError, system_reason
from all_even.figures.book.look import Look
from all_even.late import scipy
from all_even.session.editing import alternatives, edits
from all_even.session.file import store
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Automation, HitChanges, Lane

BLOCK = 1 << 16
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


def print_track(look: Look, lane_id: str, folder: Path) -> Path:
    """Writes the sound behind a lane's chain as 32-bit float WAV, from the song's beginning on, aligned to the sample.

    A UserError where it can't be written; nothing is written over.
    """
    lane = look.session.lane(lane_id)
    sound = look.sound(lane_id)
    path = _free(_made(folder), file_name(lane.name))
    write_sound(
        path, _blocks(sound, look.cancelled), sample_rate=look.session.sample_rate, channels=sound.channels, bits="32f",
        protected=store.recordings(look.session), frames=sound.frames,
    )  # fmt: skip
    return path


def take_back(look: Look, lane_id: str, came: Path, folder: Path) -> tuple[Path, int]:
    """A file that a lane's sound was sent out as and that came back processed, put in its place to the sample: written
    anew as 32-bit float WAV. Returns it, and by how many frames it was late (early below 0).

    Whatever was done to it, it is still the same playing: its place is where it correlates most with what was sent,
    whatever its polarity, no further off than `FURTHEST_S`. A UserError where it sounds like something else.
    """
    sent = look.sound(lane_id)
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
        raise UserError(f"{came.name} does not sound like {look.session.lane(lane_id).name}: it was not taken.")
    placed = np.zeros((sent.frames, back.shape[1]), np.float32)
    start, begin = max(0, -late), max(0, late)
    count = min(len(back) - begin, sent.frames - start)
    placed[start : start + count] = back[begin : begin + count]
    path = _free(_made(folder), f"{file_name(look.session.lane(lane_id).name)} back")
    write_sound(
        path, (placed,), sample_rate=rate, channels=placed.shape[1], bits="32f",
        protected=store.recordings(look.session), frames=len(placed),
    )  # fmt: skip
    return path, late


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


def with_printed(session: Session, lane_id: str, path: Path) -> Session:
    """The session with a printed file in a lane's place. path: absolute, as `print_track` wrote it."""
    lane = session.lane(lane_id)
    session, kept = _kept_take(session, lane)
    folder = next((i for i, item in enumerate(session.folders) if Path(item.path) == path.parent), None)
    if folder is None:
        folder = len(session.folders)
        session = replace(session, folders=(*session.folders, Folder(path=str(path.parent))))
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
