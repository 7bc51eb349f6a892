"""Moves of Gather on files that belong together, written with offsets, polarities and copies that are known."""

import numpy as np
import pytest
import soundfile

from all_even.audio import retune as retuning
from all_even.figures.sources.pair_overlay import overlay
from all_even.figures.sources.relations import relations, source_units
from all_even.moves.gather import align, by_sound
from all_even.session.editing import alternatives, edits, sources
from all_even.session.machine import template
from tests.conftest import RATE, noise
from tests.measure.sounds import kick, placed, plucked, snare
from tests.moves.looks import find, look_at, make, opened, result_of

SECONDS = 16.0
KICK_OUT_MS, AMPLIFIER_MS, OVERHEAD_MS = 1.75, 0.9, 3.1


def later(sound: np.ndarray, ms: float) -> np.ndarray:
    frames = round(ms * 0.001 * RATE)
    return np.concatenate((np.zeros(frames), sound))[: len(sound)]


def darker(sound: np.ndarray, hertz: float = 900.0) -> np.ndarray:
    """A second microphone: less treble, and no phase of its own (a zero-phase slope)."""
    spectrum = np.fft.rfft(sound)
    spectrum *= 1.0 / (1.0 + (np.fft.rfftfreq(len(sound), 1.0 / RATE) / hertz) ** 2)
    return np.fft.irfft(spectrum, len(sound))


@pytest.fixture(scope="module")
def kit(tmp_path_factory):
    """Kick in and out, snare top and bottom (upside down), bass by DI and amplifier, two overheads, a copy, a
    candidate."""
    folder = tmp_path_factory.mktemp("kit")
    kicks, snares = np.arange(0.3, SECONDS - 0.6, 0.5), np.arange(0.55, SECONDS - 0.6, 1.0)
    beat, back = placed(kick(), kicks, SECONDS), placed(snare(), snares, SECONDS)
    bass = plucked([(0.3 + 0.5 * i, 0.45, 55.0 * 2 ** (i % 5 / 12)) for i in range(30)], SECONDS)
    both = beat + 0.8 * back
    candidate = placed(kick(48.0, 320.0, sweep_hz=60.0), kicks, SECONDS)
    files = {
        "kick in": beat,
        "kick out": later(darker(beat), KICK_OUT_MS),
        "snare top": back,
        "snare bottom": -darker(back, 3000.0),
        "bass DI": bass,
        "bass amp": later(-darker(bass), AMPLIFIER_MS),
        "OH L": later(both, OVERHEAD_MS),
        "OH R": later(darker(both, 6000.0), OVERHEAD_MS + 0.4),
        "kick alt": candidate,
        "bass DI copy": bass,
    }
    for index, (name, sound) in enumerate(files.items()):
        written = 0.4 * sound / np.abs(sound).max() + 1e-4 * noise(SECONDS, 40 + index)[: len(sound)]
        if name == "bass DI copy":
            written = soundfile.read(folder / "bass DI.wav")[0]
        soundfile.write(folder / f"{name}.wav", written, RATE, subtype="PCM_24")
    return look_at(folder)


def lane(look, name: str):
    return next(item for item in look.session.lanes if item.file == f"{name}.wav")


def relation(look, a: str, b: str):
    wanted = {lane(look, a).id, lane(look, b).id}
    return next((item for item in relations(look) if {item.a, item.b} == wanted), None)


def later_ms(look, a: str, b: str) -> float:
    """How much later b is."""
    found = relation(look, a, b)
    return found.offset_ms if found.a == lane(look, a).id else -found.offset_ms


def test_microphones_of_one_source_are_told_from_what_only_hears_it(kit):
    assert relation(kit, "kick in", "kick out").kind == "source"
    assert relation(kit, "bass DI", "bass amp").kind == "source"
    assert relation(kit, "snare top", "snare bottom").polarity == -1
    assert relation(kit, "OH L", "OH R").kind == "distant"
    between = relation(kit, "kick in", "snare top")
    assert between is None or between.kind != "source"
    units = {
        frozenset(kit.session.lane(item).file[:-4] for item in unit)
        for unit in source_units(kit.session, relations(kit))
    }
    assert frozenset(("OH L", "OH R")) in units
    assert any({"snare top", "snare bottom"} <= unit for unit in units)


@pytest.mark.parametrize(
    ("a", "b", "ms"), [("kick in", "kick out", KICK_OUT_MS), ("bass DI", "bass amp", AMPLIFIER_MS)]
)
def test_the_offset_is_right_to_a_twentieth_of_a_millisecond_and_the_low_sum_rises_as_promised(kit, a, b, ms):
    assert later_ms(kit, a, b) == pytest.approx(ms, abs=0.05)
    move = find(kit, f"gather.align.{lane(kit, a).id}.{lane(kit, b).id}")
    after = make(kit, move)
    assert abs(later_ms(after, a, b)) < 0.05
    assert relation(after, a, b).polarity == 1
    assert result_of(after) == pytest.approx(move.expected, abs=0.3)
    assert result_of(after) > move.before + 0.5
    assert move.id not in [item.id for item in opened(after, "gather")]


def test_polarity_and_delay_can_be_left_out_and_the_promise_follows(kit):
    from all_even import stages
    from all_even.moves import making

    move = find(kit, f"gather.align.{lane(kit, 'bass DI').id}.{lane(kit, 'bass amp').id}")
    kind = stages.kinds()["gather.align"]
    assert [part for part, _ in kind.parts(kit.session, move)] == ["polarity", "delay"]
    for left in ("polarity", "delay"):
        less = making.without_parts(kind, move, [left])
        assert result_of(make(kit, less)) == pytest.approx(less.expected, abs=0.3)


def test_nothing_is_proposed_for_overheads_unless_it_is_asked_for(kit):
    overheads = {lane(kit, "OH L").id, lane(kit, "OH R").id}
    assert not [move for move in opened(kit, "gather") if move.kind == "gather.align" and overheads & set(move.targets)]
    found = relation(kit, "OH L", "OH R")
    assert found.distance_cm == pytest.approx(0.4 * 34.3, abs=2.0)
    asked = align.asked(kit, found, proven=False)
    assert abs(later_ms(make(kit, asked), "OH L", "OH R")) < 0.05


def test_the_overlay_shows_both_waves_as_they_are_and_together(kit):
    found = overlay(kit, relation(kit, "kick in", "kick out"))
    now = float(np.corrcoef(found.a, found.b)[0, 1])
    then = float(np.corrcoef(found.then_a, found.then_b)[0, 1])
    assert then > now + 0.02
    assert found.then_db.mean() > found.now_db.mean()


def test_a_copy_is_hidden_and_only_one_of_the_two(kit):
    moves = [move for move in opened(kit, "gather") if move.kind == "gather.duplicate"]
    assert [move.targets for move in moves] == [(lane(kit, "bass DI copy").id,)]
    after = make(kit, moves[0])
    assert result_of(after) == 0.0
    assert not [move for move in opened(after, "gather") if move.kind == "gather.duplicate"]


def test_candidates_are_recognised_by_their_hits_and_only_one_plays(kit):
    (move,) = [move for move in opened(kit, "gather") if move.kind == "gather.alternatives"]
    assert set(move.targets) == {lane(kit, "kick in").id, lane(kit, "kick alt").id}
    after = make(kit, move)
    assert result_of(after) == 1.0
    session = after.session
    first, second = move.targets
    assert [session.lane(item).mute for item in move.targets] == [False, True]
    assert alternatives.waiting(session) == {second}
    swapped = alternatives.play_next(session, first)
    assert [swapped.lane(item).mute for item in move.targets] == [True, False]
    assert alternatives.play_next(swapped, first).lanes == session.lanes
    assert all(not item.mute for item in alternatives.apart(session, first).lanes)


def test_a_lane_that_was_moved_by_hand_stands_where_it_stands(kit):
    moved = kit.at(edits.change_strips(kit.session, [lane(kit, "kick out").id], start_s=0.002))
    assert later_ms(moved, "kick in", "kick out") == pytest.approx(KICK_OUT_MS + 2.0, abs=0.05)


def test_what_nobody_named_is_neither_aligned_nor_placed(kit):
    from all_even.figures.sources.stereo_placement import stand
    from all_even.moves.balance import spread

    nameless = kit.at(edits.change_strips(kit.session, [item.id for item in kit.session.lanes], role="unknown"))
    assert not [move for move in opened(nameless, "gather") if move.kind == "gather.align"]
    assert spread.wanted_pans(nameless, stand(nameless)) == {}


# Out of tune, and nameless.


@pytest.mark.skipif(not retuning.is_there(), reason="rubberband (package rubberband-cli) is not here")
def test_a_flat_part_is_retuned_into_a_file_of_its_own_and_in_tune_afterwards(tmp_path):
    folder = tmp_path / "band"
    folder.mkdir()
    notes = [(0.4 + 0.6 * i, 0.55, 110.0 * 2 ** (step / 12)) for i, step in enumerate([0, 3, 7, 5, 10, 7, 3, 0] * 3)]
    parts = {"organ": 1.0, "piano": 2.0, "viola": 1.5, "bass": 0.5}
    flat = 2.0 ** (-30.0 / 1200.0)
    for index, (name, octave) in enumerate(parts.items()):
        tuned = [(start, length, hertz * octave * (flat if name == "viola" else 1.0)) for start, length, hertz in notes]
        sound = plucked(tuned, SECONDS)
        written = 0.4 * sound / np.abs(sound).max() + 1e-4 * noise(SECONDS, 60 + index)[: len(sound)]
        soundfile.write(folder / f"{name}.wav", written, RATE, subtype="PCM_24")
    look = look_at(folder)
    moves = [move for move in opened(look, "gather") if move.kind == "gather.retune"]
    assert [move.targets for move in moves] == [(lane(look, "viola").id,)]
    assert moves[0].before == pytest.approx(-30.0, abs=4.0)
    before = (folder / "viola.wav").read_bytes()
    after = make(look, moves[0])
    assert abs(result_of(after)) < moves[0].tolerance
    assert after.session.lane(moves[0].targets[0]).file.startswith(retuning.FOLDER)
    assert (folder / "viola.wav").read_bytes() == before
    assert not [move for move in opened(after, "gather") if move.kind == "gather.retune"]


def test_nameless_lanes_are_called_what_they_sound_like_in_one_move_and_each_can_be_left_out(kit):
    nameless = kit.at(edits.change_strips(kit.session, [item.id for item in kit.session.lanes], role="unknown"))
    move = find(nameless, "gather.by-sound")
    (_, *others) = by_sound.parts(nameless.session, move)
    assert len(others) >= 2
    after = make(nameless, move)
    assert move.before is None  # what somebody is called promises nothing
    assert result_of(after) == sum(item.role == "unknown" and not item.hidden for item in after.session.lanes)
    named = {item.file[:-4]: item.role for item in after.session.lanes if item.role != "unknown"}
    assert named.get("snare top", "drums") == "drums"
    assert named.get("bass DI", "bass") in ("bass", "instrument")
    first = by_sound.parts(nameless.session, move)[0][0]
    from all_even import stages
    from all_even.moves import making

    less = making.without_parts(stages.kinds()["gather.by-sound"], move, [first])
    assert make(nameless, less).session.lane(first).role == "unknown"


# Players and microphones.


def units_of(look) -> set[frozenset[str]]:
    session = look.session
    found = source_units(session, relations(look))
    return {frozenset(session.lane(lane_id).file.removesuffix(".wav") for lane_id in unit) for unit in found}


@pytest.fixture(scope="module")
def brass(tmp_path_factory):
    """Two trumpets in one room, of whom one rests while the other plays, and a second microphone at the first."""
    rng = np.random.default_rng(3)
    own = [
        plucked([(0.2 + 0.5 * i, 0.45, root * 2 ** (int(rng.integers(0, 8)) / 12)) for i in range(30)
                 if i // 3 % 2 == turn or i % 5 == 0], SECONDS)
        for turn, root in ((0, 330.0), (1, 392.0))
    ]  # fmt: skip
    bleed = 10.0 ** (-12.0 / 20.0)
    first, second = own[0] + bleed * later(own[1], 4.4), own[1] + bleed * later(own[0], 4.7)
    near = later(darker(own[0], 5000.0), 0.6) + bleed * later(own[1], 4.2)
    folder = tmp_path_factory.mktemp("brass")
    files = {"Trumpet 1": first, "Trumpet 2": second, "Trumpet 1 room mic": near}
    for index, (name, sound) in enumerate(files.items()):
        written = 0.4 * sound / np.abs(sound).max() + 1e-5 * noise(SECONDS, 60 + index)[: len(sound)]
        soundfile.write(folder / f"{name}.wav", written, RATE, subtype="PCM_24")
    look = look_at(folder)
    return look.at(edits.change_strips(look.session, [item.id for item in look.session.lanes], role="trumpet"))


def test_players_beside_each_other_are_no_microphones_of_one_source(brass):
    assert frozenset({"Trumpet 1", "Trumpet 1 room mic"}) in units_of(brass)
    assert frozenset({"Trumpet 2"}) in units_of(brass)
    assert not any("Trumpet 2" in move.title for move in align.propose(brass))


def test_people_part_and_join_and_take_it_back(brass):
    one, two, near = (lane(brass, name).id for name in ("Trumpet 1", "Trumpet 2", "Trumpet 1 room mic"))
    joined = brass.at(sources.one_source(brass.session, (one, two)))
    assert frozenset({"Trumpet 1", "Trumpet 2", "Trumpet 1 room mic"}) in units_of(joined)
    parted = joined.at(sources.apart(joined.session, (one, two, near)))
    assert units_of(parted) == {frozenset({item.file.removesuffix(".wav")}) for item in brass.session.lanes}
    assert units_of(brass.at(sources.as_found(parted.session, (one, two, near)))) == units_of(brass)


def test_a_microphone_between_two_who_were_parted_belongs_to_one_of_them(brass):
    one, two, near = (lane(brass, name).id for name in ("Trumpet 1", "Trumpet 2", "Trumpet 1 room mic"))
    session = sources.apart(sources.one_source(brass.session, (two, near)), (one, two))
    assert not any({"Trumpet 1", "Trumpet 2"} <= unit for unit in units_of(brass.at(session)))


def test_what_was_said_of_players_goes_on_to_the_next_session(brass):
    one, two = (lane(brass, name).id for name in ("Trumpet 1", "Trumpet 2"))
    kept = template.of_session(sources.one_source(brass.session, (one, two)), "Brass")
    again = template.applied(brass.session, kept)
    assert again.lane(one).source is not None
    assert again.lane(one).source == again.lane(two).source
