"""What hands do at the bench: a guarded sweep over a lane, a band made of a place, loudness kept behind bands."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer

from all_even.app.desk import Desk
from all_even.dsp.tone.equaliser import Band
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.sources.units import Unit
    from all_even.moves.share.lane_places import Place

LOUDER_AFTER_MS = 700
"""A sweep starts quietly, and so long after is as loud as it gets."""


class Sweep:
    """One narrow lift at a time over a lane, guarded; the first moments quietly."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._at: tuple[Lane, float] | None = None
        self._louder = QTimer()
        self._louder.setSingleShot(True)
        self._louder.setInterval(LOUDER_AFTER_MS)
        self._louder.timeout.connect(lambda: self.hear(*self._at) if self._at is not None else None)

    def hear(self, lane: Lane, hz: float) -> None:
        """Begins, or moves to another place."""
        from all_even.moves.share import hearing

        desk, first = self._desk, self._at is None
        self._at = lane, hz
        if first:
            self._louder.start()
        elif desk.work.busy("hold"):
            return
        measures = desk.measures(lane.id)
        peak = measures.sample_peak_dbfs if measures is not None else None
        state = hearing.sweep(desk.session, lane.id, hz, peak, start=self._louder.isActive())
        desk.ears.hold_state(f"a sweep over {lane.name}", state)

    def end(self) -> None:
        self._louder.stop()
        self._at = None
        self._desk.ears.release_move()


def make_band(desk: Desk, place: "Place", lanes: tuple[str, ...], *, dynamic: bool) -> None:
    """A band of a source at a place; where a dynamic one begins to work is listened for."""
    from all_even.moves.share import by_hand, keyed

    if not dynamic:
        band = Band(frequency_hz=round(place.hz, 1), gain_db=place.gain_db, q=place.q)
        desk.try_edit(lambda s: by_hand.add_band(s, lanes, band))
        return

    def threshold_db(look: "Look") -> float:
        return keyed.threshold_db(look, lanes[0], place.hz, place.q)

    def done(at_db: float) -> None:
        desk.try_edit(lambda s: by_hand.add_dynamic(s, lanes, place.hz, place.q, place.gain_db, at_db))

    desk.figures.find("dynamic band", threshold_db, done, saying="Listening for how loud it is there", line="quick")


def keep_loudness(desk: Desk, units: "Sequence[Unit]") -> None:
    """The outputs of the equalisers of these sources, measured, so that all are as loud as without their bands."""
    lanes = {unit.id: tuple(lane.id for lane in unit.lanes) for unit in units}

    def outputs(look: "Look") -> dict[str, float]:
        from msgspec.structs import replace

        from all_even.moves.share import by_hand
        from all_even.moves.share.keeping import outputs_db

        bare = look.at(by_hand.without_bands(look.session, tuple(lane for ids in lanes.values() for lane in ids)))
        wanted = {
            unit.id: (unit, replace(station, output_db=0.0))
            for unit in units if (station := by_hand.last_equaliser(look.session, unit.id)) is not None
        }  # fmt: skip
        return dict(outputs_db(bare, wanted))

    def done(found: dict[str, float]) -> None:
        from all_even.moves.share.by_hand import set_output

        def edit(session: Session) -> Session:
            for unit_id, output_db in found.items():
                session = set_output(session, lanes[unit_id], output_db)
            return session

        if found:
            desk.try_edit(edit)
            desk.said.emit("Both are as loud as without their bands.")

    desk.figures.find("keep loudness", outputs, done, saying="Measuring the loudness behind the bands", line="quick")
