"""An acoustic ensemble stands where it stood: its line-up, seen from the audience, gives bearing and row."""

from all_even.figures.book.look import Look
from all_even.moves.balance import costs
from all_even.moves.kind import Kind, left_out
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks import seats

NEAR = 0.1


def off_seat(session: Session) -> int:
    """Lanes of a line-up that do not sit at their place."""
    line_up = seats.fitting(session)
    if line_up is None:
        return 0
    wanted = seats.seats_for(session, line_up)
    return sum(
        abs(session.lane(i).pan - bearing) > NEAR or seats.row_of(session.lane(i)) != row
        for i, (bearing, row) in wanted.items()
    )


def propose(look: Look) -> list[Proposal]:
    session = look.session
    line_up = seats.fitting(session)
    off = off_seat(session)
    untouched = all(abs(lane.pan) <= NEAR for lane in session.lanes)
    if line_up is None or not off or not untouched:
        return []
    return [
        KIND.move(
            title=f"Seat them as a {line_up.name.lower()}",
            reason="An acoustic ensemble stands where it stood, seen from the audience. Seats can be moved on the "
            "plan; the players' view is mirrored.",
            parameters={"line_up": line_up.key},
            evidence={"off_their_seats": off},
            metric=METRIC,
            before=float(off),
            expected=0.0,
            weight=6.2,
        )
    ]


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    wanted = _wanted(session, proposal)
    return [(i, f"{session.lane(i).name}: row {row + 1}, {bearing:+.2f}") for i, (bearing, row) in wanted.items()]


def _wanted(session: Session, proposal: Proposal) -> dict[str, seats.Seat]:
    line_up = next(item for item in seats.LINE_UPS if item.key == proposal.parameters["line_up"])
    return seats.seats_for(session, line_up)


def edit(session: Session, proposal: Proposal) -> Session:
    out = left_out(proposal)
    for lane_id, (bearing, row) in _wanted(session, proposal).items():
        if lane_id not in out:
            session = edits.change_strips(session, (lane_id,), pan=bearing, seat_row=row)
    return session


KIND = Kind("balance.line-up", ("order", "names", "levels"), propose, edit, prepare=costs.told_by(edit), parts=parts)
METRIC = Metric(
    "off-seat", "players off their seats", "", 0, 0.0, ("order", "levels"),
    lambda look, _: float(off_seat(look.session)),
)  # fmt: skip
