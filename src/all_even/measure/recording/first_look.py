"""A first look at a file: three short pieces of it, for what is wrong with it all along.

So that the first faults of a large folder are known within seconds; measuring the whole files says the rest, and takes
back what was true of the pieces only.
"""

import threading
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import replace
from pathlib import Path

import numpy as np

from all_even.audio import sound_file
from all_even.audio.sound_file import SoundFileError
from all_even.errors import Cancelled
from all_even.measure.faults.findings import Finding, findings
from all_even.measure.recording.files import WORKERS, FileReport
from all_even.measure.recording.track import Measurement
from all_even.priority import step_back

PIECE_S = 2.0
PLACES = (0.25, 0.5, 0.75)
SHORTEST_S = 20.0
"""A shorter file is measured as a whole soon enough."""
TELLING = frozenset({"clipped", "not_finite", "dc_offset", "inverted_channel"})
"""What a part of a file can say of all of it."""
SURE_DC = 0.005
"""Low notes alone leave less than this in a few seconds."""


def first_look(path: Path, take: tuple[int, ...] | None = None) -> tuple[Finding, ...]:
    """What three pieces of a file tell, a quarter, half and three quarters into it; never raises for a bad file."""
    try:
        info = sound_file.inspect_pair(path, take) if take else sound_file.inspect(path)
        if info.duration_s < SHORTEST_S:
            return ()
        channels = [channel - 1 for channel in take] if take else list(range(info.channels))
        length = round(PIECE_S * info.sample_rate)
        measurement = Measurement(info.sample_rate, len(channels))
        reader = sound_file.Reader(info)
        try:
            for place in PLACES:
                piece = reader.read(round(place * info.frames), length)
                measurement.add(np.ascontiguousarray(piece[:, channels]))
        finally:
            reader.close()
    except (SoundFileError, OSError, RuntimeError):
        return ()
    report = FileReport(path, info, measurement.result())
    return tuple(
        replace(finding, text=f"{finding.text} So far: {PIECE_S * len(PLACES):.0f} s of it were looked at.")
        for finding in findings(report)
        if finding.kind in TELLING and not (finding.kind == "dc_offset" and abs(finding.size or 0.0) < SURE_DC)
    )


def first_looks(
    jobs: Sequence[tuple[Path, tuple[int, ...] | None]], *, cancelled: threading.Event
) -> Iterator[tuple[int, tuple[Finding, ...]]]:
    """Looks at many files at once; yields (index, findings) as they are seen. Raises `Cancelled` when it is set."""

    def look(job: tuple[Path, tuple[int, ...] | None]) -> tuple[Finding, ...]:
        return () if cancelled.is_set() else first_look(*job)

    with ThreadPoolExecutor(max_workers=WORKERS, thread_name_prefix="look", initializer=step_back) as pool:
        pending = {pool.submit(look, job): index for index, job in enumerate(jobs)}
        for future in as_completed(pending):
            if cancelled.is_set():
                raise Cancelled
            yield pending[future], future.result()
