"""A template of this machine for a session in which nothing is set yet: by what the tracks are, lane by lane."""

from msgspec.structs import replace

from all_even.figures.book.look import Look
from all_even.moves.kind import Kind, left_out, text_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.machine import named_files
from all_even.session.machine import template as templates
from all_even.session.machine.template import Match, Template
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

LEAST_SHARE = 0.5
TEMPLATE = "template"


def propose(look: Look) -> list[Proposal]:
    session = look.session
    if session.buses or any(lane.chain for lane in session.lanes):
        return []
    moves = [proposal_of(session, template, LEAST_SHARE) for template in templates.known()]
    return [move for move in moves if move is not None and move.before != move.expected]


def proposal_of(session: Session, template: Template, least_share: float = 0.0) -> Proposal | None:
    """The move that sets a session like a template; None where too few lanes have a counterpart."""
    found = templates.matches(session, template)
    in_sight = [lane for lane in session.lanes if not lane.hidden]
    if not found or len(found) < least_share * len(in_sight):
        return None
    matched = {match.lane.id for match in found}
    without = [lane.name for lane in in_sight if lane.id not in matched]
    rest = f" Nothing is said of {', '.join(without[:4])}{' …' if len(without) > 4 else ''}." if without else ""
    buses = f", {len(template.buses)} buses" if template.buses else ""
    arguments: dict[str, float | int | str | None] = {TEMPLATE: template.name}
    return KIND.move(
        of=named_files.key(template.name),
        title=f"Set up like “{template.name}”",
        reason=f"{len(found)} of {len(in_sight)} tracks have a counterpart there by name or role: their chains, pans, "
        f"sends and groups{buses} and the mix bus are taken over, levels are not.{rest}",
        parameters={TEMPLATE: template.name},
        evidence={"matched": len(found), "without": len(without)},
        metric=METRIC,
        arguments=arguments,
        before=float(_alike(session, template, found)),
        expected=float(len(found)),
        weight=12.0,
    )


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Each lane, what it takes after, and what that brings."""
    try:
        template = templates.find(text_of(proposal, TEMPLATE))
    except KeyError:
        return []
    goals = {bus.id: bus.name for bus in template.buses}
    return [
        (match.lane.id, f"{match.lane.name} ← {match.like.name}: {_brings(match, goals)}")
        for match in templates.matches(session, template)
    ]


def _brings(match: Match, goals: dict[str, str]) -> str:
    stations = ", ".join(station.LABEL for station in match.like.chain) or "no processor"
    goal = goals.get(match.like.destination)
    return stations + (f", to {goal}" if goal else "")


def edit(session: Session, proposal: Proposal) -> Session:
    """KeyError where the template is gone."""
    return templates.applied(session, templates.find(text_of(proposal, TEMPLATE)), left_out(proposal))


def changed(proposal: Proposal) -> Proposal:
    matched = proposal.evidence.get("matched")
    out = len(left_out(proposal))
    return replace(proposal, expected=float(matched) - out if isinstance(matched, int) and out == 0 else None)


def _alike(session: Session, template: Template, found: list[Match]) -> int:
    return sum(templates.is_like(session, match.lane, match.like, template) for match in found)


def alike(look: Look, arguments: Arguments) -> float | None:
    """How many lanes are set as the template says; None where it is gone."""
    try:
        template = templates.find(str(arguments[TEMPLATE]))
    except KeyError:
        return None
    return float(_alike(look.session, template, templates.matches(look.session, template)))


DEPENDS_ON = ("order", "names", "routing", "chains", "templates")
KIND = Kind(
    "gather.template", DEPENDS_ON, propose, edit, starting_point=True, parts=parts, changed=changed,
)  # fmt: skip
METRIC = Metric("like-template", "tracks set like the template", "", 0, 0.0, DEPENDS_ON, alike)
