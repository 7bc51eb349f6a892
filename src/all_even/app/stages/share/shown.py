"""What lanes and bench of this stage show: measured once for both, and carried on until it is measured again.

While nothing but equalisers changes, shares follow at once (`moves.share.live`) and are marked as predicted; the song
is measured behind that.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from all_even.app.desk import Desk
from all_even.app.work import Report
from all_even.session.model.session import Session

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.figures.sharing.sharing import Apart, Hiding, Ridge, Sharing
    from all_even.moves.share.live import Live

Array = NDArray[np.float64]
AT_REST_MS = 120
"""How long after the last change it is measured again."""


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """stretch_s: the loop it is of, None for the whole song. plain: share* before any equaliser."""

    session: Session
    stretch_s: tuple[float, float] | None
    found: "Sharing"
    ridges: "list[Ridge]"
    apart: "Apart | None"
    pairs: "tuple[Hiding, ...]"
    plain: Array
    live: "Live"


class Shown(QObject):
    """changed: something else is to be shown."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.measured: Measured | None = None
        self.predicted: Array | None = None
        self._asked: tuple[object, Session, tuple[float, float] | None] | None = None
        """Document, session and loop that were asked for last."""
        self._again = False
        self._scale: Array | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(AT_REST_MS)
        self._soon.timeout.connect(self._measure)

    @property
    def shares(self) -> Array | None:
        """Share* of each source: predicted where the hand is ahead of what was measured."""
        if self.measured is None:
            return None
        return self.predicted if self.predicted is not None else self.measured.found.shares

    @property
    def mean(self) -> float | None:
        """The session's share*."""
        shares = self.shares
        return None if self.measured is None or shares is None else self.measured.live.mean(shares)

    def share_of(self, lane_id: str) -> float | None:
        """Share* of the source that a lane belongs to; None where it is none, or not measured yet."""
        shares, known = self.shares, self.measured
        place = known.found.place(lane_id) if known is not None else None
        share = math.nan if shares is None or place is None else float(shares[place])
        return None if math.isnan(share) else share

    def moment(self, lane_id: str, position_s: float) -> "tuple[Array, Array] | None":
        """(own, sum) of a moment of the song: level of a source and of all of them, dB per octave in each band. As
        measured last; None where the lane is no source, or nothing is measured there."""
        known = self.measured
        place = known.found.place(lane_id) if known is not None else None
        if known is None or place is None:
            return None
        power, at = known.found.scene.power, position_s - (known.stretch_s[0] if known.stretch_s is not None else 0.0)
        frame = at / known.found.frame_s
        if not 0.0 <= frame < power.shape[1]:
            return None
        low = int(frame)
        part, high = frame - low, min(low + 1, power.shape[1] - 1)
        both = ((1.0 - part) * power[:, low] + part * power[:, high]).astype(np.float64)
        own, total = both[place], both.sum(axis=0)
        per_octave = self._per_octave(len(own))
        levels = 10.0 * np.log10(np.maximum(np.stack((own, total)) * per_octave, 1e-20))
        return levels[0], levels[1]

    def _per_octave(self, bands: int) -> Array:
        from all_even.figures.sharing.sharing import per_octave

        if self._scale is None or len(self._scale) != bands:
            self._scale = per_octave()
        return self._scale

    def share_together(self, lane_ids: Sequence[str]) -> float | None:
        """Share* of several lanes as one figure: weighted by importance, as the session's."""
        shares, known = self.shares, self.measured
        if known is None or shares is None:
            return None
        places = sorted({place for item in lane_ids if (place := known.found.place(item)) is not None})
        places = [place for place in places if not np.isnan(shares[place])]
        weights = known.found.scene.importance[places]
        return float(weights @ shares[places] / weights.sum()) if len(places) and weights.sum() > 0.0 else None

    def stretch(self) -> tuple[float, float] | None:
        """The marked part of the song, where there is one."""
        loop = self.desk.session.loop if self.desk.is_open else None
        return (loop.start_s, loop.end_s) if loop is not None and loop.active and loop.end_s > loop.start_s else None

    def refresh(self) -> None:
        """Asks for what is to be shown of the present session."""
        desk = self.desk
        if not desk.is_open:
            return
        if self._asked is not None and self._asked[0] is not desk.document:
            self.measured = self.predicted = self._asked = None
            self.changed.emit()
        if desk.figures.book is None:
            return
        if not desk.mix_stale:
            self._measure()
        elif self.measured is not None:  # the strips that changed are enough; the mix is not waited for
            self._predict()
            self._soon.start()

    def _measure(self) -> None:
        desk, asked, stretch = self.desk, self._asked, self.stretch()
        if not desk.is_open or desk.figures.book is None or desk.work.busy("sharing"):
            return
        session = desk.session
        if asked is not None and asked[1] is session and asked[2] == stretch:
            return
        self._asked = (desk.document, session, stretch)

        def done(found: Measured | None) -> None:
            if desk.is_open and desk.session is session:
                self.measured, self.predicted = found, None
            self.changed.emit()
            desk.arrivals_changed.emit()

        desk.figures.find("sharing", lambda look: measured(look, stretch), done)

    def _predict(self) -> None:
        """Shares as they will be, off this thread; while they are worked out the next state waits."""
        from all_even.moves.share import live

        desk, known = self.desk, self.measured
        if known is None:
            return
        if desk.session is known.session:  # taken back before it was measured
            if self.predicted is not None:
                self.predicted = None
                self.changed.emit()
            return
        if not live.differs_in_tone_alone(known.session, desk.session):
            return
        if desk.work.busy("sharing live"):
            self._again = True
            return
        self._again = False
        session = desk.session

        def job(_report: Report) -> Array:
            return known.live.shares(session).copy()

        def done(found: Array) -> None:
            if self.measured is known and desk.is_open and desk.session is not known.session:
                self.predicted = found
                self.changed.emit()
            if self._again and desk.is_open:
                self._predict()

        desk.start("sharing live", job, done, line="quick")


def measured(look: "Look", stretch: tuple[float, float] | None) -> Measured | None:
    """All of it for a state of the session."""
    from all_even.figures.sharing import sharing as engine
    from all_even.moves.share.live import Live

    found = engine.sharing(look)
    if found is None:
        return None
    session = look.session
    bare = engine.unequalised(session)
    plain = found if bare is session else engine.sharing(look.at(bare))
    apart, pairs = engine.apart(look), engine.pairs(look)
    if stretch is not None:
        found = engine.stretch_of(found, *stretch)
        plain = engine.stretch_of(plain, *stretch) if plain is not None else None
        pairs, apart = tuple(engine.pairs_of(found)), engine.apart_in(look, *stretch)
    before = plain.shares if plain is not None and len(plain.shares) == len(found.shares) else found.shares
    return Measured(session, stretch, found, engine.ridges(found), apart, pairs, before, Live(found, session))
