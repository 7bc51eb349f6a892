"""The delivery folder: everything that is asked for later, its figures measured on the files, stems that add up."""

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from all_even.deliver import delivery, leftovers
from all_even.deliver.delivery import STEMS, deliver
from all_even.deliver.stems import INSIDE
from all_even.dsp.dynamics.compressor import Compressor
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.strips import MIX
from tests.moves import check_sessions
from tests.moves.looks import look_at


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    """A song with a group and a compressor on the mix bus, delivered."""
    look = look_at(check_sessions.song(tmp_path_factory.mktemp("song")))
    session = replace(edits.set_trim(look.session, -3.0), name="Song / of: tests")
    low = [lane.id for lane in session.lanes if lane.role in ("kick", "bass DI")]
    session, bus = routing_edits.group_strips(session, low, "Low")
    for strip in (bus, MIX):
        session = chain_edits.add_station(session, strip, Compressor(threshold_db=-30.0))
    folder = tmp_path_factory.mktemp("out") / "delivery"
    return look.at(session), deliver(look.at(session), folder)


def test_mix_versions_stems_and_copy_are_there(written):
    _, found = written
    names = {item.path.relative_to(found.folder).as_posix() for item in found.files}
    song = "Song of tests"
    for ending in ("", " instrumental", " voice up", " voice down", " listening copy"):
        assert f"{song}{ending}.wav" in names
    assert {name for name in names if name.startswith(f"{STEMS}/")}
    assert any(f"/{INSIDE}/" in name for name in names)
    for item in found.files:
        assert item.path.is_file()


def test_the_stems_on_the_disk_add_up_to_the_sound_before_the_mix_bus(written):
    look, found = written
    assert found.null_db < -120.0
    bare = replace(look.session, mix=replace(look.session.mix, chain=()))
    from all_even.engine.planning import make_plan
    from all_even.engine.render import render

    plan = make_plan(bare, look.book.sources)
    before = np.concatenate(list(render(plan, 0, plan.frames_with_tail)))
    total = sum(soundfile.read(item.path)[0] for item in found.files if item.path.parent.name == STEMS)
    worst = np.abs(total[: len(before)] - before).max() / np.abs(before).max()
    assert 20.0 * np.log10(max(worst, 1e-12)) < -120.0


def test_a_wrong_stem_does_not_add_up(written):
    look, found = written
    straight = [item.path for item in found.files if item.path.parent.name == STEMS]
    assert delivery.null_db(look.session, look, straight[1:]) > -60.0


def test_the_text_says_what_every_file_measures(written):
    _, found = written
    text = found.text.read_text(encoding="utf-8")
    assert text.startswith("All Even: Song / of: tests")
    for word in ("Tempo", "Key", "Loudness", "null −", "Listening copy", "not a master"):
        assert word in text
    for item in found.files:
        assert item.path.relative_to(found.folder).as_posix() in text


def test_figures_are_those_of_the_files(written):
    import pyloudnorm

    _, found = written
    for item in found.files[:3]:
        sound, rate = soundfile.read(item.path)
        assert item.integrated_lufs == pytest.approx(pyloudnorm.Meter(rate).integrated_loudness(sound), abs=0.1)


def test_the_voice_is_one_db_up_and_the_instrumental_is_without_it(written):
    look, found = written
    sounds = {item.path.stem: soundfile.read(item.path)[0] for item in found.files if item.path.parent == found.folder}
    mix, without = sounds["Song of tests"], sounds["Song of tests instrumental"]
    assert np.abs(mix - without).max() > 0.01
    names = [name for name, _, _ in delivery.versions(look.session)]
    assert names == ["instrumental", "voice up", "voice down"]
    lead = next(lane for lane in look.session.lanes if lane.role == "lead voice")
    louder = {name: state for name, _, state in delivery.versions(look.session)}["voice up"]
    assert louder.lane(lead.id).level_db == lead.level_db + 1.0


def test_a_song_without_voices_has_no_such_versions(written):
    look, _ = written
    sung = [lane.id for lane in look.session.lanes if lane.role == "lead voice"]
    assert delivery.versions(edits.change_strips(look.session, sung, role="electric guitar")) == ()


def test_written_again_it_replaces_itself_but_no_recording(written, tmp_path):
    look, found = written
    again = deliver(look, found.folder)
    assert len(again.files) == len(found.files)
    with pytest.raises(UserError, match="can't be made"):
        deliver(look, tmp_path / "not there" / "delivery")


@pytest.mark.slow  # two more deliveries
def test_a_renamed_track_leaves_no_old_stem_and_what_is_not_ours_stays_and_is_named(written, tmp_path):
    look, _ = written
    folder = tmp_path / "delivery"
    first = deliver(look, folder)
    stems = {path.name for path in (folder / STEMS).iterdir() if path.is_file()}
    straight = [lane for lane in look.session.lanes if lane.destination == MIX]
    soundfile.write(folder / STEMS / "mine.wav", np.zeros((100, 2)), 48_000)
    again = deliver(look.at(edits.change_strips(look.session, [straight[0].id], name="Renamed")), folder)
    after = {path.name for path in (folder / STEMS).iterdir() if path.is_file()}
    assert len(stems - after) == 1  # the old name
    assert {name for name in after - stems if "Renamed" in name}
    assert len(after) == len(stems) + 1
    assert [path.name for path in again.strange] == ["mine.wav"]
    assert "Not of this delivery: stems/mine.wav" in again.text.read_text()
    assert len(again.files) == len(first.files)


@pytest.mark.parametrize("what", ["no mark", "a link", "outside"])
def test_what_the_former_text_lists_is_taken_away_only_if_it_is_a_plain_file_of_ours(tmp_path, what):
    folder, text = tmp_path / "d", tmp_path / "d" / "Song files.txt"
    (folder / STEMS).mkdir(parents=True)
    old = folder / STEMS / "old.wav"
    soundfile.write(tmp_path / "out.wav", np.zeros((100, 2)), 48_000)
    if what == "a link":
        old.symlink_to(tmp_path / "out.wav")
    else:
        soundfile.write(old, np.zeros((100, 2)), 48_000)
    where = "../out.wav" if what == "outside" else "stems/old.wav"
    text.write_text(f"All Even: Song\n\n   LUFS    dBTP  file\n  -20.0    -3.0  {where} (stem)\n")
    leftovers.cleared(folder, [], text)
    assert old.exists()
    assert (tmp_path / "out.wav").exists()
