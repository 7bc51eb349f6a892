"""A look at a session: its files as they were measured, and every figure of it, worked out where it is not known yet.

A figure is never stored in a session: it is worked out from one, and known again by the fingerprint of what it rests
on. Adding one is one `Figure` beside the function that works it out; whoever wants it asks `Look.get`.

Whoever judges a session is given a look: rules that propose moves, the check of a move, reports. A look at another
state of the session (a trial, the state right after a move) is `look.at(session)`; what both have in common is not
worked out twice.
"""

import contextlib
import dataclasses
import threading
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, TypeVar

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.audio.decoded import Frames
from all_even.audio.sides import power_of
from all_even.engine.render import WORKERS
from all_even.errors import Cancelled
from all_even.figures.book import on_disk
from all_even.figures.book.book import Book, Want, silence
from all_even.figures.book.fingerprint import Fingerprint, Fingerprints
from all_even.figures.book.flow import Flow
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.track import TrackMeasures
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane

T = TypeVar("T")
Scope = Literal["file", "strip", "feed", "bus", "pair", "mix", "session"]
PATIENCE_S = 0.05
"""How often whoever waits for a figure asks whether it is wanted still."""


@dataclass(frozen=True, slots=True)
class Figure(Generic[T]):
    """version: raised when the definition changes. rests_on: the fingerprint, given the session's and a target (a
    strip, `a:b`, or empty). compute: pure; asks the look for other figures, and lets it be cancelled. kept_as: the
    type by which it is kept on disk, where it rests on the files alone, is small, and takes long to work out.
    """

    name: str
    version: int
    scope: Scope
    rests_on: Callable[["Look", Fingerprints, str], Fingerprint]
    compute: Callable[["Look", str], T]
    kept_as: Any = None


@dataclass(frozen=True, slots=True, eq=False)
class Look:
    """reports: of the files, by lane id. cancelled: stops whatever is being worked out. workers: threads to use."""

    session: Session
    book: Book
    reports: Mapping[str, FileReport]
    cancelled: threading.Event | None = None
    workers: int = field(default=WORKERS)

    def at(self, session: Session) -> "Look":
        """The same for another state; lanes that read another file there are not measured."""
        if session is self.session:
            return self
        reads = {lane.id: _reads(lane) for lane in self.session.lanes}
        reports = {
            lane.id: self.reports[lane.id]
            for lane in session.lanes
            if lane.id in self.reports and reads.get(lane.id) == _reads(lane)
        }
        return dataclasses.replace(self, session=session, reports=reports)

    def with_cancel(self, cancelled: threading.Event) -> "Look":
        """The same, stopped by this event."""
        return dataclasses.replace(self, cancelled=cancelled)

    def measures(self, lane_id: str) -> TrackMeasures | None:
        """A lane's file, measured."""
        report = self.reports.get(lane_id)
        return report.measures if report else None

    def hear(self, *wanted: Want) -> None:
        """Sees to it that figures are known, together in one pass."""
        self.book.hear(self.session, wanted, cancelled=self.cancelled, workers=self.workers)

    def sound(self, strip_id: str) -> Frames:
        """A strip's sound behind its chain, by song frame."""
        return self.book.sound(self.session, strip_id, cancelled=self.cancelled, workers=self.workers)

    @property
    def mix(self) -> TrackMeasures | None:
        """All level figures of the mix; None where there is nothing to hear."""
        self.hear(("levels", MIX))
        found: TrackMeasures | None = self.book.known(self.session, ("levels", MIX))
        return found

    @property
    def flow(self) -> Flow | None:
        """Levels on the way and at the faders."""
        self.hear(*self.book.flow_wants(self.session))
        return self.book.known_flow(self.session)

    def strip_flow(self, *strip_ids: str) -> Flow | None:
        """Levels on the way of some strips alone, without the mix; None where one of them is not known."""
        self.hear(*[("flow", strip_id) for strip_id in strip_ids])
        found = {strip_id: self.book.known(self.session, ("flow", strip_id)) for strip_id in strip_ids}
        return None if None in found.values() else Flow(silence(self.session), found)

    def get(self, figure: Figure[T], target: str = "") -> T:
        """A figure of this session."""
        fingerprint = figure.rests_on(self, self.book.fingerprints(self.session), target)
        pages, key = self.book.pages, (figure.name, figure.version, fingerprint)
        known: Any = pages.get(*key)
        if known is None:
            with self._turn(pages.turn(*key)):
                known = pages.get(*key)
                if known is None:
                    known = self._from_disk(figure, fingerprint, target)
                    pages.put(*key, known)
        result: T = known
        return result

    @contextlib.contextmanager
    def _turn(self, lock: threading.Lock) -> Iterator[None]:
        """Waits until nobody else works on the same; a cancel ends the wait."""
        self.stop_if_cancelled()
        while not lock.acquire(timeout=PATIENCE_S):
            self.stop_if_cancelled()
        try:
            yield
        finally:
            lock.release()

    def _from_disk(self, figure: Figure[T], fingerprint: Fingerprint, target: str) -> Any:
        """A figure as it is kept on disk; else worked out, and kept there where its kind is."""
        if figure.kept_as is None:
            return figure.compute(self, target)
        known = on_disk.known_value(figure.name, figure.version, fingerprint, figure.kept_as)
        if known is None:
            known = figure.compute(self, target)
            on_disk.keep_value(figure.name, figure.version, fingerprint, known)
        return known

    def stop_if_cancelled(self) -> None:
        """Raises `Cancelled` where nobody waits for the result any more."""
        if self.cancelled is not None and self.cancelled.is_set():
            raise Cancelled

    def loudest(self, strip_id: str, longest_s: float = 20.0) -> NDArray[np.float64]:
        """What a strip brings to its fader in the loudest part of the song, (frames, 1 or 2).

        The mix bus is heard before its chain and after the trim; other strips behind theirs. Solos are left aside.
        """
        session = self.session
        plain = replace(
            session,
            lanes=tuple(replace(lane, solo=False) for lane in session.lanes),
            buses=tuple(replace(bus, solo=False) for bus in session.buses),
            folder_groups=tuple(replace(group, solo=False) for group in session.folder_groups),
            mix=replace(session.mix, chain=(), automation=()),
        )
        frames = self.at(plain).sound(strip_id)
        sound = frames.read(0, frames.frames).astype(np.float64)
        length = round(longest_s * session.sample_rate)
        if len(sound) <= length:
            return sound
        step = session.sample_rate // 2
        energy = np.add.reduceat(power_of(sound), np.arange(0, len(sound), step))
        running = np.convolve(energy, np.ones(length // step), mode="valid")
        start = int(np.argmax(running)) * step
        return sound[start : start + length]


def _reads(lane: Lane) -> tuple[object, ...]:
    return lane.file, lane.take, lane.folder
