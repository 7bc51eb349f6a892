"""The low end's bench: its figures before and now, and three close looks: one hit with the duck, clearings, notes."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.viewed import ViewedBench
from all_even.app.bench.without import Without
from all_even.app.desk import Desk
from all_even.app.stages.low_end.beat_drawing import BeatDrawing
from all_even.app.stages.low_end.figures_panel import FiguresPanel
from all_even.app.stages.low_end.links import Links
from all_even.app.stages.low_end.small_beats import SmallBeats
from all_even.app.stages.low_end.views_drawings import ClearingsDrawing, NotesDrawing
from all_even.app.stages.low_end.waves_drawing import WavesDrawing
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.app.work import Report
from all_even.dsp.parameter import time_text
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.moves.low_end.ducks.beat import Beat
    from all_even.moves.low_end.ducks.duck import Fitted
    from all_even.moves.low_end.guards import Offer

MORE_HEIGHT = 104
MEASURING = "Kick and bass are being measured; the ways to duck follow …"
NOTHING = "There is no kick with hits, or no bass, in this mix."
VIEWS = (
    ("One hit", "Kick, bass and duck over one hit, all ways to duck beside it"),
    ("EQ cuts", "Spectra of kick and bass, the zone of what leads the low end, and EQ cuts"),
    ("Waves", "Whether kick and bass add up or cancel, hit by hit"),
    ("Notes", "How differently loud the notes of a bass are"),
)
USABLE = frozenset({"keyed", "keyed_click", "keyed_high_pass", "band", "drawn", "timeline", "pulse"})
LEAD_IN_S = 0.5
"""Before a hit that is heard."""
LIGHTER = 0.5
"""Chords and groups that are linked begin with this share of the depth."""


class LowEndBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.fitted: Fitted | None = None
        self.offer: Offer | None = None
        self._name, self._numbers = "", {}  # type: str, dict[str, float]
        self._by_hand = False
        self._document: object = None
        self._beat: Beat | None = None
        self._again = False
        self.known: Any = None
        row = layouts.row(self, margins=layouts.BENCH, spacing=14)
        self.figures = FiguresPanel(self.set_owner, self._set_weight)
        self.figures.setFixedWidth(252)
        row.addWidget(self.figures)
        row.addLayout(self._views(), 1)
        self.beat.landmark_moved.connect(self._drag)
        self.beat.released.connect(self._let_go)
        self.small.chosen.connect(self.choose)

    def _views(self) -> QVBoxLayout:
        self.beat, self.small = BeatDrawing(), SmallBeats()
        self.clearings, self.notes, self.waves = ClearingsDrawing(), NotesDrawing(), WavesDrawing()
        self.waves.chosen.connect(lambda at_s: self.desk.ears.play_from(max(0.0, at_s - LEAD_IN_S)))
        hit = QWidget()
        hit_row = layouts.row(hit, margins=layouts.NONE, spacing=8)
        hit_row.addWidget(self.beat, 3)
        hit_row.addWidget(self.small, 1)
        bar = self.make_views(VIEWS, (hit, self.clearings, self.waves, self.notes))
        bar.addStretch(1)
        self.links = Links(self.desk)
        bar.addWidget(self.links)
        self.link = fields.button(
            "Duck another track",
            "The selected track or group follows the duck's shape too, at its own depth (Shift+L)",
            self.link_selected,
        )  # fmt: skip
        self.hear = HoldButton(
            "Hear", "Hold to hear the mix with this duck, as loud as without", self._hold, self.desk.ears.release_move,
            "ear",
        )  # fmt: skip
        self.use = fields.button("Use", "Duck the basses this way; undo takes it back", self._use, role="main")
        for widget in (self.link, self.hear, self.use):
            bar.addWidget(widget)
        self.only_with(0, self.link, self.hear, self.use, self.links)
        return self.under_bar(bar)

    # What is shown.

    def fit(self, narrow: bool) -> None:
        self.small.setFixedWidth(200 if narrow else 244)
        self.links.setVisible(not narrow)

    def _begin(self) -> None:
        """Another song: nothing of the last one is shown any more."""
        self._document, self._by_hand, self._name = self.desk.document, False, ""
        self.look_anew()
        self.known = None
        self._show_fit(None)
        self._show_clearings(None)
        self._show_waves(None)
        self._show_notes(None)

    def refresh(self) -> None:
        desk = self.desk
        if self._document is not desk.document:
            self._begin()
        self.figures.show_settings(desk.session.settings)
        self._show_figures(self.known)  # in the colours of the present theme
        self.links.refresh()
        self.look_at("low figures", _figures, self._show_figures)
        shown = self.stack.currentIndex()
        if shown == 0:
            self.look_at("duck fit", _fitted, self._show_fit, line="long")
        elif shown == 1:
            self.look_at("clearings", _clearings, self._show_clearings, line="long")
        elif shown == 2:
            self.look_at("waves", _waves, self._show_waves, line="quick")
        else:
            lane = desk.current_lane
            self.look_at("bass notes", partial(_notes, lane), self._show_notes, also=lane, line="long")

    def _show_figures(self, found: Any) -> None:
        self.known = found
        now, before = found or (None, None)
        self.figures.show_figures(now, before, self.desk.mix_stale)

    def _show_waves(self, found: Any) -> None:
        self.waves.show_waves(found, MEASURING if self.desk.mix_stale else NOTHING)

    def _show_clearings(self, found: Any) -> None:
        self.clearings.show_clearings(found, MEASURING if self.desk.mix_stale else NOTHING)

    def _show_notes(self, found: Any) -> None:
        waiting = MEASURING if self.desk.mix_stale else "No bass here has four notes under 85 Hz."
        self.notes.show_notes(found, waiting)

    # The duck.

    def _show_fit(self, found: Any) -> None:
        """A new fit, and what is recommended of it: what stands in the session is shown, else what was set by hand,
        else what is recommended, else the best."""
        from all_even.moves.low_end.ducks.duck import best_of

        fit, self.offer = found or (None, None)
        self.fitted = fit
        if fit is None:
            self._beat = None
            self.beat.show_beat(None, (), MEASURING if self.desk.mix_stale else NOTHING)
            self.small.show_beats([], "")
            self._enable()
            return
        standing = self.standing()
        if standing is not None:
            self._name, self._numbers = standing.name, dict(standing.numbers)
        elif not self._by_hand or not self._name:
            best = best_of(fit.ducks)
            self._name, self._numbers = self._recommended() or (best.name, dict(best.numbers))
        self._redraw()
        self._draw_small()

    def _recommended(self) -> tuple[str, dict[str, float]] | None:
        """The way that the card recommends, with its numbers: they may be less deep than what was fitted. None where it
        recommends none."""
        move = self.offer.move if self.offer is not None else None
        if move is None or self.fitted is None:
            return None
        name = str(move.parameters["method"])
        own = {key: move.parameters.get(key, value) for key, value in self.fitted.ducks.method(name).numbers.items()}
        return name, {key: float(value) for key, value in own.items() if isinstance(value, int | float)}

    def standing(self) -> Any:
        """The duck that the session has; None where it has none, or nothing was fitted yet."""
        from all_even.moves.low_end.ducks.standing_duck import standing

        return standing(self.desk.session, self.fitted.ducks.sketch) if self.fitted is not None else None

    def forget(self) -> None:
        """What was chosen and set by hand is let go: what stands, or the best, is shown."""
        self._by_hand, self._name = False, ""
        self._show_fit((self.fitted, self.offer) if self.fitted is not None else None)

    def choose(self, name: str) -> None:
        """Shows a way to duck large, with the numbers that were found for it."""
        if self.fitted is None:
            return
        standing = self.standing()
        self._name, self._by_hand = name, True
        own = standing.numbers if standing is not None and standing.name == name else None
        recommended = self._recommended()
        if own is None and recommended is not None and recommended[0] == name:
            own = recommended[1]
        self._numbers = dict(own or self.fitted.ducks.method(name).numbers)
        self._redraw()
        self._draw_small()

    def _drag(self, handle: str, value: float) -> None:
        """A landmark is moved: picture and figures follow at once; so does the session where this duck stands in it."""
        from all_even.moves.low_end.ducks import beat

        if self._beat is None or self._beat.landmarks is None:
            return
        self._by_hand = True
        self._numbers = beat.moved(self._name, self._numbers, self._beat.landmarks, handle, value)
        standing = self.standing()
        if standing is not None and standing.name == self._name and self.fitted is not None:
            from all_even.moves.low_end.ducks.standing_duck import turned

            sketch, numbers = self.fitted.ducks.sketch, self._numbers
            self.desk.edit(lambda s: turned(s, standing, numbers, sketch), merge="duck")
        self._redraw()

    def _let_go(self) -> None:
        self.desk.end_gesture()
        self._draw_small()

    def _redraw(self) -> None:
        """The picture of the present numbers, off this thread; while one is made the next waits, none is dropped."""
        fit = self.fitted
        if fit is None:
            return
        if self.desk.work.busy("beat"):
            self._again = True
            return
        self._again = False
        name, own, work = self._name, dict(self._numbers), self.desk.session.settings
        against = f"not recommended: {self.offer.why}" if self.offer is not None and self.offer.stopped else ""

        def job(_report: Report) -> "Beat":
            from dataclasses import replace

            from all_even.moves.low_end.ducks.beat import beat
            from all_even.moves.low_end.ducks.duck_warnings import click_warning, warnings

            found = beat(fit.ducks, name, own, kbr_db=work.kick_over_bass_db, smooth=work.duck_smooth)
            told = (against, *warnings(fit.ducks, name, own, fit.start_s), click_warning(fit.ducks, name))
            return replace(found, warnings=tuple(sentence for sentence in told if sentence))

        def done(found: "Beat") -> None:
            from all_even.moves.low_end.ducks.beat import handles

            if self.fitted is fit:
                self._beat = found
                self.beat.show_beat(found, tuple(handles(name)), "", _where(fit))
                self._enable()
            if self._again:
                self._redraw()

        self.desk.start("beat", job, done, line="quick")

    def _draw_small(self) -> None:
        fit, current, own = self.fitted, self._name, dict(self._numbers)
        if fit is None:
            return

        def job(_report: Report) -> list[tuple[str, str, "Beat", bool]]:
            from all_even.moves.low_end.ducks.beat import beat
            from all_even.moves.low_end.ducks.duck import SHORT

            known = {one.name: one for one in fit.ducks.methods}
            ranked = [one.name for one in fit.ducks.methods if not one.control] + ["none", "plain", "keyed_default"]
            return [
                (
                    name,
                    SHORT[name],
                    beat(fit.ducks, name, own if name == current else known[name].numbers),
                    name in USABLE,
                )
                for name in ranked
                if name in known
            ]

        def done(found: list[tuple[str, str, "Beat", bool]]) -> None:
            if self.fitted is fit:
                self.small.show_beats(found, self._name)

        self.desk.start("small beats", job, done, line="quick")

    def _enable(self) -> None:
        usable = self.fitted is not None and self._name in USABLE
        fields.set_main(self.use, self.offer is not None and self.offer.move is not None)
        self.use.setEnabled(usable)
        self.hear.setEnabled(usable)
        standing = self.standing()
        self.link.setEnabled(standing is not None and standing.shape_id is not None)

    # Edits.

    def set_owner(self, owner: str) -> None:
        self.desk.edit(lambda s: edits.set_work(s, low_owner=owner))
        self.figures.show_owner(owner)

    def _set_weight(self, key: str, value: float) -> None:
        """Another weight of the fit: all ways are fitted anew."""
        self.desk.edit(lambda s: edits.set_work(s, **{key: value}), merge=key)

    def _as_move(self, then: Any) -> None:
        """What is shown large as a move, tried on the song; off this thread."""
        desk, name, own = self.desk, self._name, dict(self._numbers)
        if self.fitted is None:
            desk.said.emit(MEASURING)
            return

        def chosen(look: "Look") -> Proposal | None:
            from all_even.moves.low_end.ducks import duck

            return duck.chosen(look, name, own)

        def done(found: Proposal | None) -> None:
            if found is not None:
                then(found)

        desk.figures.find(
            "duck as move", chosen, done, saying="Trying the duck on the song", waiting=MEASURING, line="quick"
        )

    def _use(self) -> None:
        self._by_hand = False
        self._as_move(self.desk.moves.apply)

    def _hold(self) -> None:
        def hold(found: Proposal) -> None:
            if self.hear.isDown():
                self.desk.ears.hold_move(found)

        self._as_move(hold)

    def link_selected(self) -> None:
        """The selected tracks and groups follow the duck's shape too, lighter than the bass."""
        from all_even.moves.low_end.ducks.standing_duck import is_strip, link

        desk, standing = self.desk, self.standing()
        lanes = tuple(item for item in desk.selected if is_strip(desk.session, item))
        if standing is None or standing.shape_id is None:
            desk.said.emit("Only a drawn shape can be followed: use one of the drawn ways to duck first.")
        elif not lanes:
            desk.said.emit("Select a track or group first, for example chords or an accordion.")
        else:
            shape_id, depth = standing.shape_id, LIGHTER * standing.numbers["depth_db"]
            desk.edit(lambda s: link(s, lanes, shape_id, depth))

    def write_triggers(self, folder: Path) -> None:
        desk = self.desk
        even_without = desk.shared(Without).even_without

        def written(look: "Look") -> tuple[list[Path], tuple[str, ...]]:
            from all_even.deliver.triggers import write_triggers
            from all_even.session.file import store

            return write_triggers(look, folder, store.recordings(look.session), even_without=even_without)

        def done(found: tuple[list[Path], tuple[str, ...]]) -> None:
            files, lacks = found
            desk.said.emit(f"{len(files)} files written to {folder.name}." + (f" Without: {lacks[0]}" if lacks else ""))

        desk.figures.find("triggers", written, done, saying="Writing the duck's triggers")


def _where(fit: "Fitted") -> str:
    """Which stretch of the song the hits are of."""
    end_s = fit.start_s + len(fit.ducks.meeting.key) / fit.ducks.meeting.sample_rate
    return f" from {time_text(fit.start_s)[:-2]} to {time_text(end_s)[:-2]}"


def _figures(look: "Look") -> object:
    from all_even.figures.low_end.low_end import low_end
    from all_even.moves.low_end.bottom import before_all

    return low_end(look), before_all(look.session)


def _fitted(look: "Look") -> object:
    from all_even.moves.low_end.ducks.duck import OFFER, fitted

    fit = fitted(look)
    return (fit, look.get(OFFER)) if fit is not None else None


def _clearings(look: "Look") -> object:
    from all_even.moves.low_end.views import clearings

    return clearings(look)


def _waves(look: "Look") -> object:
    from all_even.figures.low_end.waves import waves

    return waves(look)


def _notes(lane_id: str | None, look: "Look") -> object:
    from all_even.moves.low_end.views import notes

    return notes(look, lane_id)
