"""Who owns the bottom: decided from what the tracks have, or asked where that is not clear."""

from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import owned
from all_even.measure.sharing.owner import Side
from all_even.moves.kind import Kind, text_of
from all_even.moves.low_end.bottom import DEPENDS_ON
from all_even.moves.metric import Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.settings import BY_FIGURES

OTHER: dict[Side, Side] = {"kick": "bass", "bass": "kick"}


def propose(look: Look) -> list[Proposal]:
    found = owned(look)
    if found is None or found.owner is None or look.session.settings.low_owner != BY_FIGURES:
        return []
    side: Side = found.owner
    against = found.speaking(OTHER[side])
    but = f" Against it: {', '.join(against)}." if against else ""
    words = ", and ".join((", ".join(found.speaking(side)[:-1]), found.speaking(side)[-1]))
    reason = words.removeprefix(", and ")
    return [
        KIND.move(
            title=f"The {side} leads the low end",
            reason=f"{reason[:1].upper()}{reason[1:]}.{but} The other yields under 80 Hz; turn it round on the "
            "bench, and everything below turns with it.",
            parameters={"owner": side},
            evidence={
                "z": found.z,
                "level_under_70_hz_db": found.level_db,
                "kick_share": found.kick_share,
                "bass_share": found.bass_share,
                "deep_share": found.deep,
                "tail_ms": found.tail_ms,
                "note_s": found.note_s,
                "pull": found.pull,
            },
            metric=METRIC,
            weight=8.0,
        )
    ]


def question(look: Look) -> str | None:
    """What is to be said where it is not clear; None where it is, or was decided."""
    found = owned(look)
    if found is None or found.owner is not None or look.session.settings.low_owner != BY_FIGURES:
        return None
    kick, bass = found.speaking("kick"), found.speaking("bass")
    return (
        f"Who leads the low end is not clear. For the kick: "
        f"{', '.join(kick) or 'nothing'}. For the bass: {', '.join(bass) or 'nothing'}. Decide it on the bench."
    )


def edit(session: Session, proposal: Proposal) -> Session:
    return edits.set_work(session, low_owner=text_of(proposal, "owner"))


def _is_decided(look: Look) -> float:
    return 0.0 if look.session.settings.low_owner == BY_FIGURES else 1.0


KIND = Kind("low-end.owner", DEPENDS_ON, propose, edit, heard=False, bookkeeping=True)
METRIC = Metric("owner-decided", "owners decided", "", 0, 0.0, ("settings",), lambda look, _: _is_decided(look))
