"""What moves at the low end have in common: the present state, whether kick and bass collide, the figures they are
judged by.

*Net* is the change of the room for the bass (`measure.sharing.low_pair`): what a move is worth beside a plain fader.
Most clearings are a fader in disguise; under half a decibel none is proposed.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from all_even.dsp.parameter import number
from all_even.dsp.processor import Processor
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.figures.low_end.low_copies import Copies, Stations, copies
from all_even.figures.low_end.low_end import low_end, pair
from all_even.measure.sharing.low_pair import PairFigures
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Evidence
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane

DEPENDS_ON = ("files", "order", "levels", "strips", "routing", "settings")
MEASURED = ("files", "order", "levels", "strips", "routing")
WORTH_DB = 0.5
"""Under this a fader does as well."""
MOST_COVERED = 0.01
"""How much more of kick or bass may be masked after a move: under the grain of the figure."""
LOST_FOR_GAINED = 0.5
"""What the bass may lose of itself for what is gained for the kick."""
STATIC_TOLERANCE_DB, DYNAMIC_TOLERANCE_DB = 0.2, 0.35


SHARE_OFF = 0.3
"""A promise may be off by this share of what it promises, or by its tolerance in dB."""


def tolerance_db(net: float, least_db: float) -> float:
    """Within what a promise of the room counts as kept."""
    return max(least_db, SHARE_OFF * abs(net))


@dataclass(frozen=True, slots=True)
class Bottom:
    """The low end now. room_db: bass over kick at the limit, as heard."""

    look: Look
    copies: Copies
    room_db: float

    @property
    def session(self) -> Session:
        return self.look.session

    @property
    def kicks(self) -> tuple[str, ...]:
        return self.copies.kicks

    @property
    def basses(self) -> tuple[str, ...]:
        return self.copies.basses

    def lanes(self, ids: Sequence[str]) -> list[Lane]:
        return [self.session.lane(lane_id) for lane_id in ids]


def colliding(look: Look) -> Bottom | None:
    """The low end where there is something to clear (`figures.kick_and_bass.verdict`), and sound to try it on."""
    said = verdict(look)
    if said is None or not said.collides:
        return None
    found, now = copies(look), pair(look)
    if found is None or now is None or now.room_db is None:
        return None
    return Bottom(look, found, now.room_db)


def weighs(before: PairFigures, after: PairFigures) -> bool:
    """Whether a trial is worth what it costs: the kick is masked no more than before, and the bass by no more than half
    of what is gained for the kick."""
    if _rise(before.kick_masked, after.kick_masked) > MOST_COVERED:
        return False
    gained = 0.0
    if before.focus is not None and after.focus is not None:
        gained = after.focus.at_present - before.focus.at_present
    return _rise(before.bass_masked, after.bass_masked) <= MOST_COVERED + LOST_FOR_GAINED * max(0.0, gained)


def price(before: PairFigures, after: PairFigures) -> str:
    """What a trial that does not weigh up would cost, in words."""
    kick, bass = _rise(before.kick_masked, after.kick_masked), _rise(before.bass_masked, after.bass_masked)
    if kick > MOST_COVERED:
        return f"the kick would be {100.0 * kick:.0f} % more masked"
    return f"the bass would be {100.0 * bass:.0f} % more masked, for too little gained for the kick"


def _rise(before: float | None, after: float | None) -> float:
    return 0.0 if before is None or after is None else after - before


def evidence(look: Look, after: PairFigures | None = None, before: PairFigures | None = None) -> Evidence:
    """The whole low end as it was when a move was proposed, and what a trial says of it."""
    now = low_end(look)
    told: Evidence = {
        "gap_db": now.gap_db, "gap_ms": now.gap_ms, "pile_up_db": now.pile_up_db, "focus": now.focus,
        "bass_limit_db": now.bass_limit_db, "kick_masked": now.kick_masked, "bass_masked": now.bass_masked,
        "sum_peak_dbfs": now.sum_peak_dbfs, "loudness_at_equal_peak_lu": now.loudness_at_equal_peak_lu,
        "start_lost_db": now.start_lost_db,
    }  # fmt: skip
    if after is not None and before is not None:
        told |= {
            "net_db": _difference(before.room_db, after.room_db),
            "limit_change_db": _difference(before.limit_db, after.limit_db),
            "bass_change_db": after.bass_db - before.bass_db,
            "kick_change_db": after.kick_db - before.kick_db,
            "kick_masked_change": _difference(before.kick_masked, after.kick_masked),
            "bass_masked_change": _difference(before.bass_masked, after.bass_masked),
        }
    return told


def before_all(session: Session) -> Evidence | None:
    """The low end as it was before the first of its moves that stand; None where none stands."""
    from all_even.moves.accounts import standing

    for _, move in sorted(standing(session).items()):
        if "pile_up_db" in move.evidence:
            return move.evidence
    return None


def _difference(before: float | None, after: float | None) -> float | None:
    return None if before is None or after is None else after - before


def beside_a_fader(before: PairFigures, after: PairFigures) -> str:
    """What a clearing is worth, in words."""
    if before.room_db is None or after.room_db is None or before.limit_db is None or after.limit_db is None:
        return ""
    limit, lows = after.limit_db - before.limit_db, after.bass_db - before.bass_db
    more = after.room_db - before.room_db
    gain = f"That is {number(more)} dB more bass" if more > 0.0 else "That is no more bass"
    return (
        f"The bass may be {number(abs(limit))} dB {'louder' if limit >= 0.0 else 'softer'} then and loses "
        f"{number(max(0.0, -lows))} dB of its lows. {gain} than by turning it up."
    )


def with_stations(session: Session, stations: Mapping[str, Sequence[Processor]]) -> Session:
    """Stations added at the end of the chains of lanes that are still there."""
    for lane_id, added in stations.items():
        if session.is_lane(lane_id):
            for station in added:
                session = chain_edits.add_station(session, lane_id, station)
    return session


def on_each(lanes: Sequence[str], station: Processor) -> Stations:
    """One station on each of some lanes."""
    return dict.fromkeys(lanes, (station,))


def room_db(look: Look, _arguments: Arguments) -> float | None:
    now = pair(look)
    return now.room_db if now is not None else None


ROOM = Metric("bass-room", "bass over kick at its limit", "dB", 1, DYNAMIC_TOLERANCE_DB, MEASURED, room_db)
