"""The facts about each stage, gathered from the desk for the path and for what is next."""

from all_even import stages
from all_even.app.desk import Desk
from all_even.app.desk.moves import is_taste
from all_even.app.head.next_step import StageFacts


def stage_facts(desk: Desk) -> list[StageFacts]:
    """One entry a stage, in the order of the work. Matters of taste are no open work."""
    faults, first = _faults(desk)
    found = []
    for stage in stages.STAGES:
        moves = tuple(move.title for move in desk.moves.at(stage.key) if not is_taste(move))
        own = faults if stage.faults else 0
        done, moved_on = stage.key in desk.moves.done, stage.key in desk.moves.moved_on
        answer = desk.moves.answers.get(stage.key)
        lacks = answer.text if answer is not None and not answer.judged and answer.press is not None else ""
        looked = stage.key in desk.moves.looked
        no_longer = sum(account.moved for account in desk.moves.accounts) if stage.key == "check" and looked else 0
        found.append(
            StageFacts(
                stage.key, stage.name, own, first if own else "", moves, done, moved_on, looked, lacks, no_longer
            )
        )
    return found


def _faults(desk: Desk) -> tuple[int, str]:
    """How many faults there are, and the worst in words."""
    if not desk.is_open or not desk.reports:
        return len(desk.documents.unreadable), desk.documents.unreadable[0][1] if desk.documents.unreadable else ""
    found = desk.figures.findings()
    unreadable = desk.documents.unreadable
    if unreadable:
        return found.count + len(unreadable), unreadable[0][1]
    if not found.groups:
        return 0, ""
    lane_id, finding = found.groups[0].lanes[0]
    return found.count, f"{desk.session.lane(lane_id).name} {finding.label}"
