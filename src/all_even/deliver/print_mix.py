"""Printing the mix to a file: depth, rate, dither, progress and cancel.

A 32-bit float print is never limited. Overs in 16 and 24 bits are counted and reported, not hidden.
"""

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr

from all_even.audio.sound_file import Samples
from all_even.audio.writing import Bits, Written, write_sound
from all_even.deliver import lacking
from all_even.engine.plan import Plan
from all_even.engine.render import Progress, render
from all_even.errors import UserError
from all_even.outputs import NO_RECORDINGS, Recordings


@dataclass(frozen=True, slots=True)
class PrintSettings:
    """bits: 16 (with TPDF dither unless switched off), 24 or 32f. rate: Hz, None for the session's. even_without: also
    where tracks can't be read whole; whoever prints says which.
    """

    bits: Bits = "24"
    rate: int | None = None
    dither: bool = True
    start_s: float = 0.0
    end_s: float | None = None
    even_without: bool = False


def print_mix(
    plan: Plan,
    path: Path,
    settings: PrintSettings | None = None,
    *,
    protected: Recordings = NO_RECORDINGS,
    progress: Progress | None = None,
    cancelled: threading.Event | None = None,
) -> Written:
    """Renders the plan into a WAV or FLAC file, by the name's ending; nothing is left when cancelled.

    protected: the recordings, over which nothing is printed. SourcesLacking where tracks can't be read whole.
    """
    settings = settings or PrintSettings()
    lacking.check(plan.lacking(), settings.even_without)
    start, end = section(plan, settings)
    rate = settings.rate or plan.sample_rate
    blocks: Iterator[Samples] = render(plan, start, end, progress=progress, cancelled=cancelled)  # type: ignore[assignment]
    blocks = _until_whole(blocks, plan, settings)
    if rate != plan.sample_rate:
        blocks = _resampled(blocks, plan.sample_rate, rate)
    return write_sound(
        path,
        blocks,
        sample_rate=rate,
        channels=2,
        bits=settings.bits,
        dither=settings.dither and settings.bits == "16",
        first_frame=first_frame_at(start, plan.sample_rate, rate),
        protected=protected,
        frames=first_frame_at(end - start, plan.sample_rate, rate),
    )


def _until_whole(blocks: Iterator[Samples], plan: Plan, settings: PrintSettings) -> Iterator[Samples]:
    """SourcesLacking at the end where a track turned out to be damaged: the file does not appear."""
    yield from blocks
    lacking.check(plan.lacking(), settings.even_without)


def first_frame_at(frame: int, from_rate: int, to_rate: int) -> int:
    """A place or a length in frames of another rate."""
    return round(frame * to_rate / from_rate)


def section(plan: Plan, settings: PrintSettings) -> tuple[int, int]:
    """First frame and end of what is printed, to the end of the last room; UserError where that is nothing."""
    start = round(settings.start_s * plan.sample_rate)
    whole = plan.frames_with_tail
    end = whole if settings.end_s is None else min(whole, round(settings.end_s * plan.sample_rate))
    if end <= start:
        raise UserError("There is nothing to print: the section is empty or the session has no sound.")
    return start, end


def _resampled(blocks: Iterator[Samples], from_rate: int, to_rate: int) -> Iterator[Samples]:
    stream = soxr.ResampleStream(from_rate, to_rate, 2, dtype="float64", quality="VHQ")
    for block in blocks:
        yield stream.resample_chunk(np.ascontiguousarray(block, dtype=np.float64))
    yield stream.resample_chunk(np.zeros((0, 2)), last=True)
