"""What a first mix did: what was found, asked and assumed, every move with its promise and what is true at the end, the
whole before and after, what was left and why."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from all_even import stages
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.whole import words
from all_even.figures.whole.guards import losses
from all_even.figures.whole.whole import Whole, whole
from all_even.first_mix.following import PATH
from all_even.first_mix.questions import Answers, Questions, assumed
from all_even.first_mix.stage_run import LINE, StageRun
from all_even.measure.faults.findings import findings
from all_even.moves import accounts, making
from all_even.moves.accounts import Account
from all_even.moves.kind import GATHERING
from all_even.session.model.session import Session


@dataclass(frozen=True, slots=True)
class MoveLine:
    """A move that was made: its figure before, as promised, as it was measured after it, and at the end of all. true:
    whether that is still what was measured; None where there is no figure. since: what moved it."""

    title: str
    reason: str
    figure: str
    unit: str
    before: float | None
    promised: float | None
    found: float | None
    at_end: float | None
    outcome: str
    true: bool | None
    since: str = ""


@dataclass(frozen=True, slots=True)
class LeftLine:
    """partly: less of it was made."""

    title: str
    why: str
    partly: bool


@dataclass(frozen=True, slots=True)
class StageLine:
    """said: what the stage answers where it made nothing. lost: what got worse all the same, in words."""

    key: str
    name: str
    moves: tuple[MoveLine, ...]
    left: tuple[LeftLine, ...]
    said: str
    lost: tuple[str, ...]
    before: Whole
    now: Whole


@dataclass(frozen=True, slots=True)
class WholeLine:
    """A figure of the whole, in words: of the files as they came, behind the balance, at the end."""

    name: str
    tip: str
    usual: str
    first: str
    balance: str
    end: str


@dataclass(frozen=True, slots=True)
class Report:
    """found: what is wrong with the recordings; unread: files that can't be read. asked, assumed: what people said, and
    what nobody said. whole: line by line; figures: the same as numbers. disagree: where both figures of masking say the
    opposite. warned: what is still to be said at the end. not_true: how many moves are no longer as measured."""

    song: str
    version: str
    tracks: int
    found: tuple[str, ...]
    unread: tuple[str, ...]
    asked: tuple[str, ...]
    assumed: tuple[str, ...]
    stages: tuple[StageLine, ...]
    whole: tuple[WholeLine, ...]
    figures: Mapping[str, Whole]
    worse: tuple[str, ...]
    disagree: str
    warned: tuple[str, ...]
    not_true: int

    @property
    def move_count(self) -> int:
        return sum(len(stage.moves) for stage in self.stages)


def report(
    look: Look, first: Whole, runs: Sequence[StageRun], asked: Questions, answers: Answers,
    unread: Sequence[str] = (),
) -> Report:  # fmt: skip
    """Of a session at the end of its first mix. first: the whole as the files came."""
    from all_even import __version__

    session = look.session
    end = whole(look)
    balance = next((run.now for run in runs if run.key == "balance"), first)
    known = accounts.accounts(look, stages.metrics())
    by_stage = _by_stage(look.session, known, runs)
    lines = tuple(
        StageLine(
            run.key, run.name, tuple(_move_line(account) for account in by_stage[run.key]),
            tuple(LeftLine(item.move.title, item.why, item.partly) for item in run.left),
            "" if by_stage[run.key] else _answer(look, run.key), tuple(loss.text for loss in run.lost),
            run.before, run.now,
        )
        for run in runs
    )  # fmt: skip
    return Report(
        session.name, __version__, len(session.lanes), _found(look), tuple(unread), _told(session, answers),
        assumed(session, asked, answers), lines,
        tuple(WholeLine(line.name, line.tip, line.usual, line.text(first), line.text(balance), line.text(end))
              for line in words.LINES),
        {"first": first, "balance": balance, "end": end},
        tuple(loss.text for loss in losses(balance, end)), words.disagreement(first, end), _warned(look),
        sum(account.moved for account in known),
    )  # fmt: skip


def _by_stage(session: Session, known: Sequence[Account], runs: Sequence[StageRun]) -> dict[str, list[Account]]:
    """What became of the moves that each stage made: they stand under its line in the ledger."""
    found: dict[str, list[Account]] = {run.key: [] for run in runs}
    by_serial = {account.entry.serial: account for account in known}
    lines = {f"{LINE}{run.name}": run.key for run in runs}
    key = ""
    for entry in session.ledger:
        key = lines.get(entry.text, key)
        if entry.serial in by_serial and key:
            found[key].append(by_serial[entry.serial])
    return found


def _move_line(account: Account) -> MoveLine:
    move, result = account.entry.move, account.entry.result
    assert move is not None
    metric = stages.metric(move.metric)
    found = result.value if result is not None else None
    return MoveLine(
        move.title, move.reason, metric.label, metric.unit, move.before, move.expected, found,
        account.value_now if account.moved else found, account.outcome,
        None if found is None and move.expected is None else not account.moved, account.moved_by,
    )  # fmt: skip


def _answer(look: Look, key: str) -> str:
    with making.guarded(look, f"{key} answer"):
        return stages.stage(key).moves().answer(look).words
    return ""


def _found(look: Look) -> tuple[str, ...]:
    """What is wrong with the recordings: a line a kind."""
    lanes: dict[str, list[str]] = {}
    texts: dict[str, str] = {}
    for lane in look.session.lanes:
        report = look.reports.get(lane.id)
        for item in findings(report) if report is not None else ():
            if item.severity == "fault":
                lanes.setdefault(item.kind, []).append(lane.name)
                texts.setdefault(item.kind, item.text)
    told = []
    for kind, names in lanes.items():
        more = f" (and {len(names) - 1} more)" if len(names) > 1 else ""
        told.append(f"{names[0]}: {texts[kind].rstrip('.')}{more}.")
    return tuple(told)


def _told(session: Session, answers: Answers) -> tuple[str, ...]:
    """What people said, in words."""
    told = [f"{session.strip_name(lane)} is {role}." for lane, role in answers.roles.items() if session.is_lane(lane)]
    if answers.lead is not None:
        leads = session.is_lane(answers.lead)
        told.append(f"{session.strip_name(answers.lead)} leads." if leads else "Nobody leads.")
    if answers.low_end is not None:
        told.append(f"The low end goes by {answers.low_end}.")
    if answers.school is not None:
        told.append(f"The balance starts {answers.school.replace('-', ' ')}.")
    return tuple(told)


def _warned(look: Look) -> tuple[str, ...]:
    """What the stages still have to say, asides left out."""
    told: list[str] = []
    for key in PATH:
        if key in GATHERING:  # what they say stands among what was found
            continue
        with making.guarded(look, f"{key} remarks"):
            for remark in stages.stage(key).moves().remarks(look):
                if not remark.aside:
                    names = ", ".join(look.session.strip_name(lane) for lane in remark.lanes[:3])
                    told.append(f"{names}: {remark.text}" if names else remark.text)
    return tuple(dict.fromkeys(told))


def in_figures(value: float | None, unit: str) -> str:
    """A figure of a move with its unit; a dash where there is none."""
    return "–" if value is None else f"{number(value)} {unit}".strip()
