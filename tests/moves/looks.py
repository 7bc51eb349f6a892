"""Looks at sessions for tests: folders opened and measured, one book of figures for all that is tried."""

from pathlib import Path

from msgspec.structs import replace

from all_even import stages
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.dynamics.compressor import Compressor
from all_even.engine.sources import Sources
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.figures.book.pages import Pages
from all_even.figures.of_session import measured
from all_even.measure.recording.files import measure_files
from all_even.moves import making
from all_even.moves.low_end.clearing import dynamic_clearing
from all_even.session.editing import alternatives, chain_edits, edits
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from all_even.session.machine import template
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from tests.moves import low_sessions

PAGES = Pages()
"""Of all looks: what one test heard of the demo the next one knows."""


def look_at(folder: Path, pages: Pages = PAGES) -> Look:
    """A new session of a folder."""
    infos, _ = inspect_all(sound_paths(folder))
    session = new_session(folder, infos)
    sources = Sources()
    sources.update(session)
    reports = dict(measure_files([(store.lane_path(session, lane), lane.take) for lane in session.lanes]))
    return Look(session, Book(sources, pages=pages), {lane.id: reports[i] for i, lane in enumerate(session.lanes)})


LEANING = ("trombone", "mandolin", "clarinet", "electric guitar", "viola", "harmonium")


def states_for_every_kind(session: Session) -> list[Session]:
    """States of the demo in which, taken together, every kind of move has something to do; the plainest first."""
    by_role = {lane.role: lane.id for lane in session.lanes}
    bass = next(lane for lane in session.lanes if lane.role.startswith("bass"))
    at_the_side = edits.change_strips(session, [bass.id], pan=0.4)
    chained = chain_edits.add_station(session, by_role["trombone"], Compressor(threshold_db=-40.0, ratio=4.0))
    low = edits.nudge_clip_gains(session, [lane.id for lane in session.lanes], -24.0)
    band = {"electric guitar", "accordion", "mandolin", "harmonium", "viola"}
    small = edits.change_strips(session, [lane.id for lane in session.lanes if lane.role not in band], mute=True)
    brass = [by_role["trombone"], by_role["baritone saxophone"], by_role["clarinet"], by_role["accordion"]]
    quintet = edits.change_strips(session, [lane.id for lane in session.lanes if lane.id not in brass], hidden=True)
    for lane_id, role in zip(brass, ("trombone", "tuba", "trumpet", "horn"), strict=True):
        quintet = edits.change_strips(quintet, [lane_id], role=role)
    clicked = edits.change_strips(session, [by_role["tambourine"]], role="click track")
    kicks = [lane.id for lane in session.lanes if lane.role == "kick"]
    long_kick = alternatives.together(edits.change_strips(session, kicks, level_db=-8.0), kicks[::-1])
    long_kick = edits.change_strips(long_kick, [by_role["kick out"]], mute=True)
    # The same folder once more: a file that is there twice.
    folders = (*session.folders, session.folders[0])
    again = replace(session.lane(bass.id), id="again", name="Again", folder=len(folders) - 1)
    doubled = edits.add_lanes(replace(session, folders=folders), [again])
    nameless = edits.change_strips(session, [lane.id for lane in session.lanes], role="unknown")
    leaning = edits.change_strips(session, [by_role[role] for role in LEANING], pan=-0.8)
    template.keep(template.of_session(chained, "As it was"))
    return [at_the_side, chained, low, small, quintet, clicked, long_kick, doubled, nameless, leaning]


def low_looks(folder: Path) -> list[Look]:
    """Sessions of a kick and a bass in which, taken together, every move of the low end has something to do."""
    made = (low_sessions.long_tail, low_sessions.baked, low_sessions.sine_sub, low_sessions.high_line,
            low_sessions.rumbling, low_sessions.droning, low_sessions.uneven, low_sessions.one_loud_pitch,
            low_sessions.pausing)  # fmt: skip
    looks = [look_at(make_folder(folder / make_folder.__name__)) for make_folder in made]
    school = looks[0].at(edits.set_work(looks[0].session, bass_home="lift"))
    made = making.propose(looks[0], [dynamic_clearing.KIND])
    cleared = making.made(looks[0].session, dynamic_clearing.KIND, made[0])
    softer = edits.nudge_levels(cleared, [lane.id for lane in cleared.lanes if lane.role == "bass"], -8.0)
    hot = look_at(low_sessions.one_note(folder / "hot", bass_peak=0.9))
    hot = hot.at(ducked(hot.session))
    return [*looks[:-1], school, looks[0].at(softer), looks[-1].at(ducked(looks[-1].session)), hot]


def masked_bass_look(folder: Path) -> Look:
    """A bass that leads the low end and is masked by the kick."""
    look = look_at(low_sessions.masked_bass(folder / "masked"))
    return look.at(edits.set_work(look.session, low_owner="bass"))


def ducked(session: Session) -> Session:
    """The bass steps back by 9 dB at the hits that the kick was made of."""
    shape = DuckShape(id="shape", name="Duck", hits_s=low_sessions.WITH_A_PAUSE, hold_ms=120.0, length_ms=120.0)
    bass = next(lane.id for lane in session.lanes if lane.role == "bass")
    return chain_edits.add_station(chain_edits.set_shape(session, shape), bass, Ducker(shape="shape", depth_db=9.0))


def measured_again(look: Look, session: Session) -> Look:
    """At another state, with files measured anew that are read otherwise there."""
    return measured(look.at(session))


def opened(look: Look, stage: str) -> list[Proposal]:
    """The open moves of a stage."""
    return making.propose(look, stages.stage(stage).moves().kinds)


def find(look: Look, move_id: str) -> Proposal:
    """The open move of this id."""
    kinds = [kind for kind in stages.kinds().values() if f"{move_id}.".startswith(f"{kind.id}.")]
    return next(move for move in making.propose(look, kinds) if move.id == move_id)


def make(look: Look, proposal: Proposal) -> Look:
    """Makes a move and measures what it did; the look is then at the session with the result in its ledger."""
    after = making.make(look, stages.kinds()[proposal.kind], proposal, stages.metrics())
    assert after is not None, f"{proposal.id}: there is nothing to do any more"
    return after


def result_of(look: Look) -> float | None:
    """What was measured after the move made last."""
    found = look.session.ledger[-1].result
    assert found is not None
    return found.value
