"""How clearly the kick is heard with the bass as loud as it is, and how loud the bass may be
(`measure.sharing.focus`)."""

from all_even.engine import judging
from all_even.engine.figures.figure import Figure
from all_even.engine.figures.fingerprint import Fingerprints, digest
from all_even.engine.figures.look import Look
from all_even.measure.sharing.focus import Focus, focus
from all_even.session import routing


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    kicks, basses = judging.kicks_and_basses(look.session)
    opened = routing.hearing(look.session).open_edges
    edges = [edge for edge in routing.edges(look.session) if edge.kind == "destination" and edge in opened]
    parts: list[object] = [
        (edge.source in kicks, edge.source in basses, prints.feed(edge))
        for edge in edges
        if edge.source in kicks | basses or not look.session.is_lane(edge.source)
    ]
    parts += [(lane.id, lane.hits, lane.role) for lane in look.session.lanes if lane.id in kicks]
    return digest((*parts, len(look.reports)))


def _compute(look: Look, _target: str) -> Focus | None:
    characters = {i: report.character for i, report in look.reports.items() if report.character is not None}
    heard = judging.heard_low_end(look.session, look.book, characters, cancelled=look.cancelled)
    return focus(heard.kick, heard.bass, look.session.sample_rate, heard.hits_s) if heard is not None else None


LOW_FOCUS = Figure("kick focus", 1, "session", _rests_on, _compute)


def low_focus(look: Look) -> Focus | None:
    """None without a kick with hits and a bass that are heard."""
    return look.get(LOW_FOCUS)
