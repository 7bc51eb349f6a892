"""Check's bench: the selected lane on another system, the mix beside references, blind comparisons."""

from collections import Counter
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from all_even.app.bench.bench import HEIGHT
from all_even.app.bench.side_panel import SidePanel
from all_even.app.bench.viewed import ViewedBench
from all_even.app.desk import Desk
from all_even.app.stages.check.blind_view import BlindView
from all_even.app.stages.check.body import SHORT
from all_even.app.stages.check.references_view import ReferencesView
from all_even.app.stages.check.shown import Shown
from all_even.app.stages.check.systems_drawing import SystemDrawing
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import number
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.systems import SYSTEMS
from all_even.measure.sharing.translation import GONE, VANISHES
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.engine.plan import Plan
    from all_even.figures.elsewhere.translation import Translation

MORE_HEIGHT = 72
VIEWS = (
    ("Elsewhere", "What is left of the selected track on a phone, in a car, in a club"),
    ("References", "The mix beside finished ones, at equal loudness"),
    ("Blind", "Better, or only louder: letters at equal loudness, with the chance said"),
)
LISTED, LINES, NAME_WIDTH = 6, 4, 116
WHAT = "Inaudible there, most important first"


class CheckBench(ViewedBench):
    wanted_height = HEIGHT + MORE_HEIGHT

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.shown = desk.shared(Shown)
        column = layouts.column(self, margins=layouts.BENCH, spacing=4)
        self.references = ReferencesView(desk, self.shown)
        self.blind = BlindView(desk)
        bar = self.make_views(VIEWS, (self._elsewhere(), self.references, self.blind))
        bar.addStretch(1)
        column.addLayout(bar)
        column.addWidget(self.stack, 1)
        self.shown.changed.connect(self.refresh_shown)
        self.show_view(0)

    def _elsewhere(self) -> QWidget:
        view = QWidget()
        row = layouts.row(view, margins=layouts.NONE, spacing=14)
        left = layouts.column(spacing=6)
        grid = QGridLayout()
        grid.setSpacing(3)
        self.buttons: dict[str, HoldButton] = {}
        self.gone: dict[str, QLabel] = {}
        for index, item in enumerate(SYSTEMS):
            button = HoldButton(
                SHORT.get(item.key, item.name),
                f"Hold to hear the mix there, as loud as here: {item.assumes}", partial(self.hold, item.key),
                self.desk.ears.release_move, "ear",
            )  # fmt: skip
            self.buttons[item.key] = button
            button.setFixedWidth(NAME_WIDTH)
            self.gone[item.key] = fields.label("", "small")
            self.gone[item.key].setAccessibleName(f"{item.name}: tracks inaudible there")
            line, side = index % LINES, index // LINES
            grid.addWidget(button, line, 2 * side)
            grid.addWidget(self.gone[item.key], line, 2 * side + 1)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        left.addLayout(grid)
        self.assumes = fields.wrapped("", "quiet")
        self.assumes.setAccessibleName("What is assumed of the system")
        left.addWidget(self.assumes)
        left.addStretch(1)
        holder = QWidget()
        holder.setLayout(left)
        holder.setFixedWidth(344)
        left.setContentsMargins(0, 0, 0, 0)
        row.addWidget(holder)
        self.drawing = SystemDrawing()
        row.addWidget(self.drawing, 1)
        self.side = SidePanel("Left there", "10 log2 of what is left of it among the others, there against here")
        self.side.setFixedWidth(228)
        self.side.pressed.connect(self._go_to)
        row.addWidget(self.side)
        self.listed: list[tuple[str, str]] = []
        return view

    # What is shown.

    def refresh(self) -> None:
        self.shown.refresh()
        self.refresh_shown()

    def refresh_shown(self) -> None:
        """Shows what is known."""
        if not self.desk.is_open:
            return
        index = self.stack.currentIndex()
        if index == 0:
            self._show_system()
        elif index == 1:
            self.references.refresh()
        else:
            self.blind.refresh()

    def _show_system(self) -> None:
        desk, found = self.desk, self.shown.translation
        item = systems.system(self.shown.key)
        self.assumes.setText(f"{item.name}: {item.assumes}. Assumptions of ours.")
        lane = desk.current_lane
        place = found.place(lane) if found is not None and lane is not None else None
        role = desk.session.lane(lane).role if lane is not None else ""
        note = (
            "The mix is being measured …" if found is None else "Nothing is heard of it." if lane else "Select a track."
        )
        self.drawing.show_lane(found, place, item, family_of(role), note)
        if found is None:
            self.side.show_all("", "–", note, [], look=False, stale=True)
            return
        self._count(found)
        self.listed = []
        lines = []
        for one, key, gone in found.vanishing()[:LISTED]:
            self.listed.append((found.units[one].id, key))
            left = "gone" if gone <= GONE else number(gone, 0)
            lines.append((f"{systems.system(key).name}: {found.units[one].name}", left, True))
        if place is None:
            self.side.show_all("No track selected", "–", f"{WHAT}:", lines, look=False, stale=False)
            return
        value = found.of(found.units[place].id, item.key)
        told = "vanishes there" if value is not None and value <= VANISHES else "of its loudness here, among the others"
        share = "–" if value is None else "0 %" if value <= GONE else f"{100.0 * 2.0 ** (value / 10.0):.0f} %"
        self.side.show_all(
            found.units[place].name, share, f"{told}. {WHAT}:", lines,
            look=value is not None and value <= VANISHES, stale=self.shown.is_stale(),
        )  # fmt: skip

    def _count(self, found: "Translation") -> None:
        """Beside each system: how many sources are inaudible there."""
        lost = Counter(key for _, key, _ in found.vanishing())
        for key, label in self.gone.items():
            label.setText("here" if key == systems.REFERENCE else f"{lost[key]} gone" if lost[key] else "all heard")

    def _go_to(self, line: int) -> None:
        """To a lane that vanishes, and the system it vanishes on; its moves are in the side panel."""
        if line < len(self.listed):
            lane_id, key = self.listed[line]
            self.shown.choose(key)
            self.desk.select((lane_id,))

    # Hearing.

    def hold(self, key: str) -> None:
        """The mix through a system, as loud as here."""
        self.shown.choose(key)

        def made(look) -> "tuple[Plan, float]":  # type: ignore[no-untyped-def]
            from all_even.figures.elsewhere import hearing

            return hearing.on_system(look, key)

        self.desk.ears.hold(systems.system(key).name, made)

    def switch(self, key: str) -> None:
        """The same without holding: once more goes back."""
        if self.desk.ears.held == systems.system(key).name:
            self.desk.ears.release_move()
        else:
            self.hold(key)

    def switch_reference(self) -> None:
        """The selected reference in place of the mix; once more goes back."""
        chosen = self.references.selected()
        if chosen is not None and self.desk.ears.held == chosen.listed.name:
            self.desk.ears.release_move()
        else:
            self.references.hold_reference()

    def switch_low_end(self) -> None:
        """The low end of the mix alone; once more goes back."""
        if self.desk.ears.held == "low end":
            self.desk.ears.release_move()
        else:
            self.references.hold_low_end()
