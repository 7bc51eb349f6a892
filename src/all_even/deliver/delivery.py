"""A delivery: the mix, stems that add up to it, versions of it, a listening copy, and a text that says what is what.

- the mix as it is printed;
- `stems`: every group and lane that leads to the mix, 32-bit float, and those inside groups one folder down. What is on
  the disk is added up again and taken from the sound before the mix bus' chain: the null is measured and said;
- the instrumental (leads muted) and the mix with its leads 1 dB up and down (common practice: what is asked for later);
- the listening copy (`listening_copy`);
- a text with loudness and true peak of every file, as measured on the file, and tempo, key and loudness of the song.
"""

import dataclasses
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from all_even import outputs
from all_even.audio import sound_file
from all_even.audio.sides import middle_of
from all_even.deliver import lacking, leftovers, listening_copy
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import write_page
from all_even.deliver.stems import INSIDE, print_stems
from all_even.dsp.parameter import number, time_text
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.errors import UserError, short_name
from all_even.figures.book.look import Look
from all_even.figures.dynamics import limited
from all_even.figures.song import SONG
from all_even.measure.pitch import key as keys
from all_even.measure.recording import files
from all_even.outputs import NO_RECORDINGS, Recordings
from all_even.session.editing import edits
from all_even.session.model.session import Session
from all_even.session.tracks.classes import LEADS
from all_even.session.tracks.roles import family_of

STEMS = "stems"
VOICE_DB = 1.0
LOWEST_NULL_DB = -200.0
BLOCK = 1 << 16
Progress = Callable[[float, str], None]


@dataclass(frozen=True, slots=True)
class File:
    """One file of the delivery, as measured on it."""

    path: Path
    what: str
    integrated_lufs: float | None
    true_peak_dbtp: float | None


@dataclass(frozen=True, slots=True)
class Delivery:
    """null_db: peak of the sum of the stems, as they are on the disk, less the sound before the mix bus' chain, against
    that of this sound. copy: how loud the listening copy is and why; text: where all of this is written. without: what
    could not be read whole, a sentence each. strange: sound files in the folder that are not of this delivery."""

    folder: Path
    files: tuple[File, ...]
    null_db: float
    copy: str
    text: Path
    without: tuple[str, ...]
    strange: tuple[Path, ...]


def leads(session: Session) -> tuple[str, ...]:
    """The lanes that an instrumental goes without: leads, and all other voices."""
    return tuple(lane.id for lane in session.lanes if lane.role in LEADS or family_of(lane.role) == "voices")


def versions(session: Session) -> tuple[tuple[str, str, Session], ...]:
    """(name, what it is, session) of every version beside the mix; none for a song without a voice."""
    sung = leads(session)
    front = tuple(lane.id for lane in session.lanes if lane.role in LEADS)
    found = []
    if sung:
        found.append(("instrumental", "without voices", edits.change_strips(session, sung, mute=True)))
    if front:
        for word, by_db in (("up", VOICE_DB), ("down", -VOICE_DB)):
            louder = edits.nudge_levels(session, front, by_db)
            found.append((f"voice {word}", f"lead voice {number(VOICE_DB, 0)} dB {word}", louder))
    return tuple(found)


def deliver(
    look: Look,
    folder: Path,
    settings: PrintSettings | None = None,
    *,
    protected: Recordings = NO_RECORDINGS,
    progress: Progress | None = None,
    cancelled: threading.Event | None = None,
) -> Delivery:
    """Writes the whole delivery into a folder, which is made where its parent is there.

    What was written before a cancel stays. A UserError where the disk refuses or there is nothing to hear;
    SourcesLacking where tracks can't be read whole, unless the settings allow it. What a delivery before this one left
    there and this one does not write again is taken away (`leftovers`).
    """
    session, sources = look.session, look.book.sources
    settings = settings or PrintSettings()
    whole = make_plan(session, sources)
    lacking.check(lacking.of_plan(whole, look), settings.even_without)
    try:
        folder.mkdir(exist_ok=True)
    except OSError:
        raise UserError(f"{short_name(folder.name)} can't be made: its folder refuses it or is not there.") from None
    tell = progress or (lambda _share, _what: None)
    name = file_name(session.name)
    made: list[tuple[Path, str]] = []
    wanted = [(name, "the mix", session), *((f"{name} {word}", what, state) for word, what, state in versions(session))]
    steps = len(wanted) + 3
    for number_of, (stem, what, state) in enumerate(wanted):
        tell(number_of / steps, f"Printing {stem}")
        path = folder / f"{stem}.wav"
        print_mix(make_plan(state, sources), path, settings, protected=protected, cancelled=cancelled)
        made.append((path, what))
    tell((steps - 3) / steps, "Printing the stems")
    stem_settings = _for_stems(settings)
    stems = print_stems(session, sources, folder / STEMS, stem_settings, protected=protected, cancelled=cancelled)
    made += [(item.path, "stem, inside a group" if item.path.parent.name == INSIDE else "stem") for item in stems]
    straight = [item.path for item in stems if item.path.parent.name != INSIDE]
    null = null_db(session, look, straight, cancelled)
    tell((steps - 2) / steps, "Looking for the loudest copy")
    mix = listening_copy.rendered(whole, even_without=settings.even_without, cancelled=cancelled)
    copy = listening_copy.best(mix, session.sample_rate, limited.struck_hits(look), cancelled=cancelled)
    copy_path = listening_copy.beside(folder / f"{name}.wav")
    listening_copy.write(copy, copy_path, protected=protected)
    made.append((copy_path, "listening copy, not a master"))
    tell((steps - 1) / steps, "Measuring what was written")
    measured = dict(files.measure_files([(path, None) for path, _ in made], cancelled=cancelled))
    told = []
    for index, (path, what) in enumerate(made):
        measures = measured[index].measures
        peak = measures.true_peak_dbtp if measures is not None else None
        told.append(File(path, what, measures.integrated_lufs if measures is not None else None, peak))
    song_key = keys.key_of(keys.pitch_classes(middle_of(mix), session.sample_rate))
    text = folder / f"{name} files.txt"
    without = lacking.of_plan(whole, look)
    strange = leftovers.cleared(folder, [path for path, _ in made], text)
    delivery = Delivery(folder, tuple(told), null, copy.words, text, without, strange)
    write_page(text, outputs.TEXT, _text(look, delivery, song_key), protected)
    return delivery


def _for_stems(settings: PrintSettings) -> PrintSettings:
    """Stems hold what the engine computed: 32-bit float at the session's rate, the whole song."""
    return dataclasses.replace(settings, bits="32f", rate=None, dither=False)


def null_db(session: Session, look: Look, stems: list[Path], cancelled: threading.Event | None = None) -> float:
    """How far the sum of these files lies off the sound before the mix bus' chain, dB, by peaks."""
    bare = replace(session, mix=replace(session.mix, chain=(), automation=()))
    plan = make_plan(bare, look.book.sources)
    readers = [sound_file.Reader(sound_file.inspect(path)) for path in stems]
    worst = loudest = 0.0
    at = 0
    for block in render(plan, 0, plan.frames_with_tail, cancelled=cancelled):
        total = np.zeros_like(block)
        for reader in readers:
            total += reader.read(at, len(block))
        worst = max(worst, float(np.abs(total - block).max(initial=0.0)))
        loudest = max(loudest, float(np.abs(block).max(initial=0.0)))
        at += len(block)
    if loudest <= 0.0:
        return LOWEST_NULL_DB
    return max(LOWEST_NULL_DB, 20.0 * float(np.log10(max(worst / loudest, 1e-12))))


def file_name(name: str) -> str:
    """A song's name as the beginning of file names."""
    kept = " ".join("".join(c if c.isalnum() or c in " -_+&()" else " " for c in name).split())
    return kept.encode()[:120].decode(errors="ignore").strip() or "Song"


def _text(look: Look, found: Delivery, song_key: keys.SongKey | None) -> str:
    """The text that goes along."""
    session, song = look.session, look.get(SONG)
    tempo = "not found" if song.tempo is None else f"{number(song.tempo.bpm, 2)} BPM"
    if session.song.tempo_bpm is not None:
        tempo = f"{number(session.song.tempo_bpm, 2)} BPM"
    sure = "" if song_key is None or song_key.is_sure else f" (or {song_key.next}: close)"
    mix = found.files[0]
    lines = [
        f"All Even: {session.name}",
        f"Written {edits.now_text()[:16].replace('T', ' ')}, {session.sample_rate} Hz",
        "",
        f"Tempo     {tempo}",
        f"Key       {'not found' if song_key is None else song_key.name + sure}, by measurement",
        f"Loudness  {_level(mix.integrated_lufs, 'LUFS')}, true peak {_level(mix.true_peak_dbtp, 'dBTP')} (the mix)",
        f"Sections  {', '.join(f'{item.letter} {time_text(item.start_s)}' for item in song.sections) or 'not found'}",
        "",
        f"The stems in {STEMS}/ add up to the sound before the mix bus: null {number(found.null_db, 0)} dB.",
        "Those in its inner folder are parts of groups: never add both.",
        f"Listening copy: {found.copy} It is for listening elsewhere, not a master.",
        *(f"{lacking.WITHOUT}   {sentence}" for sentence in found.without),
        *(f"Not of this delivery: {path.relative_to(found.folder).as_posix()}" for path in found.strange),
        "",
        f"{'LUFS':>7}  {'dBTP':>6}  file",
    ]
    for item in found.files:
        where = item.path.relative_to(found.folder).as_posix()
        lufs, peak = (_level(value, "") for value in (item.integrated_lufs, item.true_peak_dbtp))
        lines.append(f"{lufs:>7}  {peak:>6}  {where} ({item.what})")
    return "\n".join(lines) + "\n"


def _level(value: float | None, unit: str) -> str:
    return "–" if value is None else f"{number(value)} {unit}".rstrip()
