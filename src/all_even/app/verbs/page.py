"""Verbs of the working page: what needs lanes, song strip, side panel or bench. Made with the page."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from all_even.app.desk import Desk
from all_even.app.lanes.entries import entry
from all_even.session.editing import edits
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.app.bench.bench import Bench
    from all_even.app.machine.kept_layout import Nesting, RowSize
    from all_even.app.workbench import Workbench
    from all_even.session.editing.without import Part


class PageVerbs:
    def __init__(self, desk: Desk, workbench: "Workbench") -> None:
        self._desk, self._workbench = desk, workbench

    def type_over_song(self, what: str, known: str, typed: Callable[[str], None]) -> None:
        """A few words, typed over the song strip."""
        self._workbench.head.transport.strip.ask(what, known, typed)

    def filter_lanes(self) -> None:
        """The field over the lanes."""
        if self._desk.is_open:
            self._workbench.lanes.over_heads.filter.setFocus()
            self._workbench.lanes.over_heads.filter.selectAll()

    def locate(self, seconds: float) -> None:
        if self._desk.is_open:
            self._desk.player.locate(seconds)
            self._workbench.head.transport.strip.set_position(seconds)

    def follow(self) -> None:
        self._workbench.head.transport.follow.click()

    def compare(self) -> None:
        if self._desk.is_open:
            self._workbench.side.versions.compare()

    def go_to_strip(self, strip_id: str) -> None:
        """Selects a lane, a bus or the mix, at a stage that shows it."""
        workbench = self._workbench
        if not self._desk.is_open:
            return
        if strip_id not in workbench.lanes.lane_ids():
            hidden = self._desk.session.is_lane(strip_id) and self._desk.session.lane(strip_id).hidden
            if hidden:
                workbench.lanes.over_heads.hidden.setChecked(True)
            else:
                self._desk.set_stage("buses")
        self._desk.select((strip_id,))
        workbench.lanes.setFocus()

    def go_to_station(self, strip_id: str, station_id: str) -> None:
        """Opens a station where it stands."""
        self._desk.set_stage("buses")
        self.go_to_strip(strip_id)
        self.bench("buses").open_part(station_id)

    def rename(self) -> None:
        if self._desk.current is not None:
            self._workbench.lanes.gestures.start_rename(self._desk.current)

    def toggle(self, field: str) -> None:
        if self._desk.is_open:
            self._workbench.lanes.toggle(field)

    def select_all(self) -> None:
        if self._desk.is_open:
            self._desk.select(tuple(self._workbench.lanes.lane_ids()))

    def select_family(self) -> None:
        if self._desk.is_open and self._desk.current:
            family = family_of(entry(self._desk.session, self._desk.current).role)
            shown = set(self._workbench.lanes.lane_ids())
            self._desk.select(tuple(i for i in edits.lanes_of_family(self._desk.session, family) if i in shown))

    # How rows are laid out.

    def row_size(self, name: "RowSize") -> None:
        self._workbench.lanes.laying.set_row_size(name)

    def nest(self, nesting: "Nesting") -> None:
        self._workbench.lanes.laying.nest(nesting)

    def nest_next(self) -> None:
        if self._desk.is_open:
            self._workbench.lanes.laying.nest_next()

    def fold(self) -> None:
        """Folds the head that is selected, or the one over the selected row; or unfolds it."""
        lanes, desk = self._workbench.lanes, self._desk
        if not desk.is_open:
            return
        if lanes.laying.arrangement.nesting == "flat":
            lanes.laying.arrange(lanes.laying.nested())
        index = lanes.gestures.index
        while index is not None and index >= 0 and not lanes.rows[index].members:
            depth = lanes.rows[index].depth
            index = next((at for at in range(index - 1, -1, -1) if lanes.rows[at].depth < depth), None)
        if index is None:
            desk.said.emit("This row is in no group.")
        else:
            lanes.laying.turn_fold(lanes.rows[index].lane.id)

    def fold_all(self) -> None:
        """Folds every group, or unfolds them all."""
        if self._desk.is_open:
            laying = self._workbench.lanes.laying
            laying.arrange(laying.nested().fold_all(self._desk.session))

    def fold_others(self) -> None:
        """Folds every group but those of the selected rows."""
        if self._desk.is_open:
            laying = self._workbench.lanes.laying
            laying.arrange(laying.nested().fold_others(self._desk.session, self._desk.selected))

    def pin(self) -> None:
        """Pins the selected rows to the top, or lets them go."""
        if self._desk.is_open and self._desk.selected:
            laying = self._workbench.lanes.laying
            laying.arrange(laying.arrangement.pin(self._desk.selected))

    def only_selected(self) -> None:
        """Shows the selected rows alone, or everything again."""
        if self._desk.is_open:
            self._workbench.lanes.laying.show_only(self._desk.selected)

    def hear_without(self, part: "Part") -> None:
        """The session without a part of its processing, at equal loudness; given again, the session."""
        from all_even.session.editing.without import NAMES

        ears = self._desk.ears
        if self._desk.is_open and ears.hearing.name == NAMES[part]:
            ears.hear_now()
        else:
            self._workbench.side.versions.hold_without(part)

    def turn_bench(self) -> None:
        """Puts the bench of this stage away, or brings it back."""
        if self._desk.is_open:
            self._workbench.split.turn()

    def toggle_hidden_lanes(self) -> None:
        self._workbench.lanes.over_heads.hidden.toggle()

    def write_note(self) -> None:
        if self._desk.is_open:
            self.show_tab(2)
            self._workbench.side.notes.text.setFocus()

    def name_snapshot(self) -> None:
        if self._desk.is_open:
            self.show_tab(3)
            self._workbench.side.versions.name.setFocus()

    def show_tab(self, index: int) -> None:
        self._workbench.side.setCurrentIndex(index)

    def go_on(self) -> None:
        """To what is next in the order of the work."""
        if self._workbench.head.next.stage:
            self._desk.set_stage(self._workbench.head.next.stage)
            self.show_tab(0)

    def zoom(self, factor: float) -> None:
        """Shows a shorter stretch of the song (over 1), a longer one, or all of it (0)."""
        if self._desk.is_open:
            self._workbench.head.transport.strip.zoom(factor)

    def on_card(self, act: str) -> None:
        """Does something with the move whose card has the keyboard or was pointed at, else with the first."""
        if self._desk.is_open:
            self.show_tab(0)
            card = self._workbench.side.moves.current_card()
            if card is None:
                self._desk.said.emit("There is no move at this stage.")
            else:
                card.act(act)

    def bench(self, stage: str) -> "Bench":
        """A stage's bench; a session is open."""
        return self._workbench.bench.of(stage)

    def go_to_bench(self, stage: str) -> "Bench":
        """Shows a stage; returns its bench."""
        self._desk.set_stage(stage)
        return self.bench(stage)
