"""The desk's ears: the player, which state it plays, and comparing two at the same loudness."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from msgspec.structs import replace

from all_even.app.desk.outputs import Outputs
from all_even.app.work import Line, Report
from all_even.audio.device import Device, Fill
from all_even.session.editing import edits
from all_even.session.editing.edits import NOW
from all_even.session.model import audible
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane, MixSettings

if TYPE_CHECKING:
    from all_even.app.desk.figures import DeskFigures
    from all_even.app.desk.moves import DeskMoves
    from all_even.app.desk.state import DeskState
    from all_even.engine.plan import Plan
    from all_even.engine.playing.player import Player
    from all_even.figures.book.look import Look

Loudness = dict[str, tuple[float | None, float | None]]
"""Of each state: integrated loudness in LUFS, sample peak in dBFS."""
Made = Callable[["Look"], "tuple[Plan, float]"]
"""Makes what is to be heard off the interface thread: its plan, and a gain in dB."""
OpenDevice = Callable[[int, Fill], tuple[Device, str | None]]
MATCHING = "Measuring both for the same loudness"
ASIDE = "a letter"
"""What is heard in a blind comparison."""
MOST_RAISED_DB = 6.0
"""What is quieter with a move is raised to match, by no more than this..."""
HIGHEST_PEAK_DBFS = -1.0
"""...and never so far that a peak passes this."""


@dataclass(frozen=True, slots=True)
class Hearing:
    """Which state is heard: `now`, a snapshot's name, or a move's title; matched_db: what level matching changed."""

    name: str = NOW
    matched_db: float = 0.0


class Ears:
    """Lives in the interface thread; plans are made off it."""

    def __init__(
        self, desk: "DeskState", figures: "DeskFigures", moves: "DeskMoves", open_device: OpenDevice | None
    ) -> None:
        self._desk, self._figures, self._moves = desk, figures, moves
        self.outputs = Outputs(desk)
        self._open_device = open_device or self.outputs.open
        self.known_player: Player | None = None
        self.hearing = Hearing()
        self._plan_again = False
        self._held: str | None = None
        """The move that is being held to be heard."""

    @property
    def player(self) -> "Player":
        """Made on first use: the start page needs no sound."""
        if self.known_player is None:
            from all_even.engine.playing.player import Player

            self.known_player = Player(self._open_device)
        return self.known_player

    @property
    def playing(self) -> bool:
        return self.known_player is not None and self.known_player.playing

    # The output.

    @property
    def lost(self) -> str | None:
        """The name of the output that was lost while it played; None where none is."""
        lost = self.known_player.lost if self.known_player is not None else None
        return lost.name if lost is not None else None

    @property
    def lost_is_back(self) -> bool:
        lost = self.known_player.lost if self.known_player is not None else None
        return lost is not None and lost.there

    def choose_output(self, key: str) -> None:
        """Plays there from now on; what plays goes on there, from silence up."""
        self.outputs.choose(key)
        self.reopen()
        self._desk.said.emit(f"Output: {self.outputs.chosen.name}.")

    def choose_buffer(self, frames: int) -> None:
        self.outputs.choose_buffer(frames)
        self.reopen()

    def reopen(self) -> None:
        """Opens the chosen output anew, as after a loss."""
        if self.known_player is not None:
            self.known_player.reopen()

    def plan(self, session: Session | None = None) -> "Plan | None":
        """The plan of a session (the present one), or None while its files are being opened."""
        sources = self._figures.sources
        if sources is None:
            return None
        from all_even.engine.planning import make_plan

        return make_plan(session or self._desk.session, sources)

    def toggle_play(self) -> None:
        desk = self._desk
        if not desk.is_open:
            return
        if self._figures.sources is None:
            if not desk.work.busy("sources") and not desk.work.busy("measure"):
                self._figures.open_sources()  # it was stopped before
            desk.said.emit("Nothing to play yet: the files are still being opened.")
            return
        if self.player.asked:
            self.player.stop()
        else:
            self.player.play()

    def play_from(self, seconds: float) -> None:
        """Goes there and plays, if it does not play already."""
        self.player.locate(seconds)
        if not self.player.asked:
            self.toggle_play()

    def send_plan(self) -> None:
        """Gives the player the present session. While one plan is made, the next waits: none is dropped for ever."""
        desk = self._desk
        sources = self._figures.sources
        if sources is None or not desk.is_open:
            return
        if desk.work.busy("plan"):
            self._plan_again = True
            return
        session = desk.session

        def job(_report: Report) -> "Plan":
            from all_even.engine.planning import make_plan

            return make_plan(session, sources)

        def done(plan: "Plan") -> None:
            if self.hearing.name == NOW:
                self.player.set_plan(plan)
            if self._plan_again:
                self._plan_again = False
                self.send_plan()

        self._plan_again = False
        desk.start("plan", job, done, line="quick")

    def send_loop(self) -> None:
        if self._figures.sources is None:
            return
        loop = self._desk.session.loop
        self.player.set_loop((loop.start_s, loop.end_s) if loop is not None and loop.active else None)

    def hear_now(self) -> None:
        """Back to the present state, where another one was heard."""
        self._held = None
        if self.hearing.name != NOW:
            self.hearing = Hearing()
            self.send_plan()
            self._desk.hearing_changed.emit()

    def hear_snapshot(self, first: str, second: str) -> None:
        """Switches between two states (`now` or snapshot names), the louder lowered to the other's loudness."""
        wanted = second if self.hearing.name == first else first
        states = {name: self._state(name) for name in (first, second)}

        def matched(loudness: Loudness) -> float:
            known = [lufs for lufs, _ in loudness.values() if lufs is not None]
            own = loudness[wanted][0]
            return min(known) - own if own is not None and known else 0.0

        self._hear(wanted, lambda look: _at_a_level(look, states, wanted, matched), saying=MATCHING)

    def _state(self, name: str) -> Session:
        session = self._desk.session
        return session if name == NOW else edits.recall_snapshot(session, name)

    def hold_move(self, proposal: Proposal) -> None:
        """Lets a move be heard as long as it is held, as loud as without it."""
        if self._begin_to_hold(proposal.id):
            self._moves.prepare(proposal, lambda _found, made: self._hear_matched(proposal.title, made, proposal.id))

    def hold_state(self, shown: str, session: Session) -> None:
        """Lets another state be heard as long as it is held, at its own level."""
        from all_even.engine.planning import make_plan

        if self._begin_to_hold(shown):
            self._hear(
                shown, lambda look: (make_plan(session, look.book.sources), 0.0), name="hold", held=shown, line="quick"
            )

    def hold_matched(self, shown: str, session: Session) -> None:
        """Lets another state be heard as long as it is held, as loud as the present one."""
        if self._begin_to_hold(shown):
            self._hear_matched(shown, session, shown)

    def hold(self, shown: str, made: Made) -> None:
        """Lets something else be heard as long as it is held. made: a UserError of it is said."""
        if self._begin_to_hold(shown):
            self._hear(shown, made, saying=f"Getting ready: {shown}", held=shown)

    def _begin_to_hold(self, key: str) -> bool:
        """Starts playing where nothing plays; whether there is anything to hear yet."""
        if not self._desk.is_open or self._figures.sources is None:
            self._desk.said.emit("Nothing to hear yet: the files are still being opened.")
            return False
        self._held = key
        if not self.player.asked:
            self.player.play()
        return True

    def _hear_matched(self, shown: str, session: Session, held: str) -> None:
        states = {"without": self._desk.session, "with": session}
        if self._held == held:
            self._hear(
                shown, lambda look: _at_a_level(look, states, "with", _as_loud_as_without), saying=MATCHING, held=held
            )

    def play_aside(self, plan: "Plan", gain_db: float) -> None:
        """Plays something else until `hear_now`, whose name nobody is to see; starts playing where nothing plays."""
        if not self.player.asked:
            self.player.play()
        self._held = ASIDE
        self._play(Hearing(ASIDE), plan, gain_db)

    def play_alone(self, lane_id: str, start_s: float, end_s: float, gain_db: float) -> None:
        """Plays one file as it was recorded, round and round between two times of the song, until `hear_now`."""
        desk, sources = self._desk, self._figures.sources
        if sources is None or not desk.is_open:
            desk.said.emit("Nothing to hear yet: the files are still being opened.")
            return
        lane = desk.session.lane(lane_id)
        alone = replace(
            desk.session, buses=(), folder_groups=(), mix=MixSettings(),
            lanes=(Lane(id=lane.id, name=lane.name, folder=lane.folder, file=lane.file, take=lane.take,
                        start_s=lane.start_s),),
        )  # fmt: skip
        self._held = lane_id

        def job(_report: Report) -> "Plan":
            from all_even.engine.planning import make_plan

            return make_plan(alone, sources)

        def done(plan: "Plan") -> None:
            if desk.is_open and self._held == lane_id:
                self.player.set_loop((start_s, end_s))
                self.player.locate(start_s)
                self._play(Hearing(f"{lane.name} alone"), plan, gain_db)
                if not self.player.asked:
                    self.player.play()

        desk.start("alone", job, done, line="quick")

    def end_alone(self, *, stop: bool) -> None:
        """Back to the session, its loop and, where nothing played before, to silence."""
        if self._desk.is_open:
            if stop and self.known_player is not None:
                self.player.stop()
            self.hear_now()
            self.send_loop()

    @property
    def held(self) -> str | None:
        """What is held to be heard."""
        return self._held

    def release_move(self) -> None:
        """Back to the session without the move."""
        self.hear_now()

    def _hear(
        self, shown: str, made: Made, *,
        name: str = "compare", saying: str = "", held: str | None = None, line: Line = "long",
    ) -> None:  # fmt: skip
        """Plays what `made` finds off this thread, unless it was let go or the session changed meanwhile."""
        desk, asked = self._desk, self._desk.session

        def done(found: "tuple[Plan, float]") -> None:
            if desk.is_open and held in (None, self._held) and not audible.differs(asked, desk.session):
                self._play(Hearing(shown, found[1]), *found)

        self._figures.find(name, made, done, saying=saying, line=line)

    def _play(self, hearing: Hearing, plan: "Plan", gain_db: float) -> None:
        self.hearing = hearing
        self.player.set_plan(plan, 10.0 ** (gain_db / 20.0))
        self._desk.hearing_changed.emit()

    def clear(self) -> None:
        self._held = None
        self._plan_again = False
        self.hearing = Hearing()
        if self.known_player is not None:
            self.known_player.stop()
            self.known_player.set_plan(None)

    def close(self) -> None:
        if self.known_player is not None:
            self.known_player.close()
            self.known_player = None


def _at_a_level(
    look: "Look", states: dict[str, Session], wanted: str, matched: Callable[[Loudness], float]
) -> "tuple[Plan, float]":
    """The plan of one of some states, and the gain in dB that `matched` finds from loudness and peak of each."""
    from all_even.engine.planning import make_plan

    mixes = {name: look.at(state).mix for name, state in states.items()}
    gain_db = matched({
        name: (mix.integrated_lufs, mix.sample_peak_dbfs) if mix is not None else (None, None)
        for name, mix in mixes.items()
    })  # fmt: skip
    return make_plan(states[wanted], look.book.sources), gain_db


def _as_loud_as_without(loudness: Loudness) -> float:
    """The change in dB that brings `with` to the loudness of `without`."""
    with_lufs, peak = loudness["with"]
    without_lufs, _ = loudness["without"]
    if with_lufs is None or without_lufs is None:
        return 0.0
    raised = min(without_lufs - with_lufs, MOST_RAISED_DB)
    return raised if peak is None or raised <= 0.0 else max(0.0, min(raised, HIGHEST_PEAK_DBFS - peak))
