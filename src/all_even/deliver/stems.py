"""Stems: what every group and lane gives to its destination, each in a file of its own, from one pass.

Never by soloing: keys and returns stay alive. The files of all strips that lead straight to the mix add up
to the mix before the mix bus' chain; they are in the folder itself, the tracks inside groups one folder
down, so that nothing is added twice.
"""

import contextlib
import threading
from collections.abc import Collection
from pathlib import Path

import numpy as np
import soxr

from all_even import outputs
from all_even.audio.writing import SoundWriter, Written
from all_even.deliver import lacking
from all_even.deliver.print_mix import PrintSettings, first_frame_at, section
from all_even.engine.plan import Plan
from all_even.engine.planning import make_plan
from all_even.engine.render import Progress, render_stems
from all_even.engine.sources import Opened
from all_even.errors import UserError, short_name
from all_even.outputs import NO_RECORDINGS, Recordings
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

INSIDE = "inside groups"
LONGEST_STEM_BYTES = 120


class _Target:
    """A file that is written block by block, at another rate where that is wanted."""

    def __init__(
        self, path: Path, plan: Plan, settings: PrintSettings, place: tuple[int, int], protected: Recordings
    ) -> None:
        rate = settings.rate or plan.sample_rate
        self._stream = soxr.ResampleStream(plan.sample_rate, rate, 2, "float64") if rate != plan.sample_rate else None
        self.writer = SoundWriter(
            path,
            sample_rate=rate,
            channels=2,
            bits=settings.bits,
            dither=settings.dither and settings.bits == "16",
            first_frame=first_frame_at(place[0], plan.sample_rate, rate),
            protected=protected,
            frames=first_frame_at(place[1] - place[0], plan.sample_rate, rate),
        )

    def write(self, block: np.ndarray) -> None:
        if self._stream is not None:
            block = self._stream.resample_chunk(np.ascontiguousarray(block))
        self.writer.write(block)

    def finish(self) -> Written:
        if self._stream is not None:
            self.writer.write(self._stream.resample_chunk(np.zeros((0, 2)), last=True))
        return self.writer.finish()


def stem_names(session: Session, strip_ids: Collection[str]) -> dict[str, str]:
    """A safe file name without ending for each strip, numbered in the session's order, all different."""
    names = {}
    for number, strip in enumerate((strip for strip in session.strips if strip.id in strip_ids), 1):
        kept = " ".join("".join(c if c.isalnum() or c in " -_+&()" else " " for c in strip.name).split())
        # File systems count bytes, and a name may be in letters of three bytes each.
        short = kept.encode()[:LONGEST_STEM_BYTES].decode(errors="ignore").strip()
        names[strip.id] = f"{number:02d} {short}".strip()
    return names


def print_stems(
    session: Session,
    sources: Opened,
    folder: Path,
    settings: PrintSettings | None = None,
    *,
    mix_path: Path | None = None,
    protected: Recordings = NO_RECORDINGS,
    progress: Progress | None = None,
    cancelled: threading.Event | None = None,
) -> list[Written]:
    """Prints all stems, and the mix in the same pass where `mix_path` is given; returns what was written.

    The folder is made where its parent is there. Recordings (`protected`) are never written over. Everything
    is asked for before the first block is rendered. SourcesLacking where tracks can't be read whole.
    """
    settings = settings or PrintSettings()
    plan = make_plan(session, sources, taps=True)
    lacking.check(plan.lacking(), settings.even_without)
    start, end = section(plan, settings)
    new = not folder.exists()
    try:
        folder.mkdir(exist_ok=True)
        (folder / INSIDE).mkdir(exist_ok=True)
    except OSError:
        raise UserError(
            f"{short_name(folder.name)} can't be made: its folder refuses it, is not there, or has a file of that name."
        ) from None
    paths: dict[str, Path] = {}
    for strip_id, name in stem_names(session, plan.taps.keys()).items():
        inside = session.strip(strip_id).destination != MIX
        paths[strip_id] = (folder / INSIDE if inside else folder) / f"{name}.wav"
    targets: dict[str, _Target] = {}
    try:
        wanted = [*paths.values(), *([mix_path] if mix_path else [])]
        places = [outputs.allowed(path, outputs.SOUND, protected) for path in wanted]
        for place, path in zip(places, wanted, strict=True):
            if places.count(place) > 1:
                raise UserError(f"{short_name(path.name)} would be written twice: choose another name for the mix.")
        for strip_id, path in paths.items():
            targets[strip_id] = _Target(path, plan, settings, (start, end), protected)
        if mix_path is not None:
            targets[MIX] = _Target(mix_path, plan, settings, (start, end), protected)
        for mix, stems in render_stems(plan, start, end, progress=progress, cancelled=cancelled):
            for strip_id, target in targets.items():
                target.write(mix if strip_id == MIX else stems[strip_id])
        lacking.check(plan.lacking(), settings.even_without)
        return [target.finish() for target in targets.values()]
    finally:
        for target in targets.values():
            target.writer.discard()
        for made in (folder / INSIDE, *([folder] if new else [])):
            with contextlib.suppress(OSError):  # one that holds something stays
                made.rmdir()
