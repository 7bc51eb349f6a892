"""Retune a kick or a sub by semitones to the nearest note of the song's key.

The key is read from the mix; where two keys fit alike both are named. Only what holds one pitch is moved: a kick that
settles, a sub or synthetic bass that plays one note. A copy is made beside the recording, as with every
retune.
"""

import numpy as np
from msgspec.structs import replace

from all_even.audio import retune as retuning
from all_even.audio.sides import middle_of
from all_even.dsp.parameter import number, signed
from all_even.figures.book.look import Look
from all_even.figures.sources.units import units
from all_even.measure.pitch import key as keys
from all_even.measure.pitch.pitch import named
from all_even.moves.gather import retune
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_kick
from all_even.session.tracks.roles import family_of

SCALES = {"major": (0, 2, 4, 5, 7, 9, 11), "minor": (0, 2, 3, 5, 7, 8, 10)}
FILES = "files"
LEAST_CENTS = 30.0
ONE_NOTE = 0.9
"""Share of a line's time on one pitch from which on it counts as one note."""


def pitch_of(look: Look, lane: Lane) -> float | None:
    """The pitch a track holds, Hz; None where it holds none."""
    report = look.reports.get(lane.id)
    character = report.character if report is not None else None
    if character is None:
        return None
    if is_kick(lane.role):
        found = character.as_kick.kick
        return found.frequency_hz if found.state == "settled" else None
    if family_of(lane.role) != "bass" or not character.notes:
        return None
    lengths: dict[int, float] = {}
    for note in character.notes:
        midi = named(note.frequency_hz).midi
        lengths[midi] = lengths.get(midi, 0.0) + note.end_s - note.start_s
    most = max(lengths, key=lambda midi: lengths[midi])
    if lengths[most] < ONE_NOTE * sum(lengths.values()):
        return None
    return float(np.median([note.frequency_hz for note in character.notes if named(note.frequency_hz).midi == most]))


def to_key_cents(hz: float, key: str, tuning_cents: float = 0.0) -> tuple[float, str]:
    """How far a pitch has to move to the nearest note of a key, cents, and that note's name. tuning_cents: of the
    song against A4 = 440 Hz."""
    tonic, mode = key.rsplit(" ", 1)
    root = keys.NAMES.index(tonic)
    pitch = 69.0 + 12.0 * float(np.log2(hz / 440.0)) - tuning_cents / 100.0
    near = [midi for midi in range(int(pitch) - 3, int(pitch) + 5) if (midi - root) % 12 in SCALES[mode]]
    midi = min(near, key=lambda one: abs(one - pitch))
    return 100.0 * (midi - pitch), keys.NAMES[midi % 12]


def song_key(look: Look) -> keys.SongKey | None:
    """Of all that is heard but drums."""
    total = np.zeros(12)
    for lane in look.session.lanes:
        if family_of(lane.role) in ("drums", "percussion") or not routing.is_sounding(look.session, lane):
            continue
        sound = look.sound(lane.id)
        total += keys.pitch_classes(middle_of(sound.read(0, sound.frames)), look.session.sample_rate)
    return keys.key_of(total)


def propose(look: Look) -> list[Proposal]:
    if not retuning.is_there():
        return []
    lanes = [unit.head for unit in units(look)
             if is_kick(unit.role) or family_of(unit.role) == "bass"]  # fmt: skip
    pitches = {lane.id: hz for lane in lanes if (hz := pitch_of(look, lane)) is not None}
    found = song_key(look) if pitches else None
    if found is None:
        return []
    made = []
    for lane in lanes:
        if lane.id not in pitches:
            continue
        cents, note = to_key_cents(pitches[lane.id], found.name)
        if LEAST_CENTS <= abs(cents) <= retuning.MOST_CENTS:
            made.append(_move(look, lane, pitches[lane.id], cents, note, found))
    return made


def _move(look: Look, lane: Lane, hz: float, cents: float, note: str, found: keys.SongKey) -> Proposal:
    sure = "" if found.is_sure else f" The key is unsure: {found.next} fits nearly as well."
    microphones = next(tuple(one.id for one in unit.lanes) for unit in units(look) if unit.id == lane.id)
    others = f" Its {len(microphones)} microphones together." if len(microphones) > 1 else ""
    return KIND.move(
        targets=microphones, of=lane.id,
        title=f"Retune {lane.name} by {signed(cents / 100.0, 1)} semitones to {note}",
        reason=f"It holds {number(hz)} Hz, {number(abs(cents), 0)} cents from {note}, the nearest note of {found.name}."
        f"{sure} A copy is made in “{retuning.FOLDER}”; the recording stays. Length stays, colour changes.{others}",
        parameters={"cents": round(cents, 1)}, evidence={"hz": hz, "key": found.name},
        metric=METRIC, arguments={"lane": lane.id, "key": found.name}, before=cents, expected=0.0, weight=1.0,
    )  # fmt: skip


def _off(look: Look, arguments: Arguments) -> float | None:
    import dataclasses

    from all_even.measure.recording import files
    from all_even.session.file import store

    lane_id, key = str(arguments.get("lane", "")), str(arguments.get("key", ""))
    if not look.session.is_lane(lane_id) or not key:
        return None
    lane = look.session.lane(lane_id)
    if lane.id not in look.reports:
        report = files.measure_file(store.lane_path(look.session, lane), take=lane.take, cancelled=look.cancelled)
        look = dataclasses.replace(look, reports={**look.reports, lane.id: report})
    hz = pitch_of(look, lane)
    return None if hz is None else to_key_cents(hz, key)[0]


def prepare(look: Look, move: Proposal) -> Proposal:
    """Makes a copy for each microphone; KeyError where one is gone."""
    made = [retune.prepare(look, replace(move, targets=(lane_id,))) for lane_id in move.targets]
    files = tuple(str(one.parameters[retune.FILE]) for one in made)
    return replace(move, parameters={**move.parameters, FILES: files})


def edit(session: Session, move: Proposal) -> Session:
    """Everything else of the tracks stays."""
    files = move.parameters.get(FILES)
    if not isinstance(files, tuple):
        raise KeyError(FILES)
    for lane_id, inside in zip(move.targets, files, strict=True):
        session = edits.change_strips(session, (lane_id,), file=inside, take=None)
    return session


METRIC = Metric("off-key", "off the nearest note of the key", "cents", 0, 15.0, ("files", "order"), _off)
KIND = Kind("low-end.retune-to-key", ("files", "order", "names", "routing"), propose, edit, prepare,
            optional=True, approach="retune")  # fmt: skip
