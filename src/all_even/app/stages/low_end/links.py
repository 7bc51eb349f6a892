"""Tracks and groups that follow the duck's shape, each with a depth of its own."""

from functools import partial

from PyQt6.QtWidgets import QWidget

from all_even import texts
from all_even.app.desk import Desk
from all_even.app.style import fields, layouts
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.processor import numbers

MOST = 3
DEPTH = numbers(Ducker)["depth_db"]


class Links(QWidget):
    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: object = None
        self._row = layouts.row(self, margins=layouts.NONE, spacing=4)
        self.depths: dict[str, fields.NumberField] = {}

    def refresh(self) -> None:
        """Made anew where other lanes are linked; else only the depths."""
        session = self.desk.session
        shape = next((s.shape for strip in session.strips for s in strip.chain if isinstance(s, Ducker)), None)
        linked = [
            (strip.id, strip.name, s.depth_db)
            for strip in session.strips
            for s in strip.chain
            if isinstance(s, Ducker) and s.shape == shape
        ]
        linked.sort(key=lambda item: item[0] not in self.desk.selected)  # what is selected is at hand
        key = (self.desk.document, shape, tuple(item[:2] for item in linked))
        if key != self._shown:
            self._shown = key
            self._make(linked, shape)
        for lane_id, _, depth in linked:
            if lane_id in self.depths:
                self.depths[lane_id].set_value(depth)

    def _make(self, linked: list[tuple[str, str, float]], shape: str | None) -> None:
        while (item := self._row.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.depths = {}
        for lane_id, name, _ in linked[:MOST] if shape is not None else ():
            label = fields.label(texts.clipped(name, 9), "quiet")
            label.setToolTip(texts.tip(f"{name} follows the duck's shape"))
            field: fields.NumberField = fields.NumberField(DEPTH, f"Depth of {name}")
            field.setFixedWidth(72)
            field.value_changed.connect(partial(self._set, lane_id, str(shape)))
            self.depths[lane_id] = field
            self._row.addWidget(label)
            self._row.addWidget(field)
        if len(linked) > MOST:
            more = fields.label(f"+{len(linked) - MOST}", "quiet")
            more.setToolTip(texts.tip(", ".join(name for _, name, _ in linked[MOST:])))
            self._row.addWidget(more)

    def _set(self, lane_id: str, shape: str, depth_db: float) -> None:
        from all_even.moves.low_end.ducks.standing_duck import with_depth

        self.desk.edit(lambda s: with_depth(s, lane_id, shape, depth_db), merge=f"duck depth {lane_id}")
