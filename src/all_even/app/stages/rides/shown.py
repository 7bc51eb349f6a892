"""What lanes and bench of Rides show: each line over its backing, sections as heard; kept until it is known anew."""

from dataclasses import dataclass
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching
from all_even.app.work import Report
from all_even.session.model.session import Session

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from all_even.figures.book.look import Look
    from all_even.figures.rides.rides import Riding
    from all_even.figures.rides.sections_heard import SectionHeard


@dataclass(frozen=True, slots=True, eq=False)
class LineShown:
    """riding: None for a part without words. relation_db: (frames,) over its backing along the song; frame_s: from one
    to the next. off_db: (words,) how far each lies off what is usual in its section; spread_db: how far they lie apart;
    usual_db: the median of the relation where there are no words. Worked out once: rows are painted often."""

    riding: "Riding | None"
    relation_db: "NDArray[np.float64]"
    frame_s: float
    off_db: "NDArray[np.float64] | None" = None
    spread_db: float | None = None
    usual_db: float | None = None

    @property
    def worst_hidden(self) -> float | None:
        """How much of the most hidden word the others cover; None where there are too few words."""
        return float(self.riding.hidden.max()) if self.off_db is not None and self.riding is not None else None


def line_of(riding: "Riding | None", relation_db: "NDArray[np.float64]", frame_s: float) -> LineShown:
    """With all that is drawn of it."""
    import numpy as np

    from all_even.measure.rides.riding import centres_db

    known = relation_db[np.isfinite(relation_db)]
    usual = float(np.median(known)) if len(known) else None
    if riding is None or riding.usual_db is None:
        return LineShown(riding, relation_db, frame_s, usual_db=usual)
    off = riding.relation_db - centres_db(riding.relation_db, riding.section)
    return LineShown(riding, relation_db, frame_s, off, riding.spread_db, usual)


class Shown(Watching):
    """lines: by lane id; None where nothing is heard. sections: as heard."""

    STAGE = "rides"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.lines: dict[str, LineShown | None] = {}
        self.sections: tuple[SectionHeard, ...] = ()
        desk.mix_measured.connect(self.refresh)

    def of(self, lane_id: str) -> LineShown | None:
        return self.lines.get(lane_id)

    def forget(self) -> None:
        self.lines, self.sections = {}, ()

    def ask(self, look: "Look", session: Session) -> None:
        first = self.desk.current

        def job(report: Report) -> "tuple[SectionHeard, ...]":
            from all_even.figures.rides import rides, sections_heard

            heard = look.with_cancel(report.cancelled)
            found = rides.levels(heard)
            places = {unit.id: index for index, unit in enumerate(found.units)}
            lanes = sorted((lane.id for lane in session.lanes), key=lambda lane_id: lane_id != first)
            for lane_id in lanes:
                line = None
                if lane_id in places:
                    relation = found.relation_db(places[lane_id])
                    line = line_of(rides.riding_of(heard, lane_id), relation, found.frame_s)
                report.send((lane_id, line))
            return sections_heard.heard_sections(heard)

        def partial(found: "tuple[str, LineShown | None]") -> None:
            self.lines[found[0]] = found[1]
            self.changed.emit()

        def done(sections: "tuple[SectionHeard, ...]") -> None:
            self.sections = sections
            self.known(session)

        self.desk.start("rides", job, done, partial)


_SHOWN: "WeakKeyDictionary[Desk, Shown]" = WeakKeyDictionary()


def shown_of(desk: Desk) -> Shown:
    """The one of a desk."""
    if desk not in _SHOWN:
        _SHOWN[desk] = Shown(desk)
    return _SHOWN[desk]
