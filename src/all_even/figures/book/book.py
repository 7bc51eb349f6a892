"""The book of figures: what is known of any session, by what it rests on; what is not known is heard in one pass.

Ask it for figures of a session and it renders only strips whose fingerprint is new: the others' sound is kept. So an
undone edit, a trial that is then made, and the check of a move long afterwards all find what was rendered before.
"""

import threading
from collections import deque
from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from all_even.audio.decoded import Frames
from all_even.audio.sound_file import Samples
from all_even.engine.clip_gain import has_clip_gain
from all_even.engine.plan import StripPlan
from all_even.engine.planning import make_plan
from all_even.engine.render import WORKERS
from all_even.engine.sources import Opened, Sources, frames_of
from all_even.figures.book import heard, on_disk
from all_even.figures.book.fingerprint import Fingerprint, Fingerprints, digest
from all_even.figures.book.flow import Flow, FlowListener, StripFlow
from all_even.figures.book.heard import Keeping, KeepingEntering, LevelsListener, Listener, PowersListener, one_pass
from all_even.figures.book.kept import KeptSound, KeptSounds
from all_even.figures.book.pages import Pages
from all_even.figures.book.sizes import size_of
from all_even.measure.recording.track import TrackMeasures
from all_even.measure.sharing import masking
from all_even.measure.whole import gammatone
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

Name = Literal[
    "flow", "levels", "powers", "middle powers", "entering powers", "gammatone powers", "entering gammatone powers",
    "sound",
]  # fmt: skip
Want = tuple[Name, str]
"""What is heard at a strip: its flow, all levels, the ear's bands of what leaves (also of the mean of both sides) or
enters, and those of a second ear; or the sound itself."""
VERSIONS: dict[Name, int] = {
    "flow": 1, "levels": 1, "powers": 1, "middle powers": 1, "entering powers": 1, "gammatone powers": 1,
    "entering gammatone powers": 1, "sound": 1,
}  # fmt: skip
ENTERING: frozenset[Name] = frozenset({"entering powers", "entering gammatone powers"})
ON_THE_WAY: frozenset[Name] = ENTERING | {"flow"}
"""Figures that need the strip itself rendered: its kept sound tells nothing of what happened before."""
ON_DISK: frozenset[Name] = frozenset({"flow", "levels"})


@dataclass(slots=True)
class Counts:
    """What was done so far. passes: over the song; strips: chains that were rendered, added up over the passes."""

    passes: int = 0
    strips: int = 0


class Book:
    """Safe to use from any thread. sources: the opened files; kept: sounds of strips behind their chains; pages: the
    figures, where another book shares them."""

    def __init__(self, sources: Opened, *, kept: KeptSounds | None = None, pages: Pages | None = None) -> None:
        self.sources = sources
        self.pages = pages if pages is not None else Pages()
        self.counts = Counts()
        self._kept = kept if kept is not None else KeptSounds()
        self._lock = threading.Lock()
        self._prints: deque[Fingerprints] = deque(maxlen=8)
        self._not_on_disk: set[Fingerprint] = set()

    def fingerprints(self, session: Session) -> Fingerprints:
        """Those of a session, remembered for the last few; anew where other files have been opened."""
        opened = frames_of(session, self.sources)
        with self._lock:
            for known in self._prints:
                if known.session is session and known.reads(opened):
                    return known
        if isinstance(self.sources, Sources):
            self.sources.update(session)
        made = Fingerprints(session, self.sources)
        with self._lock:
            self._prints.append(made)
        return made

    # What is heard.

    def known(self, session: Session, want: Want) -> Any:
        """A figure of a strip if it was rendered before, else None."""
        name, strip_id = want
        fingerprint = self._fingerprint(session, want)
        if fingerprint is None:
            return None
        if name == "sound":
            return self._kept.get(fingerprint)
        found = self.pages.get(name, VERSIONS[name], fingerprint)
        if found is None and name in ON_DISK and fingerprint not in self._not_on_disk:
            found = on_disk.known(name, VERSIONS[name], fingerprint)
            if found is None:
                self._not_on_disk.add(fingerprint)
            else:
                self.pages.put(name, VERSIONS[name], fingerprint, found, heard=True)
        if isinstance(found, StripFlow) and len(found.stations) == len(session.chain(strip_id)):
            return found.said_of(session.chain(strip_id))
        return found

    def hear(
        self,
        session: Session,
        wanted: Collection[Want],
        *,
        progress: Callable[[float], None] | None = None,
        cancelled: threading.Event | None = None,
        workers: int = WORKERS,
    ) -> None:
        """Sees to it that these figures are known, in at most one pass; strips that are not open have none."""
        missing = [want for want in dict.fromkeys(wanted) if self._is_missing(session, want)]
        if not missing:
            return
        prints = self.fingerprints(session)
        real = {strip_id for name, strip_id in missing if name in ON_THE_WAY}
        kept: dict[str, KeptSound] = {}
        for strip_id, fingerprint in prints.strips.items():
            sound = self._kept.get(fingerprint) if strip_id not in real else None
            if sound is not None:
                kept[strip_id] = sound
        known = {strip_id: self._kept.get(prints.entering[strip_id]) for strip_id in prints.entering.keys() - kept}
        entering = {strip_id: sound for strip_id, sound in known.items() if sound is not None}
        goals = {strip_id for _, strip_id in missing}
        plan = make_plan(session, self.sources, goals=goals, kept=kept, entering=entering)
        listening: dict[str, list[Listener]] = {strip.id: [] for strip in plan.strips}
        results: list[tuple[Want, Listener]] = []
        for want in missing:
            name, strip_id = want
            if name != "sound":
                results.append((want, self._listener(session, prints, want)))
                listening[strip_id].append(results[-1][1])
        asked = {strip_id for name, strip_id in missing if name == "sound"}
        keeping: dict[Fingerprint, Keeping] = {}
        for strip in plan.strips:
            rendered = bool(strip.stations) and strip.id != MIX and strip.id not in kept
            if rendered or strip.id in asked:
                self._keep(keeping, listening, prints.strips[strip.id], strip, plan.frames)
            if _is_sum(strip):
                self._keep(keeping, listening, prints.entering[strip.id], strip, plan.frames, entering=True)
        with self._lock:
            self.counts.passes += 1
            self.counts.strips += sum(bool(strip.stations) for strip in plan.strips)
        one_pass(plan, listening, progress=progress, cancelled=cancelled, workers=workers)
        for fingerprint, keeper in keeping.items():
            whole = keeper.result()
            if whole is not None:
                self._kept.put(fingerprint, whole, passing=isinstance(keeper, KeepingEntering))
        found = [(want, listener.result()) for want, listener in results]
        self.pages.make_room_for(sum(size_of(value) for _, value in found))
        for want, value in found:
            fingerprint_of = self._fingerprint(session, want)
            if fingerprint_of is not None:
                self.pages.put(want[0], VERSIONS[want[0]], fingerprint_of, value, heard=True)

    def _keep(
        self,
        keeping: dict[Fingerprint, Keeping],
        listening: dict[str, list[Listener]],
        fingerprint: Fingerprint,
        strip: StripPlan,
        frames: int,
        *,
        entering: bool = False,
    ) -> None:
        """Sees to it that a strip's sound is kept from this pass, where there is room and it is not there."""
        if fingerprint in keeping or self._kept.get(fingerprint) is not None:
            return
        new = self._kept.new(strip.channels, frames, strip.latency_in if entering else strip.latency_out)
        if new is not None:
            keeping[fingerprint] = KeepingEntering(new) if entering else Keeping(new)
            listening[strip.id].append(keeping[fingerprint])

    def _is_missing(self, session: Session, want: Want) -> bool:
        fingerprint = self._fingerprint(session, want)
        return fingerprint is not None and self.known(session, want) is None

    def _fingerprint(self, session: Session, want: Want) -> Fingerprint | None:
        name, strip_id = want
        prints = self.fingerprints(session)
        own = prints.strips.get(strip_id)
        if own is None or not prints.song_frames:
            return None
        if name == "flow":  # what is bypassed makes no sound, but has a level of its own
            chain = session.chain(strip_id)
            return digest((own, [(type(station).__name__, station.bypass) for station in chain]))
        if name in ENTERING or name == "middle powers":
            return digest((own, name))
        return own

    def _listener(self, session: Session, prints: Fingerprints, want: Want) -> Listener:
        name, strip_id = want
        rate, channels = session.sample_rate, prints.channels(strip_id)
        if name == "flow":
            return FlowListener(rate, channels, session.chain(strip_id))
        if name == "levels":
            return LevelsListener(rate, channels)
        meter = gammatone.meter if name.endswith("gammatone powers") else masking.BandPowerMeter
        return PowersListener(meter(rate, 1 if name == "middle powers" else channels), entering=name in ENTERING)

    def keep_on_disk(self, session: Session) -> None:
        """Writes what is known of a session's flow, so that it is known when it is opened again."""
        for want in self.flow_wants(session):
            fingerprint = self._fingerprint(session, want)
            value = self.pages.get(want[0], VERSIONS[want[0]], fingerprint) if fingerprint is not None else None
            if fingerprint is not None and value is not None:
                on_disk.keep(want[0], VERSIONS[want[0]], fingerprint, value)
        on_disk.make_room()

    # What is asked for most.

    def flow_wants(self, session: Session) -> list[Want]:
        """What the flow of a session is put together from."""
        prints = self.fingerprints(session)
        wanted: list[Want] = [("levels", MIX), ("flow", MIX)]
        wanted += [
            ("flow", s.id) for s in session.strips if (s.chain or s.id not in prints.opened) and s.id in prints.strips
        ]
        return wanted

    def known_flow(self, session: Session) -> Flow | None:
        """The flow if all of it is known; None too where there is nothing to hear."""
        mix = self.known(session, ("levels", MIX))
        if mix is None:
            return None
        strips = {
            strip_id: found
            for name, strip_id in self.flow_wants(session)
            if name == "flow" and (found := self.known(session, (name, strip_id))) is not None
        }
        return Flow(mix, strips) if len(strips) + 1 == len(self.flow_wants(session)) else None

    def sound(
        self, session: Session, strip_id: str, *, cancelled: threading.Event | None = None, workers: int = WORKERS
    ) -> Frames:
        """A strip's sound behind its chain, by song frame."""
        prints = self.fingerprints(session)
        if (
            strip_id in prints.opened
            and not has_clip_gain(session.lane(strip_id))
            and all(station.bypass and not station.matched_db for station in session.chain(strip_id))
        ):
            start = round(session.lane(strip_id).start_s * session.sample_rate)
            return _Placed(prints.opened[strip_id], start, prints.song_frames)
        self.hear(session, [("sound", strip_id)], cancelled=cancelled, workers=workers)
        known: Frames | None = self.known(session, ("sound", strip_id))
        if known is not None:
            return known
        hand = _InMemory()  # no room to keep it
        plan = make_plan(session, self.sources, goals=[strip_id])
        one_pass(plan, {strip_id: [hand]}, cancelled=cancelled, workers=workers)
        return _Placed(hand.result(), 0, prints.song_frames)


def _is_sum(strip: StripPlan) -> bool:
    """Whether what comes into its chain is worth keeping: so much is added up there, and chains are tried on it."""
    return strip.source is None and len(strip.feeds) > 1 and (strip.id == MIX or bool(strip.stations))


class _Placed:
    """A file where it lies in the song."""

    def __init__(self, source: Frames, start_frame: int, frames: int) -> None:
        self.channels, self.frames = source.channels, frames
        self._source, self._start = source, start_frame

    def read(self, start: int, frames: int) -> Samples:
        return self._source.read(start - self._start, frames)


class _InMemory(heard.Deaf):
    """Holds what leaves."""

    def __init__(self) -> None:
        self._parts: list[NDArray[np.float32]] = []

    def left(self, block: NDArray[np.float64]) -> None:
        self._parts.append(block.astype(np.float32))

    def result(self) -> "_InMemory":
        whole = np.concatenate(self._parts) if self._parts else np.zeros((0, 2), dtype=np.float32)
        self._sound, self.frames, self.channels = whole, len(whole), whole.shape[1]
        return self

    def read(self, start: int, frames: int) -> Samples:
        result = np.zeros((frames, self.channels), dtype=np.float32)
        first, stop = max(0, start), min(start + frames, self.frames)
        if stop > first:
            result[first - start : stop - start] = self._sound[first:stop]
        return result


def flow_of(session: Session, sources: Opened, *, cancelled: threading.Event | None = None) -> Flow:
    """The flow of a session that is rendered only once."""
    book = Book(sources, kept=KeptSounds(0))
    book.hear(session, book.flow_wants(session), cancelled=cancelled)
    flow = book.known_flow(session)
    return flow if flow is not None else Flow(silence(session), {})


def silence(session: Session) -> TrackMeasures:
    return LevelsListener(session.sample_rate, 2).result()
