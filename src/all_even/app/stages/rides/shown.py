"""What lanes and bench of Rides show: each line over its backing, sections as heard; kept until it is known anew."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from all_even.app.desk import Desk
from all_even.app.stages.watching import Watching

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

    def of(self, lane_id: str) -> LineShown | None:
        return self.lines.get(lane_id)

    def forget(self) -> None:
        self.lines, self.sections = {}, ()

    def measure(self, look: "Look", first: str | None, send: Callable[[object], None]) -> "tuple[SectionHeard, ...]":
        from all_even.figures.rides import rides, sections_heard

        found = rides.levels(look)
        places = {unit.id: index for index, unit in enumerate(found.units)}
        for lane_id in sorted((lane.id for lane in look.session.lanes), key=lambda lane_id: lane_id != first):
            line = None
            if lane_id in places:
                relation = found.relation_db(places[lane_id])
                line = line_of(rides.riding_of(look, lane_id), relation, found.frame_s)
            send((lane_id, line))
        return sections_heard.heard_sections(look)

    def take(self, part: tuple[str, LineShown | None]) -> None:
        self.lines[part[0]] = part[1]

    def take_last(self, part: "tuple[SectionHeard, ...]") -> None:
        self.sections = part
