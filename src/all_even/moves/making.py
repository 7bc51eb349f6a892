"""Making moves, one way for the window, the command line and a blind comparison: what is open, getting one ready,
making it.

A rule that stumbles costs only its own moves: everything else goes on, and whoever asked is told.
"""

import contextlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor, wait

from msgspec.structs import replace

from all_even import places
from all_even.engine.sources import Sources
from all_even.errors import Cancelled, UserError
from all_even.figures.book.look import Look
from all_even.figures.of_session import measured
from all_even.figures.whole.finished import finished
from all_even.moves.accounts import standing, verify
from all_even.moves.dependencies import fingerprints
from all_even.moves.kind import LEFT_OUT, Kind, left_out
from all_even.moves.metric import Metric
from all_even.priority import step_back
from all_even.session.editing import clip_edits, edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

FIRST_S, SOON_S = 0.1, 0.5
"""How soon whoever waits for many moves is told of the first, and how often of more."""
Told = Callable[[str], None]
"""Takes a sentence for people."""


def unheard(_sentence: str) -> None: ...


@contextlib.contextmanager
def guarded(look: Look, rule: str, told: Told = unheard) -> Iterator[None]:
    """Whatever goes wrong inside with a rule is one sentence, and a line in the log of defects where it is ours."""
    try:
        yield
    except Cancelled:
        raise
    except UserError as problem:
        told(str(problem))
    except Exception as defect:
        look.stop_if_cancelled()
        log = places.note_defect(defect)
        where = f" Details: {log}" if log else ""
        told(f"A rule stumbled and is left out ({rule}, {type(defect).__name__}).{where}")


def is_open(session: Session, kind: Kind, move_id: str | None = None) -> bool:
    """Whether a kind, or one move of it, may be proposed: not declined, and no starting point that stands."""
    if {kind.id, move_id} & {item.move_id for item in session.declined}:
        return False
    return not kind.starting_point or not {move.kind for move in standing(session).values()} & {kind.id, *kind.rivals}


def propose(look: Look, kinds: Iterable[Kind], told: Told = unheard) -> list[Proposal]:
    """What is open, most important first."""
    found: list[Proposal] = []
    for kind in kinds:
        look.stop_if_cancelled()
        if is_open(look.session, kind):
            with guarded(look, kind.id, told):
                if kind.mixes_anew and finished(look) is not None:
                    continue
                found += [item for item in look.get(kind.proposals()) if is_open(look.session, kind, item.id)]
    return _weightiest_first(found)


def propose_soon(
    look: Look,
    kinds: Iterable[Kind],
    before: Sequence[Proposal],
    told: Told = unheard,
    done: Callable[[int, int], None] = lambda _spoken, _all: None,
) -> Iterator[list[Proposal]]:
    """The same as they are found, at last all. What is made by default is looked for first, as many
    rules side by side as there are threads to use; before: what was open, which stays until its rule has spoken. done:
    told how many rules have spoken, of how many."""
    in_turn = sorted(kinds, key=lambda kind: kind.optional)
    with ThreadPoolExecutor(look.workers, thread_name_prefix="moves", initializer=step_back) as pool:
        asked = {kind.id: pool.submit(propose, look, [kind], told) for kind in in_turn}
        said: set[str] = set()
        try:
            while wait(asked.values(), SOON_S if said else FIRST_S).not_done:
                known = {kind_id: made.result() for kind_id, made in asked.items() if made.done()}
                done(len(known), len(asked))
                if any(known[kind_id] for kind_id in known.keys() - said):
                    still = [move for move in before if move.kind in asked and move.kind not in known]
                    yield _weightiest_first([*(move for moves in known.values() for move in moves), *still])
                    said |= known.keys()
            yield _weightiest_first(move for made in asked.values() for move in made.result())
        finally:
            for made in asked.values():
                made.cancel()


def _weightiest_first(moves: Iterable[Proposal]) -> list[Proposal]:
    return sorted(moves, key=lambda move: -move.weight)


def is_stale(look: Look, proposal: Proposal) -> bool:
    """Whether anything it rests on is another now."""
    return fingerprints(look, tuple(proposal.rests_on)) != proposal.rests_on


def ready(look: Look, kind: Kind, proposal: Proposal) -> tuple[Proposal, Session] | None:
    """The move as it is to be made on this session, and the session with it made: proposed anew where it is stale, with
    all that it needs found on the sound, and what is expected of it. None where there is nothing to do any more."""
    fresh = _renewed(look, kind, proposal) if is_stale(look, proposal) else proposal
    if fresh is None:
        return None
    if not _is_settled(kind, fresh):
        fresh = kind.prepare(look, fresh)
        if kind.prepares and not kind.is_told_from_nothing(fresh):
            return None
    if fresh.expected is None and kind.refit is not None:
        fresh = kind.refit(look, fresh)
    try:
        return fresh, made(look.session, kind, fresh)
    except KeyError:  # a target is gone
        return None


def _renewed(look: Look, kind: Kind, proposal: Proposal) -> Proposal | None:
    fresh = next((item for item in look.get(kind.proposals()) if item.id == proposal.id), None)
    parts = left_out(proposal)
    return without_parts(kind, fresh, parts) if fresh is not None and parts else fresh


def _is_settled(kind: Kind, proposal: Proposal) -> bool:
    """Whether its parameters were found, or set by hand, already."""
    return bool(kind.parameters) and set(kind.parameters) <= set(proposal.parameters)


def made(session: Session, kind: Kind, proposal: Proposal) -> Session:
    """The session with a move made that is ready, without a line in the ledger. Raises KeyError where a target is
    gone."""
    after = kind.edit(session, proposal)
    at_rest = kind.stage == "balance" and session.approaches.balance_by == "clip gain"
    return clip_edits.faders_at_rest(session, after) if at_rest else after


def recorded(after: Session, kind: Kind, proposal: Proposal) -> Session:
    """The session with a move made, with a line in the ledger that says so."""
    return edits.record(after, proposal.title, reason=proposal.reason, move=proposal, audible=kind.heard)


def make(look: Look, kind: Kind, proposal: Proposal, metrics: Mapping[str, Metric]) -> Look | None:
    """Makes a move if it is open still, with its line in the ledger, and measures what it did; files that are read
    otherwise then are measured first. None where there is nothing to do any more."""
    found = ready(look, kind, proposal) if is_open(look.session, kind, proposal.id) else None
    if found is None:
        return None
    session = recorded(found[1], kind, found[0])
    if isinstance(look.book.sources, Sources):
        look.book.sources.update(session)
    after = measured(look.at(session))
    entry = after.session.ledger[-1]
    return after.at(edits.record_result(after.session, entry.serial, verify(after, entry, metrics)))


def with_parameters(kind: Kind, proposal: Proposal, values: Mapping[str, float]) -> Proposal:
    """The proposal with parameters people changed, each in its range, and what is expected then."""
    own = {name: kind.parameters[name].clamped(value) for name, value in values.items() if name in kind.parameters}
    return kind.changed(replace(proposal, parameters={**proposal.parameters, **own}))


def without_parts(kind: Kind, proposal: Proposal, parts: Iterable[str]) -> Proposal:
    """The proposal with some of its parts left out, and what is expected then."""
    return kind.changed(replace(proposal, parameters={**proposal.parameters, LEFT_OUT: tuple(sorted(set(parts)))}))
