"""Sections as groups: one summing group for each family that goes straight to the mix."""

from all_even.figures.book.look import Look
from all_even.moves.buses.tracks import ids, present, sounding
from all_even.moves.kind import Kind
from all_even.moves.metric import Metric
from all_even.session.editing import routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane
from all_even.session.tracks.roles import family_of

GROUP_NAMES = {
    "drums": "Drums", "percussion": "Percussion", "bass": "Basses", "guitars": "Guitars", "keys": "Keys",
    "winds & brass": "Winds & brass", "strings": "Strings", "voices": "Voices",
}  # fmt: skip


def propose(look: Look) -> list[Proposal]:
    families: dict[str, list[Lane]] = {}
    for lane in sounding(look.session, lambda lane: lane.destination == MIX):
        families.setdefault(family_of(lane.role), []).append(lane)
    families = {name: lanes for name, lanes in families.items() if name in GROUP_NAMES and len(lanes) > 1}
    if len(families) < 2:
        return []
    before = loudness_lufs(look)
    return [
        KIND.move(
            title=f"Sections as groups: {', '.join(GROUP_NAMES[name].lower() for name in families)}",
            reason="Parts that will be treated as one get one fader and one chain. A group adds up to its members: "
            "the mix stays as it is.",
            parameters={GROUP_NAMES[name]: ids(lanes) for name, lanes in families.items()},
            evidence={f"{name}_tracks": len(lanes) for name, lanes in families.items()},
            metric=METRIC,
            before=before,
            expected=before,
            weight=9.0,
        )
    ]


def edit(session: Session, proposal: Proposal) -> Session:
    for name, lanes in proposal.parameters.items():
        assert isinstance(lanes, tuple)
        wanted = present(session, lanes)
        if wanted:
            session, _ = routing_edits.group_strips(session, wanted, name)
    return session


def loudness_lufs(look: Look) -> float | None:
    return look.mix.integrated_lufs if look.mix is not None else None


KIND = Kind("buses.sections", ("order", "routing", "levels", "mix"), propose, edit, starting_point=True, steady=True)
METRIC = Metric(
    "mix-loudness", "loudness of the mix", "LUFS", 1, 0.1, ("mix",), lambda look, _: loudness_lufs(look)
)  # fmt: skip
