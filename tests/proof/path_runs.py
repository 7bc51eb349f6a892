"""Following the default moves of some stages on a session, as somebody would who trusts them.

After each move the program's own remarks are asked again: what they say then and did not say before, that move did. The
low end is read from its figures at first, at the start (microphones brought together, and the starting point of the
balance, where one is made), and after each stage.
"""

import tempfile
from dataclasses import dataclass, field
from pathlib import Path

from all_even import stages
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.kick_and_bass.verdict import verdict
from all_even.figures.low_end.low_end import LowEnd, low_end
from all_even.moves import accounts, making
from all_even.moves.gather import align
from all_even.moves.kind import Kind
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.remark import Remark
from all_even.session.model.session import Session
from tests.moves.looks import look_at
from tests.proof import fresh

PATH = ("balance", "low-end", "share", "dynamics")
MOST_ROUNDS = 3
INFORM = frozenset({
    "no-duck", "owner", "in-tune", "phase", "low-stopped", "low-level", "even-already", "no-glue", "sibilants-unsure",
    "equalisers-again", "later-dynamics",
})  # fmt: skip
"""Kinds of remarks that tell how things are, ask, or say that nothing is to be done. Everything else warns."""
MEANT = frozenset({"balance.trim", "balance.bass", "balance.kick"})
CLEARING = frozenset({"low-end.duck", "low-end.dynamic-clearing", "low-end.fader", "buses.silent-trigger"})


@dataclass
class Made:
    """A move as it was made: its title, and its figure before, as expected, and as it came."""

    id: str
    title: str
    reason: str
    before: float | None
    expected: float | None
    after: float | None


@dataclass
class Untrue:
    """A move whose figure is another at the end, and what moved it. lost: whether it went back towards what it was
    before the move, and not further on. meant: starting points and levels are made to be gone on from."""

    title: str
    moved_by: str
    lost: bool
    meant: bool


@dataclass
class Walk:
    """low: the figures of the low end by moment. warned: (stage, what is warned of behind its moves). against:
    sentences of one screen that say the opposite of each other. untrue: at the end. stopped: what is said where kick
    and bass collide and nothing is offered."""

    name: str
    low: dict[str, LowEnd] = field(default_factory=dict)
    collides: dict[str, bool] = field(default_factory=dict)
    made: list[Made] = field(default_factory=list)
    warned: list[tuple[str, Remark]] = field(default_factory=list)
    against: list[tuple[str, str]] = field(default_factory=list)
    untrue: list[Untrue] = field(default_factory=list)
    stopped: str = ""


def walk_it(wanted: tuple[str, int], path: tuple[str, ...] = PATH) -> Walk:
    what, seed = wanted
    with tempfile.TemporaryDirectory(prefix="all-even-fresh-") as name:
        return follow(look_at(fresh.make(what, seed, Path(name)), Pages()), f"{what} {seed}", path)


def low_end_alone(wanted: tuple[str, int]) -> Walk:
    return walk_it(wanted, ("low-end",))


def follow(look: Look, name: str, path: tuple[str, ...] = PATH) -> Walk:
    told = Walk(name)
    _note(told, "first", look)
    for move in making.propose(look, [align.KIND]):
        found = making.ready(look, align.KIND, move)
        look = _made(look, told, align.KIND, found) if found is not None else look
    _note(told, "start", look)
    known = warnings(look, path)
    for key in path:
        kinds = [kind for kind in stages.stage(key).moves().shown if not kind.optional]
        for _ in range(MOST_ROUNDS):
            opened = making.propose(look, kinds)
            told.against += contradictions(look, opened)
            made = False
            for move in opened:
                kind = stages.kinds()[move.kind]
                found = making.ready(look, kind, move) if making.is_open(look.session, kind, move.id) else None
                if found is not None:
                    made = True
                    look = _made(look, told, kind, found)
                    if kind.starting_point:
                        _note(told, "start", look)
            if not made:
                break
        after = warnings(look, path)
        told.warned += [(key, remark) for remark in new_among(known, after)]
        known = after
        _note(told, key, look)
    said = stages.stage("low-end").moves().remarks(look)
    told.stopped = next((remark.text for remark in said if remark.kind == "low-stopped"), "")
    told.untrue = [_untrue(item) for item in accounts.accounts(look, stages.metrics()) if item.moved]
    return told


def _untrue(account: accounts.Account) -> Untrue:
    move, result = account.entry.move, account.entry.result
    assert move is not None
    then, now, before = (result.value if result is not None else None), account.value_now, move.before
    lost = None not in (then, now, before) and (now - then) * (then - before) < 0.0
    return Untrue(
        account.entry.text, account.moved_by, lost, move.kind in MEANT or stages.kinds()[move.kind].starting_point
    )


def _note(told: Walk, moment: str, look: Look) -> None:
    said = verdict(look)
    told.low[moment], told.collides[moment] = low_end(look), said is not None and said.collides


def _made(look: Look, told: Walk, kind: Kind, found: tuple[Proposal, Session]) -> Look:
    ready, session = found
    look = look.at(making.recorded(session, kind, ready))
    entry = look.session.ledger[-1]
    result = accounts.verify(look, entry, stages.metrics())
    told.made.append(Made(ready.id, ready.title, ready.reason, ready.before, ready.expected, result.value))
    return look.at(edits.record_result(look.session, entry.serial, result))


def warnings(look: Look, path: tuple[str, ...]) -> list[Remark]:
    """What the stages on the path warn of."""
    return [remark for key in path for remark in stages.stage(key).moves().remarks(look) if remark.kind not in INFORM]


def new_among(before: list[Remark], after: list[Remark]) -> list[Remark]:
    """What is warned of and was not: another kind, or the same of lanes of which it was not said."""
    known: dict[str, set[str]] = {}
    for remark in before:
        known.setdefault(remark.kind, set()).update(remark.lanes or ("",))
    return [remark for remark in after if set(remark.lanes or ("",)) - known.get(remark.kind, set())]


def contradictions(look: Look, opened: list[Proposal]) -> list[tuple[str, str]]:
    """Where it is said that nothing is needed, and something is offered all the same; where a fader is to go both
    ways."""
    said = [remark.text for remark in stages.stage("low-end").moves().remarks(look) if remark.kind == "no-duck"]
    found = [(text, move.title) for text in said for move in opened if move.kind in CLEARING]
    ways = [
        move.title for move in opened if move.title.startswith("Bass ") and move.title.split()[-1] in ("up", "down")
    ]
    return found + ([(ways[0], ways[1])] if len({title.split()[-1] for title in ways}) > 1 else [])
