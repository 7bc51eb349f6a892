"""Balance's bench: the selected lane's settings to type, its loudness along the song, the mix meter."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QGridLayout, QVBoxLayout

from all_even import texts
from all_even.app.bench.mix_figures import MixFigures
from all_even.app.bench.viewed import ViewedBench
from all_even.app.bench.whole_drawing import ZonesDrawing
from all_even.app.desk import Desk
from all_even.app.lanes.body import set_together
from all_even.app.lanes.entries import entry
from all_even.app.stages.balance.drawings import CourseDrawing
from all_even.app.stages.balance.focus_drawing import FocusDrawing
from all_even.app.stages.balance.seating import SeatingPlan
from all_even.app.style import fields, layouts
from all_even.app.style.hold_button import HoldButton
from all_even.dsp.parameter import LEVEL, PAN, TRIM, decibel_text
from all_even.session.editing import edits
from all_even.session.model.strips import MIX, FolderGroup, Lane

if TYPE_CHECKING:
    from all_even.engine.playing.meters import Meters
    from all_even.figures.book.look import Look


VIEWS = (
    ("Song", "Loudness of the selected track in the mix, along the song"),
    ("Placement", "Who sits where: pan as a bearing, rows from the front"),
    ("Kick and bass", "How clearly the kick is heard, and how loud the bass may be"),
    ("References", "The mix in six zones of the spectrum, beside finished ones"),
)


WIDE_MIX, NARROW_MIX = 340, 320
MEASURING = "The mix is being measured …"


def _focus(look: "Look") -> object:
    from all_even.figures.kick_and_bass.ceiling import ceiling
    from all_even.figures.low_end.low_focus import low_focus

    return low_focus(look), ceiling(look)


def _whole(look: "Look") -> object:
    from all_even.figures.elsewhere.tonal_balance import tonal

    return tonal(look)


def desk_release(desk: Desk) -> Callable[[], None]:
    """What a button does when it is let go: back to the session as it is."""
    return lambda: desk.ears.release_move()


class BalanceBench(ViewedBench):
    wanted_height = 248

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = layouts.row(self, margins=layouts.BENCH, spacing=16)
        row.addLayout(self._settings())
        self.course = CourseDrawing()
        self.seating = SeatingPlan(desk)
        self.focus = FocusDrawing()
        self.whole = ZonesDrawing()
        row.addLayout(self._views(), 1)
        self.mix = MixFigures(desk)
        self.mix.setFixedWidth(WIDE_MIX)
        row.addWidget(self.mix)

    def _views(self) -> QVBoxLayout:
        """Close looks at one place: along the song, who sits where, kick and bass, the whole."""
        row = self.make_views(VIEWS, (self.course, self.seating, self.focus, self.whole))
        self.mirror = fields.button(
            "Players", "Seen from the players instead of the audience", self._mirror, checkable=True
        )
        self.mute_bass = HoldButton(
            "Without bass", "Hold to hear the mix without its bass: it should be missed, and not be noticed before",
            self._without_bass, desk_release(self.desk), "ear",
        )  # fmt: skip
        self.small = HoldButton(
            "Small speaker", "Hold to hear the mix over a small speaker: nothing under 180 Hz", self._small_speaker,
            desk_release(self.desk), "ear",
        )  # fmt: skip
        self.add_references = fields.button(
            "Add references …", "Finished mixes to compare with; they are known to all sessions, and never copied",
            lambda: self.desk.wanted.emit("references.add"),
        )  # fmt: skip
        more = layouts.row(spacing=4)
        more.addStretch(1)
        for widget in (self.mirror, self.mute_bass, self.small, self.add_references):
            more.addWidget(widget)
        self.bar = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.bar.setSpacing(4)
        self.bar.addLayout(row)
        self.bar.addLayout(more, 1)
        self.only_with(1, self.mirror)
        self.only_with(2, self.mute_bass, self.small)
        self.only_with(3, self.add_references)
        return self.under_bar(self.bar)

    def fit(self, narrow: bool) -> None:
        """With little width what belongs to a view stands under the views."""
        down, right = QBoxLayout.Direction.TopToBottom, QBoxLayout.Direction.LeftToRight
        self.bar.setDirection(down if narrow else right)
        self.mix.setFixedWidth(NARROW_MIX if narrow else WIDE_MIX)

    def _mirror(self) -> None:
        self.seating.from_players = self.mirror.isChecked()
        self.seating.renew()

    def _without_bass(self) -> None:
        from all_even.session.tracks.roles import family_of

        session = self.desk.session
        basses = [lane.id for lane in session.lanes if family_of(lane.role) == "bass"]
        self.desk.ears.hold_state("without bass", edits.change_strips(session, basses, mute=True))

    def _small_speaker(self) -> None:
        from msgspec.structs import replace

        from all_even.dsp.tone.passes import HighPass

        session = self.desk.session
        chain = (*session.mix.chain, HighPass(id="small-speaker", frequency_hz=180.0, slope=24))
        small = replace(session, mix=replace(session.mix, chain=chain))
        self.desk.ears.hold_state("small speaker", small)

    def refresh_view(self) -> None:
        shown = self.stack.currentWidget()
        if shown is self.seating:
            self.seating.renew()
        elif shown is self.focus:
            self.look_at("focus", _focus, self._show_focus)
        elif shown is self.whole:
            from all_even.session.machine import references

            self.look_at("whole", _whole, self._show_whole, also=references.known())

    def _show_focus(self, found: Any) -> None:
        if found is None:
            self.focus.show_focus(None, None, MEASURING)
        else:
            self.focus.show_focus(found[0], found[1], "There is no kick with hits, or no bass, in this mix.")

    def _show_whole(self, found: Any) -> None:
        self.whole.show_whole(found, MEASURING if found is None else "")

    def tick(self, position_s: float, meters: "Meters | None") -> None:
        self.course.set_position(position_s)
        if meters is not None:
            self.mix.show_playing(meters.short_term_lufs)

    def set_follow(self, on: bool) -> None:
        self.course.follow = on
        self.course.renew()

    def _settings(self) -> QVBoxLayout:
        column = layouts.column(spacing=6)
        self.title = fields.label("", "title")
        self.title.setAccessibleName("Selected track")
        self.title.setFixedWidth(216)
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        self.level: fields.NumberField = fields.NumberField(LEVEL, "Level", "Left, Right in the rows")
        self.pan = fields.NumberField(PAN, "Pan", "Alt+Left, Alt+Right in the rows")
        self.trim: fields.NumberField = fields.NumberField(TRIM, "Mix trim", "T")
        self.arrives = fields.Figure("Loudness in mix", "Gated loudness of the track in the mix")
        self.level.value_changed.connect(lambda value: set_together(self.desk, level_db=value))
        self.pan.value_changed.connect(lambda value: set_together(self.desk, pan=value))
        self.trim.value_changed.connect(lambda value: self.desk.edit(lambda s: edits.set_trim(s, value), merge="trim"))
        for index, (name, field) in enumerate(
            (("Level", self.level), ("Pan", self.pan), ("Loudness in mix", self.arrives), ("Mix trim", self.trim))
        ):
            grid.addWidget(fields.label(name, "quiet"), index, 0)
            grid.addWidget(field, index, 1, Qt.AlignmentFlag.AlignLeft if index != 2 else Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid)
        buttons = layouts.row(spacing=6)
        self.toggles = {
            "mute": fields.button("Mute", "Mute the selected tracks (M)", lambda: self._toggle("mute"), checkable=True),
            "solo": fields.button("Solo", "Hear only soloed tracks (S)", lambda: self._toggle("solo"), checkable=True),
            "polarity_inverted": fields.button(
                "Invert", "Invert the polarity of the selected tracks (P)", lambda: self._toggle("polarity_inverted"),
                checkable=True,
            ),
        }  # fmt: skip
        for button in self.toggles.values():
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addStretch(1)
        return column

    def refresh(self) -> None:
        desk = self.desk
        session = desk.session
        self.mix.refresh()
        self.trim.set_value(session.mix.trim_db)
        current = desk.current if desk.current != MIX else None
        for control in (self.level, self.pan, *self.toggles.values()):
            control.setEnabled(current is not None)
        if current is None:
            self.title.setText("No track selected")
            return
        lane = entry(session, current)
        count = len(desk.selected)
        metrics = self.title.fontMetrics()
        text = lane.name if count == 1 else f"{count} tracks"
        self.title.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, 212))
        self.title.setToolTip(texts.tip(text))
        self.level.set_value(lane.level_db)
        self.pan.set_value(getattr(lane, "pan", 0.0))
        self.pan.setEnabled(not isinstance(lane, FolderGroup))
        for name, button in self.toggles.items():
            button.setChecked(getattr(lane, name, False))
            button.setEnabled(hasattr(lane, name))
        arrival = desk.figures.arrivals.of(current) if isinstance(lane, Lane) else None
        self.arrives.show_value(decibel_text(arrival.integrated_lufs if arrival else None, "LUFS"))
        self.course.show_lane(arrival, lane.role, 0.0, desk.mix)
        self.refresh_view()

    def _toggle(self, field: str) -> None:
        wanted = tuple(item for item in self.desk.selected if item != MIX)
        if wanted:
            value = not getattr(self.desk.session.member(wanted[-1]), field, False)
            self.desk.edit(lambda s: edits.change_strips(s, wanted, **{field: value}))
