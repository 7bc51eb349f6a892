"""How quick the window is under the hand: an edit with 96 lanes, a change of stage, a folder of 120 files.

Measured in the real window, drawn off the screen. An edit is one call on the interface thread: what the hand has to
wait for. Nothing is rendered beforehand: every lane is given the measures of one.
"""

import json
import os
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from all_even import stages
from all_even.audio.device import SimulatedDevice
from all_even.audio.writing import write_sound
from all_even.cli.benchmarks.full_strip import BUSES, bus_compressor, full_lane
from all_even.engine.sources import Sources
from all_even.figures.book.book import Book
from all_even.figures.book.flow import Flow
from all_even.figures.book.kept import KeptSounds
from all_even.session.editing import edits
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Bus

if TYPE_CHECKING:
    from all_even.app.desk import Desk

RATE = 48_000
LANES, SONG_S = 96, 240
FILES, FILE_S = 120, 4
EDITS = 24
TURN_MS, PLAYED_S, ROWS_PLAYED_S = 5, 5.0, 15.0
LONGEST_WAIT_S = 600.0


def many_lanes(folder: Path, lanes: int = LANES, song_s: float = SONG_S) -> Session:
    """High-pass, six bands, compressor and two sends on every lane; four buses. All lanes read one file."""
    rng = np.random.default_rng(0)
    frames = round(song_s * RATE)
    swell = np.abs(np.sin(np.arange(frames) / RATE * 0.7))
    sound = (0.1 * swell * rng.standard_normal(frames)).astype(np.float32)[:, np.newaxis]
    write_sound(folder / "one.wav", [sound], sample_rate=RATE, channels=1)
    buses = tuple(Bus(id=bus_id, name=f"Bus {i}", chain=(bus_compressor(i),)) for i, bus_id in enumerate(BUSES))
    roles = ("kick", "snare top", "bass DI", "guitar", "piano", "trumpet", "violin", "lead voice")
    found = tuple(full_lane(i, "one.wav", level_db=-24.0, role=roles[i % len(roles)]) for i in range(lanes))
    return Session(name="Many", sample_rate=RATE, folders=(Folder(path=str(folder)),), lanes=found, buses=buses)


def flow_like_one(session: Session) -> Flow:
    """The flow of a session whose lanes all sound alike, from one of them and the buses."""
    few = replace(session, lanes=session.lanes[:1])
    sources = Sources()
    sources.update(few)
    book = Book(sources, kept=KeptSounds(0))
    book.hear(few, book.flow_wants(few))
    flow = book.known_flow(few)
    assert flow is not None
    own = flow.strips[session.lanes[0].id]
    return Flow(flow.mix, {**flow.strips, **{lane.id: own.said_of(lane.chain) for lane in session.lanes}})


class Stage:
    """A window off the screen, and waiting for it."""

    def __init__(self) -> None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from all_even.app.desk import Desk
        from all_even.app.starting.start import make_application
        from all_even.app.window import MainWindow

        self.app = make_application()
        self.desk: Desk = Desk(lambda rate, fill: (SimulatedDevice(rate, fill), None))
        self.window: MainWindow = MainWindow(self.desk)
        self.window.show()

    def paint(self) -> None:
        for _ in range(3):
            self.app.processEvents()

    def wait(self, condition: Callable[[], bool]) -> None:
        end = time.monotonic() + LONGEST_WAIT_S
        while not condition():
            if time.monotonic() > end:
                raise TimeoutError("the window did not become ready")
            self.app.processEvents()
            time.sleep(0.001)

    def open_many(self, session: Session) -> None:
        """Puts the session on the desk with everything known that would be measured."""
        desk = self.desk
        flow = flow_like_one(session)
        desk.documents.take(session, None)
        self.wait(lambda: desk.figures.sources is not None and not desk.work.busy("sources"))
        desk.work.cancel("figures")
        desk.figures.flow, desk.figures.stale = flow, False
        desk.mix_measured.emit()
        self.wait(lambda: not desk.work.busy("arrivals"))
        self.paint()

    def close(self) -> None:
        self.window.close()


def _edits(desk: "Desk") -> list[Callable[[Session], Session]]:
    """What hands do most: a fader, a pan, a bus' fader, a station, a mute, a name."""
    from all_even.session.editing import chain_edits

    lane, bus = desk.session.lanes[7].id, desk.session.buses[0].id
    return [
        lambda s: edits.change_strips(s, [lane], level_db=s.lane(lane).level_db + 0.1),
        lambda s: edits.change_strips(s, [lane], pan=s.lane(lane).pan + 0.01),
        lambda s: edits.change_strips(s, [bus], level_db=s.bus(bus).level_db + 0.1),
        lambda s: chain_edits.change_station(s, lane, "h7", frequency_hz=s.lane(lane).chain[0].frequency_hz + 1.0),
        lambda s: edits.change_strips(s, [lane], mute=not s.lane(lane).mute),
        lambda s: edits.change_strips(s, [lane], name=f"Name {len(s.ledger)}"),
    ]


def time_edits(stage: Stage, count: int = EDITS) -> dict[str, float]:
    """Median seconds of one edit call, by stage."""
    desk, found = stage.desk, {}
    for key in stages.all_keys():
        desk.set_stage(key)
        stage.paint()
        taken = []
        for index in range(count):
            edit = _edits(desk)[index % 6]
            start = time.perf_counter()
            desk.edit(edit)
            taken.append(time.perf_counter() - start)
            desk.work.cancel("figures")  # 96 lanes are not to be rendered here
            stage.paint()
        found[key] = statistics.median(taken)
    return found


def time_stages(stage: Stage) -> float:
    """The longest time from asking for a stage until it is painted, each shown before."""
    desk, longest = stage.desk, 0.0
    for _ in range(2):
        longest = 0.0
        for key in stages.all_keys():
            start = time.perf_counter()
            desk.set_stage(key)
            stage.window.repaint()
            stage.app.processEvents()
            longest = max(longest, time.perf_counter() - start)
            desk.work.cancel("figures")
            stage.wait(lambda: not desk.work.busy("arrivals"))
    return longest


def time_rows(stage: Stage, repeats: int = 12) -> dict[str, float]:
    """Median seconds of a scroll by a page, a selection and a fold of everything, each until it is painted; the longest
    over the stages, with small rows by family: the most rows in view."""
    from all_even.app.lanes.arrangement import Arrangement

    assert stage.window.workbench is not None
    view, desk = stage.window.workbench.lanes, stage.desk
    view.laying.set_row_size("small")
    found: dict[str, float] = {}
    for key in stages.all_keys():
        desk.set_stage(key)
        view.laying.arrange(Arrangement(nesting="families"))
        stage.paint()
        desk.work.cancel("figures")
        lanes = [lane.id for lane in desk.session.lanes]

        def scroll(turn: int) -> None:
            view.scroll_bar.setValue(view.scroll_bar.maximum() if turn % 2 else 0)

        def select(turn: int, lanes: list[str] = lanes) -> None:
            desk.select((lanes[turn % 8],))

        def fold(_turn: int) -> None:
            view.laying.arrange(view.laying.arrangement.fold_all(desk.session))

        for name, act in (("scroll", scroll), ("select", select), ("fold", fold)):
            taken = []
            for turn in range(repeats):
                start = time.perf_counter()
                act(turn)
                stage.paint()
                taken.append(time.perf_counter() - start)
            found[name] = max(found.get(name, 0.0), statistics.median(taken))
        desk.work.cancel("figures")
    view.laying.arrange(Arrangement())
    view.laying.set_row_size("middle")
    return found


def play_and_paint(stage: Stage) -> tuple[int, int, float]:
    """(blocks that came too late, blocks played, pictures of the rows a second) while all tracks play for some seconds
    with the window open at Balance, small rows, as the program takes turns."""
    from all_even.app.starting.start import share_time
    from all_even.app.timers import pictures_during
    from all_even.audio.device import BLOCK_FRAMES

    share_time()
    assert stage.window.workbench is not None
    view, desk = stage.window.workbench.lanes, stage.desk
    desk.set_stage("balance")
    view.laying.set_row_size("small")
    desk.work.cancel("figures")
    stage.paint()
    desk.player.play()
    stage.wait(lambda: desk.player.playing and desk.player.meters() is not None)
    late = desk.player.underruns
    pictures = pictures_during(view.area, ROWS_PLAYED_S)
    late = desk.player.underruns - late
    desk.player.stop()
    stage.wait(lambda: not desk.player.playing)
    view.laying.set_row_size("middle")
    return late, round(ROWS_PLAYED_S * RATE / BLOCK_FRAMES), pictures / ROWS_PLAYED_S


def time_folder(stage: Stage, folder: Path) -> float:
    """From opening a folder of many files, all measured before, until every lane shows its measures."""
    desk = stage.desk
    rng = np.random.default_rng(1)
    for index in range(FILES):
        sound = (0.1 * rng.standard_normal(FILE_S * RATE)).astype(np.float32)[:, np.newaxis]
        write_sound(folder / f"track {index:03d}.wav", [sound], sample_rate=RATE, channels=1)
    taken = 0.0
    for _ in range(2):  # the first time fills the cache
        stage.window.close_session()
        start = time.perf_counter()
        desk.documents.open_folder(folder)
        stage.wait(lambda: desk.is_open and len(desk.reports) == FILES)
        stage.paint()
        taken = time.perf_counter() - start
        desk.work.cancel("sources")
        desk.work.cancel("figures")
    return taken


RIDE_POINTS, RIDE_FRAMES, RIDE_WORDS = 10_000, 40, 120


def _line(place: int) -> Any:
    """A line of 120 words over its backing, every second lane one without words."""
    from all_even.app.stages.rides.shown import line_of
    from all_even.figures.rides.rides import Riding
    from all_even.measure.rides.phrases import Spans

    rng = np.random.default_rng(place)
    relation = rng.normal(0.0, 3.0, SONG_S * 23)
    if place % 2:
        return line_of(None, relation, 1.0 / 23.0)
    starts = np.linspace(1.0, SONG_S - 2.0, RIDE_WORDS)
    numbers = np.arange(RIDE_WORDS)
    words = Spans(starts, starts + 0.7)
    riding = Riding(words, rng.normal(-8.0, 3.0, RIDE_WORDS), rng.random(RIDE_WORDS), numbers, numbers // 30, None)
    return line_of(riding, relation, 1.0 / 23.0)


def time_rides(stage: Stage) -> tuple[float, float]:
    """Seconds to paint Rides anew, lanes and bench, with 10,000 points of automation on each of 96 lanes; and of one
    edit that moves one of them, until it is painted."""
    from all_even.session.editing import ride_edits

    desk, window = stage.desk, stage.window
    at = np.linspace(0.0, SONG_S, RIDE_POINTS)

    def ridden(session: Session) -> Session:
        for index, lane in enumerate(session.lanes):
            values = -24.0 + 3.0 * np.sin(at * (1.0 + 0.1 * index))
            points = list(zip(at.tolist(), values.tolist(), strict=True))
            session = ride_edits.set_curve(session, lane.id, "level_db", points)
        return session

    window.resize(1280, 800)
    desk.edit(ridden)
    desk.work.cancel("figures")
    desk.set_stage("rides")
    desk.select((desk.session.lanes[7].id,))
    assert window.workbench is not None
    bench: Any = window.workbench.bench.of("rides")
    for place, lane in enumerate(desk.session.lanes):
        bench.shown.lines[lane.id] = _line(place)
    bench.shown.changed.emit()
    stage.paint()
    desk.work.cancel("figures")  # 96 lanes are not to be rendered here
    stage.wait(lambda: not desk.work.busy("arrivals"))
    painted, edited = [], []
    for index in range(RIDE_FRAMES):
        start = time.perf_counter()
        window.workbench.lanes.forget_pictures()
        bench.drawing.renew()
        window.workbench.lanes.area.repaint()
        bench.drawing.repaint()
        painted.append(time.perf_counter() - start)
        start = time.perf_counter()
        bench.drawing.chosen = 5000
        bench.drawing.nudge((-1.0) ** index)
        window.workbench.lanes.area.repaint()
        bench.drawing.repaint()
        edited.append(time.perf_counter() - start)
        desk.work.cancel("figures")
    return statistics.median(painted), statistics.median(edited)


class Pauses:
    """The longest time between two turns of the event loop, by what is being done."""

    def __init__(self, stage: Stage) -> None:
        from all_even.app.timers import timer

        self._stage = stage
        self.longest_ms: dict[str, float] = {}
        self._last = time.perf_counter()
        self._timer = timer(stage.window, TURN_MS, self._turn)
        self._phase = ""

    def _turn(self) -> None:
        now = time.perf_counter()
        late_ms = 1000.0 * (now - self._last) - TURN_MS
        self._last = now
        if self._phase:
            self.longest_ms[self._phase] = max(self.longest_ms.get(self._phase, 0.0), late_ms)

    def during(self, phase: str, condition: Callable[[], bool]) -> None:
        """Turns the loop until a condition holds."""
        self._phase, self._last = phase, time.perf_counter()
        self._timer.start()
        self._stage.wait(condition)
        self._timer.stop()
        self._phase = ""


def time_pauses(folder: Path) -> dict[str, float]:
    """Longest pause in ms while a folder opens, is measured, and plays for five seconds."""
    from all_even.app.starting.start import preload, share_time

    share_time()
    stage = Stage()
    desk, window = stage.desk, stage.window
    window.prepare(preload())
    stage.wait(lambda: window.prepared)
    pauses = Pauses(stage)
    desk.documents.open_folder(folder)
    pauses.during("opening", lambda: desk.is_open)
    pauses.during("measuring", lambda: desk.idle)
    desk.ears.toggle_play()
    until = time.monotonic() + PLAYED_S
    pauses.during("playing", lambda: time.monotonic() > until)
    stage.close()
    return pauses.longest_ms


if __name__ == "__main__":
    print(json.dumps(time_pauses(Path(sys.argv[1]))), flush=True)
    os._exit(0)
