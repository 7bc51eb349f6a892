"""Which of several kicks fits the bass of this song: the one of which most is heard over it.

Each candidate is tried in place of the one that plays, as loud as it is (K-weighted, while it plays); tail and pitch
stand beside it. Long bass notes want a short kick (common practice).
"""

from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_focus import low_focus
from all_even.moves.gain.paths import arriving_lufs
from all_even.moves.kind import Kind, value_of
from all_even.moves.metric import Metric
from all_even.session.editing import alternatives, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.song.hits import is_kick, struck

WORTH = 0.03


def groups(session: Session) -> list[tuple[Lane, ...]]:
    """Candidates for the kick of which one plays."""
    words = {lane.alternative for lane in session.lanes if lane.alternative is not None and is_kick(lane.role)}
    found = [tuple(lane for lane in session.lanes if lane.alternative == word) for word in sorted(filter(None, words))]
    return [group for group in found if len(group) > 1 and any(not lane.mute for lane in group)]


def instead(look: Look, playing: Lane, other: Lane) -> Session:
    """The session with another candidate in its place, as loud as the one that plays."""
    swapped = edits.change_strips(look.session, (playing.id,), mute=True)
    swapped = edits.change_strips(swapped, (other.id,), mute=False, level_db=playing.level_db, pan=playing.pan)
    now, then = arriving_lufs(look, look.session, playing.id), arriving_lufs(look, swapped, other.id)
    if now is None or then is None:
        return swapped
    return edits.change_strips(swapped, (other.id,), level_db=playing.level_db + now - then)


def focus_percent(look: Look) -> float | None:
    found = low_focus(look)
    return 100.0 * found.at_present if found is not None else None


def propose(look: Look) -> list[Proposal]:
    proposals = []
    for group in groups(look.session):
        playing = next(lane for lane in group if not lane.mute)
        now = focus_percent(look)
        if now is None:
            continue
        heard = {playing.id: now}
        for other in group:
            if other.id != playing.id:
                value = focus_percent(look.at(instead(look, playing, other)))
                if value is not None:
                    heard[other.id] = value
        best = max(heard, key=lambda lane_id: heard[lane_id])
        if best != playing.id and heard[best] - now >= 100.0 * WORTH:
            proposals.append(_proposal(look, playing, look.session.lane(best), heard))
    return proposals


def _proposal(look: Look, playing: Lane, best: Lane, heard: dict[str, float]) -> Proposal:
    tails = {lane.id: _tail_ms(look, lane) for lane in (playing, best)}
    told = " against ".join(f"{number(tails[lane.id] or 0.0, 0)} ms" for lane in (best, playing))
    return KIND.move(
        targets=(playing.id, best.id),
        of=playing.id,
        title=f"{best.name} instead of {playing.name}",
        reason=f"Over this song's bass {number(heard[best.id], 0)} % of it is heard, of {playing.name} "
        f"{number(heard[playing.id], 0)} %, as loud as each other. Its tail is {told}.",
        parameters={"level_db": instead(look, playing, best).lane(best.id).level_db},
        evidence={
            **{f"{lane_id}_focus_percent": value for lane_id, value in heard.items()},
            **{f"{lane_id}_tail_ms": tail for lane_id, tail in tails.items()},
        },
        metric=METRIC,
        before=heard[playing.id],
        expected=heard[best.id],
        source="trial",
        weight=4.5,
    )


def _tail_ms(look: Look, lane: Lane) -> float | None:
    report = look.reports.get(lane.id)
    if report is None or report.character is None:
        return None
    tail = struck(report.character, lane.role).tail
    return tail.ms if tail is not None else None


def edit(session: Session, proposal: Proposal) -> Session:
    playing, best = proposal.targets
    level_db = value_of(proposal, "level_db")
    pan = session.lane(playing).pan
    session = edits.change_strips(session, [lane.id for lane in alternatives.candidates(session, best)], mute=True)
    return edits.change_strips(session, (best,), mute=False, level_db=level_db, pan=pan)


KIND = Kind("gather.kick", ("files", "order", "names", "levels", "strips"), propose, edit)
METRIC = Metric(
    "kick-heard", "kick heard over the bass", "%", 0, 1.5, ("files", "order", "levels", "strips"),
    lambda look, _: focus_percent(look),
)  # fmt: skip
