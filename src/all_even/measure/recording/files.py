"""Measuring files: one after another or many at once, with progress and cancel, from cache where known."""

import os
import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from all_even import places
from all_even.audio import content, sound_file
from all_even.audio.sound_file import SoundFileError, SoundInfo
from all_even.errors import Cancelled, system_reason
from all_even.measure.recording import cache
from all_even.measure.recording.character import Character, CharacterMeter, Envelope
from all_even.measure.recording.track import Measurement, TrackMeasures
from all_even.priority import step_back

WORKERS = os.cpu_count() or 2


@dataclass(frozen=True, slots=True)
class FileReport:
    """What became of one file: its description and measures, or the sentence why there are none.

    envelope: RMS per millisecond, by which files that belong together are found.
    `defect`: one sentence about a file that is damaged but usable.
    """

    path: Path
    info: SoundInfo | None = None
    measures: TrackMeasures | None = None
    character: Character | None = None
    envelope: Envelope | None = field(default=None, compare=False, repr=False)
    error: str | None = None
    defect: str | None = None
    offered_channels: int | None = None

    @property
    def ok(self) -> bool:
        return self.measures is not None


def measure_file(
    path: Path, *, take: tuple[int, ...] | None = None, cancelled: threading.Event | None = None
) -> FileReport:
    """Measures one file at its own rate; never raises for a bad file. `take`: channels from 1.

    A defect of ours that one file brings to light is noted and is that file's sentence: the others go on.
    """
    try:
        return _measured(path, take, cancelled)
    except (Cancelled, KeyboardInterrupt):
        raise
    except Exception as defect:
        places.note_defect(defect)
        return FileReport(path, error=f"{sound_file.told_name(path)} can't be measured: All Even stumbled over it.")


def _measured(path: Path, take: tuple[int, ...] | None, cancelled: threading.Event | None) -> FileReport:
    try:
        info = sound_file.inspect_pair(path, take) if take else sound_file.inspect(path)
        identity = content.content_hash(path)
    except SoundFileError as error:
        return FileReport(path, error=str(error), offered_channels=error.channels)
    except OSError as error:
        return FileReport(path, error=f"{sound_file.told_name(path)} can't be read: {system_reason(error)}.")
    key = "" if take is None else "-ch" + "-".join(map(str, take))
    kept = cache.load(identity, key)
    if kept is None:
        channels = len(take) if take else info.channels
        levels, playing = Measurement(info.sample_rate, channels), CharacterMeter(info.sample_rate, channels)
        for block in sound_file.read_blocks(info):
            if cancelled is not None and cancelled.is_set():
                raise Cancelled
            used = np.ascontiguousarray(block[:, [i - 1 for i in take]]) if take else block
            levels.add(used)  # makes the block finite
            playing.add(used)
        levelled = levels.result()
        kept = (levelled, *playing.result(levelled.third_octave_db))
        cache.save(identity, *kept, key)
    measures, character, envelope = kept
    name = sound_file.told_name(path)
    if measures.frames == 0:
        return FileReport(path, info, error=f"{name} can't be decoded: no sound could be read from it.")
    defect = info.defect
    if defect is None and measures.frames < info.frames:
        defect = (
            f"{name} is cut short: its header promises {info.duration_s:.1f} s, "
            f"{measures.duration_s:.1f} s can be decoded."
        )
    return FileReport(path, info, measures, character, envelope, defect=defect)


def measure_files(
    jobs: Iterable[tuple[Path, tuple[int, ...] | None]],
    *,
    progress: Callable[[int, int, str], None] | None = None,
    cancelled: threading.Event | None = None,
    workers: int = WORKERS,
) -> Iterator[tuple[int, FileReport]]:
    """Measures many files at once; yields (index, report) as they finish.

    progress: called with (done, total, name of the file just finished). Raises `Cancelled` soon
    after `cancelled` is set; what was finished by then is in the cache.
    """
    listed = list(jobs)
    stop = cancelled or threading.Event()
    with ThreadPoolExecutor(max_workers=workers, thread_name_prefix="measure", initializer=step_back) as pool:
        pending = {
            pool.submit(measure_file, path, take=take, cancelled=stop): index
            for index, (path, take) in enumerate(listed)
        }
        try:
            for done, future in enumerate(as_completed(pending), start=1):
                report = future.result()
                if progress is not None:
                    progress(done, len(listed), sound_file.display_name(report.path))
                yield pending[future], report
        finally:
            for future in pending:
                future.cancel()
            content.remember()
