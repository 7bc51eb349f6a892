"""Share's bench: two ridges with the bars of both, the map of pairs, places to look at, all bands on one ruler."""

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.viewed import ViewedBench
from all_even.app.desk import Desk
from all_even.app.stages.share import acts
from all_even.app.stages.share.pair_drawing import PairDrawing
from all_even.app.stages.share.pairs_map import PairLine, PairsMap
from all_even.app.stages.share.places_view import PlacesDrawing, PlacesList
from all_even.app.stages.share.session_bands import BandsTable, ThreadsDrawing
from all_even.app.stages.share.shown import Shown
from all_even.app.stages.share.side import ShareSide
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.tone.equaliser import Band
from all_even.session.editing import edits
from all_even.session.model.strips import Lane

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.moves.share.bookkeeping import Book
    from all_even.moves.share.lane_places import Place
    from all_even.moves.share.pair_view import Half

MORE_HEIGHT = 104
MEASURING = "Masking is being measured …"
NOTHING = "Nothing is heard here yet: open a folder and turn some tracks on."
VIEWS = (
    ("Pair", "Two tracks face to face over the note ruler, with the bars of both equalisers"),
    ("All pairs", "Masking: every pair in which one masks the other, costliest first"),
    ("Places", "Where the selected track sticks out, rings, or lies on another"),
    ("Session", "All equalisers of the session on one ruler, and as a table"),
)
NEW_BAND_HZ, NEW_Q = 1000.0, 1.4


HEARD = (("EQ off", "EQ off"), ("These two", "These two"), ("Without them", "Others"), ("Removed by EQ", "Removed"))
"""What can be held to be heard, in a wide window and in a narrow one."""


class ShareBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        self._places: tuple[int | None, int | None] = (None, None)
        self._wanted_rival: tuple[object, int] | None = None
        self.found: tuple[Place, ...] = ()
        self.book: Book | None = None
        self._sweeping = acts.Sweep(desk)
        row = layouts.row(self, margins=layouts.BENCH, spacing=14)
        self.side = ShareSide(self.set_rival, self.set_counts)
        self.side.setFixedWidth(260)
        row.addWidget(self.side)
        row.addLayout(self._views(), 1)
        self._connect()

    def _views(self) -> QVBoxLayout:
        self.pair, self.map = PairDrawing(), PairsMap()
        self.list, self.marks = PlacesList(), PlacesDrawing()
        self.threads, self.table = ThreadsDrawing(), BandsTable()
        sides = (((self.pair,), (1,)), ((self.map,), (1,)), ((self.list, self.marks), (2, 3)),
                 ((self.threads, self.table), (3, 2)))  # fmt: skip
        bar = self.make_views(VIEWS, [_beside(parts, stretches) for parts, stretches in sides])
        bar.addStretch(1)
        ears = self.desk.ears
        hold = (
            ("EQ off", "Hold to hear the session without its equalisers, as loud as with them", self._hold_before),
            ("These two", "Hold to hear only these two, where they are", partial(self._hold, "pair_alone", "the pair")),
            ("Without them", "Hold to hear all but these two", partial(self._hold, "without", "all but the pair")),
            ("Removed by EQ", "Hold to hear only what the bands of these two took away, as loud as it is",
             partial(self._hold, "taken_away", "what was taken away")),
        )  # fmt: skip
        self.hears = [HoldButton(text, tip, held, ears.release_move) for text, tip, held in hold]
        for button, (text, _, _) in zip(self.hears, hold, strict=True):
            button.setAccessibleName(f"Hear: {text}")
        self.add = fields.button(
            "Add band", "Add a band to the selected track at 1 kHz (double click on the ruler)", self._add
        )
        self.keep_button = fields.button("Keep loudness", "Set the outputs of both equalisers so that each track is as "
                                         "loud as without its bands (Shift+K)", self.keep)  # fmt: skip
        self.sweep = HoldButton("Sweep", "Hold to hear the track with a narrow lift at this place: it starts quietly "
                                "and is held by a limiter", self._sweep_here, self._end_sweep, "ear")  # fmt: skip
        self.static = fields.button("Static band", "Cut here, always", partial(self._make_band, False), role="main")
        self.dynamic = fields.button("Dynamic band", "Cut here only where it is loud", partial(self._make_band, True))
        self.knobs = fields.button("Three knobs", "The same for a board with low, swept mid and high", self._show_book,
                                   checkable=True)  # fmt: skip
        groups: tuple[tuple[QWidget, ...], ...] = (
            (*self.hears, self.add, self.keep_button), (), (self.sweep, self.static, self.dynamic), (self.knobs,),
        )  # fmt: skip
        for index, group in enumerate(groups):
            self.only_with(index, *group)
            for widget in group:
                bar.addWidget(widget)
        return self.under_bar(bar)

    def _connect(self) -> None:
        self.shown.changed.connect(self._redraw)
        self.pair.bar_moved.connect(self._move_bar)
        self.pair.bar_added.connect(self._add_bar)
        self.pair.bar_turned.connect(self._turn_bar)
        self.pair.bar_dropped.connect(self._drop_bar)
        self.pair.released.connect(self.desk.end_gesture)
        self.map.chosen.connect(self._choose_pair)
        self.list.chosen.connect(lambda _index: self._show_places())
        self.marks.swept.connect(self._sweep)
        self.marks.released.connect(self._end_sweep)
        self.threads.pointed.connect(lambda lane: self.desk.select((lane,)))
        self.table.pointed.connect(lambda lane: self.desk.select((lane,)))

    # What is shown.

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        """The pair as it sounds just now."""
        if self.stack.currentIndex() != 0 or not self.pair.isVisible():
            return
        known = self.shown.measured
        if known is None or meters is None:
            self.pair.show_moment((None, None))
            return
        units = known.found.units
        upper, lower = (
            self.shown.moment(units[place].id, position_s) if place is not None and place < len(units) else None
            for place in self._places
        )
        self.pair.show_moment((upper, lower))

    def fit(self, narrow: bool) -> None:
        self.side.setFixedWidth(244 if narrow else 260)
        self.keep_button.setText("Keep" if narrow else "Keep loudness")
        for button, (text, short) in zip(self.hears, HEARD, strict=True):
            button.setText(short if narrow else text)
        self.table.setMinimumWidth(240 if narrow else 320)

    def refresh(self) -> None:
        self.shown.refresh()
        self._redraw()
        shown = self.stack.currentIndex()
        lane = self.desk.current_lane
        if shown == 2:
            self.look_at("places", partial(_places, lane), self._take_places, also=lane, line="quick")
        elif shown == 3:
            self.look_at("book", _book, self._take_book, line="quick")

    def _redraw(self) -> None:
        """Everything from what is known now."""
        desk, known = self.desk, self.shown.measured
        if not desk.is_open:
            return
        self._places = self._chosen_places()
        lanes = tuple(self._lane(place) for place in self._places)
        self.side.show_pair(lanes, self._places, self._rivals())  # type: ignore[arg-type]
        self.side.show_figures(known, self.shown.shares, self._places, self.shown.predicted is not None)
        upper, lower = (self._half(place) for place in self._places)
        note = MEASURING if known is None and desk.mix_stale else NOTHING
        self.pair.show_pair(upper, lower, note)
        if self.stack.currentIndex() == 1:
            self.map.show_lines(self._lines(), MEASURING if known is None else "Nothing masks anything here.")
        elif self.stack.currentIndex() == 2:
            self._show_places()
        elif self.stack.currentIndex() == 3:
            self._show_book()
        has_bands = any(half is not None and half.bands for half in (upper, lower))
        self.keep_button.setEnabled(has_bands)
        self.hears[3].setEnabled(has_bands)
        self.add.setEnabled(upper is not None)
        for button in self.hears[1:3]:
            button.setEnabled(upper is not None)

    def _chosen_places(self) -> tuple[int | None, int | None]:
        """The selected lane's source, else the one that costs most; and its rival."""
        from all_even.moves.share.pair_view import rival

        known = self.shown.measured
        if known is None:
            return None, None
        lane = self.desk.current_lane
        own = known.found.place(lane) if lane is not None else None
        if own is None and known.pairs:
            own = known.pairs[0].victim
        if own is None:
            return None, None
        wanted = self._wanted_rival
        if wanted is not None and wanted[0] == known.found.units[own].id and wanted[1] < len(known.found.units):
            return own, wanted[1]
        return own, rival(known.pairs, own)

    def _rivals(self) -> list[tuple[int, str]]:
        known, own = self.shown.measured, self._places[0]
        if known is None or own is None:
            return []
        order: list[int] = []
        for pair in known.pairs:
            if own in (pair.victim, pair.masker):
                other = pair.masker if pair.victim == own else pair.victim
                if other not in order:
                    order.append(other)
        order += [place for place in range(len(known.found.units)) if place != own and place not in order]
        return [(place, known.found.units[place].name) for place in order]

    def _lane(self, place: int | None) -> Lane | None:
        known = self.shown.measured
        if known is None or place is None:
            return None
        wanted = known.found.units[place].id
        return next((lane for lane in self.desk.session.lanes if lane.id == wanted), None)

    def _half(self, place: int | None) -> "Half | None":
        from all_even.moves.share.pair_view import half

        known = self.shown.measured
        if known is None or place is None:
            return None
        return half(self.desk.session, known.found, known.ridges, place, self.desk.reports)

    def _lines(self) -> list[PairLine]:
        from all_even.app.stages.share import pairs_map
        from all_even.measure.level import zones

        known = self.shown.measured
        if known is None:
            return []
        halves = {place: self._half(place) for place in range(len(known.found.units))}
        told = []
        for pair in known.pairs[: pairs_map.MOST]:
            upper, lower = halves[pair.victim], halves[pair.masker]
            if upper is not None and lower is not None and pair.cost >= 0.01:
                zone = zones.NAMES[max(range(len(zones.NAMES)), key=lambda z, p=pair: p.by_zone[z])]  # type: ignore[misc]
                told.append(
                    PairLine(pair.victim, pair.masker, upper, lower, pair.cost, pair.weighted, pair.together, zone,
                             pair.low_hz, pair.high_hz)
                )  # fmt: skip
        return told

    # Who is shown.

    def set_rival(self, place: int) -> None:
        known, own = self.shown.measured, self._places[0]
        if known is not None and own is not None:
            self._wanted_rival = known.found.units[own].id, place
            self._redraw()

    def _choose_pair(self, victim: int, masker: int) -> None:
        known = self.shown.measured
        if known is not None:
            self._wanted_rival = known.found.units[victim].id, masker
            self.show_view(0)
            self.desk.select((known.found.units[victim].id,))
            self._redraw()

    def set_counts(self, side: int, weight: str) -> None:
        """How much a source matters; what its role proposes is kept as no setting."""
        from all_even.session.tracks.importance import proposed

        lane = self._lane(self._places[side])
        if lane is not None:
            wanted = None if weight == proposed(lane.role) else weight
            lanes = self._lanes(side)
            self.desk.edit(lambda s: edits.change_strips(s, lanes, importance=wanted))

    def _lanes(self, side: int) -> tuple[str, ...]:
        half = self._half(self._places[side])
        return half.lanes if half is not None else ()

    # Bars.

    def _move_bar(self, side: int, band: int, hz: float, gain_db: float) -> None:
        from all_even.moves.share.by_hand import change_band

        lanes = self._lanes(side)
        self.desk.try_edit(lambda s: change_band(s, lanes, band, frequency_hz=hz, gain_db=gain_db),
                           merge=f"bar {lanes} {band}")  # fmt: skip

    def _add_bar(self, side: int, hz: float, gain_db: float) -> None:
        from all_even.moves.share.by_hand import add_band

        lanes = self._lanes(side)
        self.desk.try_edit(lambda s: add_band(s, lanes, Band(frequency_hz=hz, gain_db=gain_db, q=NEW_Q)))

    def _add(self) -> None:
        self.pair.add_at(0, NEW_BAND_HZ, 0.0)
        self.pair.setFocus()

    def _turn_bar(self, side: int, band: int, steps: int) -> None:
        from all_even.moves.share.by_hand import change_band

        half = self._half(self._places[side])
        if half is not None and band < len(half.bands):
            q = round(half.bands[band].q * 1.1**steps, 2)
            self.desk.try_edit(lambda s: change_band(s, half.lanes, band, q=q), merge=f"bar q {half.lanes} {band}")

    def _drop_bar(self, side: int, band: int) -> None:
        from all_even.moves.share.by_hand import drop_band

        lanes = self._lanes(side)
        self.desk.try_edit(lambda s: drop_band(s, lanes, band))

    def keep(self) -> None:
        """The outputs of both equalisers, measured, so that both are as loud as without their bands."""
        known = self.shown.measured
        if known is None or not self.desk.is_open:
            self.desk.said.emit("That can't be done yet: masking is still being measured.")
            return
        acts.keep_loudness(self.desk, [known.found.units[place] for place in self._places if place is not None])

    # Hearing the difference.

    def _pair_lanes(self) -> tuple[str, ...]:
        return (*self._lanes(0), *self._lanes(1))

    def _hold(self, which: str, name: str) -> None:
        from all_even.moves.share import hearing

        lanes = self._pair_lanes()
        if lanes:
            self.desk.ears.hold_state(name, getattr(hearing, which)(self.desk.session, lanes))

    def _hold_before(self) -> None:
        from all_even.figures.sharing.sharing import unequalised

        self.desk.ears.hold_matched("without equalisers", unequalised(self.desk.session))

    # Places to look at.

    def _take_places(self, found: "tuple[Place, ...] | None") -> None:
        self.found = found or ()
        self._show_places()

    def _show_places(self) -> None:
        lane = self._lane(self._places[0])
        waiting = self.desk.mix_stale or self.desk.work.busy("places")
        name = lane.name if lane is not None else ""
        note = MEASURING if waiting else f"Nothing sticks out on {name}. That is worth knowing too."
        found = self.found if lane is not None and all(p.lane_id == self.desk.current_lane for p in self.found) else ()
        if self.desk.current_lane is None:
            note = "Select a track to see its places."
        self.list.show_places(found, note)
        self.marks.show_places(self._half(self._places[0]), found, self.list.current)
        for widget in (self.sweep, self.static, self.dynamic):
            widget.setEnabled(bool(found))

    def _place(self) -> "Place | None":
        return self.found[self.list.current] if self.list.current < len(self.found) else None

    def _sweep_here(self) -> None:
        place = self._place()
        if place is not None:
            self._sweep(place.hz)

    def _sweep(self, hz: float) -> None:
        lane = self._lane(self._places[0])
        if lane is not None:
            self._sweeping.hear(lane, hz)

    def _end_sweep(self) -> None:
        self.marks.stop()
        self._sweeping.end()

    def _make_band(self, dynamic: bool) -> None:
        place, lanes = self._place(), self._lanes(0)
        if place is not None and lanes and self.desk.is_open:
            acts.make_band(self.desk, place, lanes, dynamic=dynamic)

    # The session's bands.

    def _take_book(self, found: "Book | None") -> None:
        self.book = found
        self._show_book()

    def _show_book(self) -> None:
        current = self.desk.current_lane or ""
        note = MEASURING if self.book is None else "No track has an equaliser yet: bands of moves and hands stand here."
        self.threads.show_book(self.book, current, note)
        self.table.show_book(self.book, current, self.knobs.isChecked())


def _beside(parts: tuple[QWidget, ...], stretches: tuple[int, ...]) -> QWidget:
    holder = QWidget()
    row = layouts.row(holder, margins=layouts.NONE, spacing=8)
    for index, part in enumerate(parts):
        row.addWidget(part, stretches[index])
    return holder


def _places(lane: str | None, look: Any) -> "tuple[Place, ...]":
    from all_even.moves.share.lane_places import places

    return places(look, lane) if lane is not None else ()


def _book(look: Any) -> "Book":
    from all_even.moves.share.bookkeeping import book

    return book(look.session, look.reports)
