"""What would be missing from what leaves the house, and whether it may leave without it.

A mix without its bass is no mix, and nobody hears of it from a file. So everything that is written of a session's sound
asks here twice: before anything is rendered (files that are gone or can't be read), and before it takes its place
(files that turned out damaged, or were cut, while they were read).
"""

from all_even.audio.decoded import trouble
from all_even.audio.sound_file import told_name
from all_even.engine import responses
from all_even.engine.plan import Plan
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources, frames_of
from all_even.errors import UserError
from all_even.figures.book.look import Look
from all_even.measure.faults.findings import findings

WITHOUT = "WITHOUT"
"""The word before what is missing, in texts and on sheets."""
DAMAGED = "not_finite"


class SourcesLacking(UserError):
    """lacks: a sentence for each source."""

    def __init__(self, lacks: tuple[str, ...]) -> None:
        more = f" And {len(lacks) - 1} more can't be read whole." if len(lacks) > 1 else ""
        super().__init__(f"Not written, it would be incomplete: {lacks[0]}{more}")
        self.lacks = lacks


def check(lacks: tuple[str, ...], even_without: bool) -> tuple[str, ...]:
    """What is lacking, a sentence each, where it may leave without; else SourcesLacking."""
    if lacks and not even_without:
        raise SourcesLacking(lacks)
    return lacks


def of_plan(plan: Plan, look: Look) -> tuple[str, ...]:
    """What a plan lacks: what can't be read, and what was read or measured and is damaged."""
    measured = []
    for lane_id in plan.lane_ids:
        report = look.reports.get(lane_id)
        if report is not None and not any(told_name(report.path) in sentence for sentence in plan.lacking()):
            damaged = (item.text for item in findings(report) if item.kind == DAMAGED)
            measured += [f"{told_name(report.path)}: {text}" for text in damaged]
    return (*plan.lacking(), *dict.fromkeys(measured))


def of_mix(look: Look) -> tuple[str, ...]:
    """What the mix of a session would lack if it were printed now. Asked with every edit: a plan is only made where
    there is anything that could be lacking."""
    return of_plan(make_plan(look.session, look.book.sources), look) if _may_lack(look) else ()


def _may_lack(look: Look) -> bool:
    """Whether any file or response of a session is in trouble, heard or not."""
    session, sources = look.session, look.book.sources
    if any(report.measures is not None and report.measures.not_finite for report in look.reports.values()):
        return True
    if isinstance(sources, Sources) and sources.problems(session):
        return True
    if any(trouble(frames) for frames in frames_of(session, sources).values()):
        return True
    return bool(responses.problems(session, responses.used_responses(session)))
