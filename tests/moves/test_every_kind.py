"""What holds for every kind of move, whatever stage it is of: a new kind is covered at once."""

import dataclasses
from types import SimpleNamespace

import msgspec
import pytest
from msgspec.structs import replace

from all_even import stages
from all_even.audio import retune
from all_even.figures.book.look import Look
from all_even.moves import accounts, making
from all_even.moves.dependencies import DEPENDENCIES
from all_even.moves.kind import Kind
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.file.history import History
from all_even.session.machine import template
from all_even.session.model.ledger import LedgerEntry, Proposal, Result
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX
from tests.moves import (
    approach_sessions,
    check_sessions,
    dynamic_sessions,
    rides_sessions,
    share_sessions,
    space_sessions,
)
from tests.moves.looks import find, look_at, low_looks, make, masked_bass_look, measured_again, states_for_every_kind

KINDS = sorted(stages.kinds())


@pytest.fixture(scope="module")
def cases(brief_demo, tmp_path_factory) -> dict[str, tuple[Look, Proposal]]:
    """The first proposal of each kind, as it is to be made, and the state that it is for: of the demo, or of a folder
    in which one thing at the low end is wrong."""
    demo = look_at(brief_demo)
    found: dict[str, tuple[Look, Proposal]] = {}
    states = [measured_again(demo, state) for state in states_for_every_kind(demo.session)]
    low = low_looks(tmp_path_factory.mktemp("low"))
    sharing = [look_at(folder) for folder in share_sessions.made(tmp_path_factory.mktemp("share"))]
    moving = dynamic_sessions.looks(tmp_path_factory.mktemp("dynamics"))
    rooms = space_sessions.looks(tmp_path_factory.mktemp("space"))
    ridden = rides_sessions.looks(tmp_path_factory.mktemp("rides"))
    checked = check_sessions.looks(tmp_path_factory.mktemp("check"))
    masked = [masked_bass_look(tmp_path_factory.mktemp("masked"))]
    started = [make(demo, find(demo, "balance.voice-first"))]
    others = [lane.id for lane in demo.session.lanes if lane.role != "lead voice"]
    buried = [started[0].at(edits.nudge_levels(started[0].session, others, 3.0))]
    own = [("low-end.", low), ("share.", sharing), ("dynamics.", moving), ("space.", rooms), ("rides.", ridden),
           ("check.", checked), ("balance.kick", masked), ("balance.polish", started),
           ("balance.lead-back", buried)]  # fmt: skip
    for look in [*states, *low, *sharing, *moving, *rooms, *ridden, *checked, *masked, *started, *buried]:
        # Some stages are tried on the short sessions that are made for them.
        its_own = next((stage for stage, looks in own if look in looks), "")
        missing = [
            kind for kind in stages.kinds().values()
            if kind.id not in found and (kind.id.startswith(its_own) if its_own
                                         else not kind.id.startswith(tuple(stage for stage, _ in own)))
            and not kind.approach
        ]  # fmt: skip
        proposed = making.propose(look, missing)
        assert len({move.id for move in proposed}) == len(proposed), "two moves of one id"
        for move in proposed:
            if move.kind not in found:
                found[move.kind] = (look, stages.kinds()[move.kind].prepare(look, move))
    asked = [approach_sessions.look(tmp_path_factory.mktemp("approaches"))]
    asked.append(approach_sessions.chosen(look_at(approach_sessions.in_a_room(tmp_path_factory.mktemp("in a room")))))
    asked += [approach_sessions.chosen(look) for looks in (low, sharing, moving, rooms, states[:1]) for look in looks]
    for look in asked:
        # Those of the small band first; then each stage's own on the sessions that are made for it.
        its_own = next((stage for stage, looks in own if any(one.book is look.book for one in looks)), "")
        missing = [kind for kind in stages.kinds().values()
                   if kind.approach and kind.id not in found and kind.id.startswith(its_own)]  # fmt: skip
        for kind in missing:
            moves = making.propose(look, [kind])
            if moves:
                found[kind.id] = (look, kind.prepare(look, moves[0]))
    return found


@pytest.fixture(params=KINDS)
def case(request, cases) -> tuple[Look, Proposal]:
    if request.param == "gather.retune" and not retune.is_there():
        pytest.skip("rubberband (package rubberband-cli) is not here")
    return cases[request.param]


@pytest.fixture
def look(case) -> Look:
    return case[0]


@pytest.fixture
def move(case) -> Proposal:
    return case[1]


def without_ledger(session: Session) -> Session:
    return replace(session, ledger=())


def made(look, move: Proposal) -> History:
    history = History(look.session)
    assert history.apply(making.made(look.session, stages.kinds()[move.kind], move), move=move)
    return history


@pytest.mark.slow  # the first one of this file proposes all kinds of moves on all states
def test_it_is_data(move):
    assert msgspec.json.decode(msgspec.json.encode(move), type=Proposal) == move
    assert move.title
    assert move.reason
    assert move.rests_on.keys() == set(stages.kinds()[move.kind].depends_on)
    assert move.stage in stages.all_keys()
    assert move.metric in stages.metrics()


def test_it_changes_something_and_undo_brings_everything_back(look, move):
    history = made(look, move)
    assert without_ledger(history.session) != without_ledger(look.session)
    history.undo()
    assert without_ledger(history.session) == without_ledger(look.session)
    assert history.session.ledger[-1].undoes == history.session.ledger[-2].serial


def test_it_is_stale_as_soon_as_what_it_looked_at_is_another(look, move):
    assert not making.is_stale(look, move)
    noted = edits.add_note(replace(look.session, name="Another song"), "ask the drummer", 2.0)
    assert not making.is_stale(look.at(noted), move)
    for dependency in stages.kinds()[move.kind].depends_on:
        assert making.is_stale(look.at(_changed(look.session, dependency)), move), dependency


def _changed(session: Session, dependency: str) -> Session:
    """A session in which this dependency is another."""
    lane = next(lane for lane in session.lanes if not lane.hidden)
    change = {
        "names": {"name": "Something else"},
        "order": {"role": "glockenspiel"},
        "levels": {"level_db": -9.0},
        "mix": {"level_db": -9.0},
        "routing": {"mute": True},
    }.get(dependency)
    if change is not None:
        return edits.change_strips(session, [lane.id], **change)
    if dependency == "settings":
        return edits.set_work(session, glue_db=3.0)
    if dependency == "approaches":
        return edits.set_approaches(session, glue_ratio="3:1" if session.approaches.glue_ratio == "4:1" else "4:1")
    if dependency == "files":
        return replace(session, lanes=session.lanes[1:])
    if dependency == "templates":  # of the machine, not of the session
        template.keep(template.of_session(session, f"Made at {len(template.known())}"))
        return session
    from all_even.dsp.utility import Gain
    from all_even.session.editing import chain_edits

    assert dependency in ("chains", "strips"), f"{dependency} is new: say here how it moves"
    return chain_edits.add_station(session, MIX if dependency == "chains" else lane.id, Gain(gain_db=-3.0))


def test_it_keeps_its_promise_also_when_it_was_saved_before_it_was_measured(look, move, tmp_path):
    history = made(look, move)
    history.apply(edits.change_strips(history.session, [history.session.lanes[-1].id], level_db=-7.0))
    path = tmp_path / "song.alleven"
    store.save(history.session, path)
    reopened = store.load(path)
    assert reopened.ledger == history.session.ledger
    (entry,) = accounts.waiting(reopened)
    result = accounts.verify(look.at(reopened), entry, stages.metrics())
    session = edits.record_result(reopened, entry.serial, result)
    done = next(item for item in session.ledger if item.serial == entry.serial)
    assert accounts.outcome(done, stands=True) in (("measured",) if move.expected is None else ("kept", "worked out"))
    store.save(session, path)
    assert store.load(path).ledger == session.ledger


def test_an_edit_that_does_nothing_breaks_the_promise_of_a_change(look, move):
    """Else a move could be called kept whatever it did. Kinds that promise that nothing changes say so (`steady`)."""
    metric = stages.metric(move.metric)
    entry = LedgerEntry(when="", text="", move=move, result=Result(value=metric.read(look, move.arguments)))
    kept = accounts.outcome(entry, stands=True) in ("kept", "worked out")
    assert kept == stages.kinds()[move.kind].steady, f"{metric.text(move.before)} → {metric.text(move.expected)}"


def test_what_could_not_be_told_from_nothing_is_not_offered():
    small = Proposal(
        id="a.b", kind="a.b", stage="a", title="", reason="", metric="m", before=1.0, expected=1.1, tolerance=0.2
    )
    look = SimpleNamespace(book=None)
    kind = Kind("a.b", (), lambda _look: [small, replace(small, expected=1.3)], lambda session, _move: session)
    offered = kind.proposals().compute(look, "")
    assert [move.expected for move in offered] == [1.3]
    steady = dataclasses.replace(kind, steady=True)
    assert len(steady.proposals().compute(look, "")) == 2


def test_parameters_that_people_may_change_are_numbers_in_their_range(look, move):
    kind = stages.kinds()[move.kind]
    for name, parameter in kind.parameters.items():
        wild = making.with_parameters(kind, move, {name: 1e9})
        assert wild.parameters[name] == parameter.high
        assert without_ledger(making.made(look.session, kind, wild)) != without_ledger(look.session)


def test_everything_depends_on_what_is_known():
    for kind in stages.kinds().values():
        assert set(kind.depends_on) <= DEPENDENCIES.keys(), kind.id
    for metric in stages.metrics().values():
        assert set(metric.depends_on) <= DEPENDENCIES.keys(), metric.id
    for stage in stages.STAGES:
        assert set(stage.depends_on) <= DEPENDENCIES.keys(), stage.key
