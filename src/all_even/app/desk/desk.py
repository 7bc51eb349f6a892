"""The desk: what all views read and tell.

Widgets read `desk.session` and call `desk.edit`; they learn of changes by one signal with the old
and the new session. Everything slow goes through `desk.work`. Its parts: `documents` open and save, `figures` measure,
`moves` propose, make and check, `ears` play.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from all_even.app.desk.documents import Documents
from all_even.app.desk.ears import Ears, Hearing, OpenDevice
from all_even.app.desk.figures import DeskFigures
from all_even.app.desk.moves import DeskMoves
from all_even.app.desk.state import DeskState
from all_even.session.model import audible
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

if TYPE_CHECKING:
    from all_even.engine.plan import Plan
    from all_even.engine.playing.player import Player
    from all_even.engine.sources import Sources
    from all_even.figures.book.flow import Flow
    from all_even.measure.recording.files import FileReport
    from all_even.measure.recording.track import TrackMeasures


class Desk(DeskState):
    """The state and its parts, and what views read most of them."""

    def __init__(self, open_device: OpenDevice | None = None) -> None:
        super().__init__()
        self.figures = DeskFigures(self, lambda: self.ears.playing)
        self.moves = DeskMoves(self, self.figures)
        self.ears = Ears(self, self.figures, self.moves, open_device)
        self.documents = Documents(self, self.figures, self.moves, self.close_session)
        self.figures.follow(self.moves)
        self.figures.opened.connect(self.ears.send_plan)
        self.figures.opened.connect(self.ears.send_loop)

    def set_stage(self, stage: str) -> None:
        other = stage != self.stage
        super().set_stage(stage)
        if other:
            self.figures.look_again()

    def _before_telling(self, old: Session, new: Session) -> None:
        self.ears.hear_now()
        self.figures.stale |= audible.differs(old, new)

    def _after_telling(self, old: Session, new: Session) -> None:
        reads = {lane.id: _reads(lane) for lane in old.lanes}
        reread = [lane.id for lane in new.lanes if reads.get(lane.id) != _reads(lane)]
        if reread:
            self.figures.forget(reread)
            self.figures.measure_lanes()
        if audible.differs(old, new):
            self.ears.send_plan()
        self.figures.renew_soon()
        if old.loop != new.loop:
            self.ears.send_loop()

    def close_session(self) -> None:
        """Lets go of the session; the player stops. What was not saved stays in its recovery copy.

        Whatever is being done for it is dropped, except a save: that completes, for its own file.
        """
        self.documents.let_go()
        self.ears.clear()
        self.figures.clear()
        self.moves.clear()
        self.selected = ()

    def close(self) -> None:
        """Ends threads; called once when the window closes."""
        self.documents.stop()
        self.close_session()
        self.work.close()  # a recovery copy that is being written is waited for
        self.ears.close()

    # What views read most.

    @property
    def hearing(self) -> Hearing:
        """Which state is heard."""
        return self.ears.hearing

    @property
    def player(self) -> "Player":
        return self.ears.player

    @property
    def sources(self) -> "Sources | None":
        """The opened files; None while they are being opened."""
        return self.figures.sources

    def plan(self, session: Session | None = None) -> "Plan | None":
        """The plan of a session (the present one), or None while its files are being opened."""
        return self.ears.plan(session)

    @property
    def reports(self) -> "Mapping[str, FileReport]":
        """Measured files by lane id."""
        return self.figures.reports

    def report(self, lane_id: str) -> "FileReport | None":
        return self.figures.reports.get(lane_id)

    def measures(self, lane_id: str) -> "TrackMeasures | None":
        report = self.figures.reports.get(lane_id)
        return report.measures if report else None

    @property
    def flow(self) -> "Flow | None":
        """Levels on the way and at the faders, as they were measured last."""
        return self.figures.flow

    @property
    def mix(self) -> "TrackMeasures | None":
        """The figures of the mix, as it was measured last."""
        return self.figures.flow.mix if self.figures.flow is not None else None

    @property
    def mix_stale(self) -> bool:
        """Whether the mix changed since it was measured."""
        return self.figures.stale

    @property
    def idle(self) -> bool:
        """Whether everything that is measured by itself is up to date."""
        return self.is_open and not self.work.busy() and not self.figures.pending

    def song_s(self) -> float:
        """Length of the song in seconds, as far as its files have been measured."""
        return self.figures.song_s()


def _reads(lane: Lane) -> tuple[object, ...]:
    return lane.file, lane.take, lane.folder
