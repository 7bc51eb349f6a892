"""Nothing leaves the house without its missing or damaged tracks named: refused, unless it is wanted all the same."""

import os

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from all_even.cli.looking import look_at
from all_even.deliver import delivery, lacking, listening_copy
from all_even.deliver.console_page import write_console
from all_even.deliver.lacking import SourcesLacking
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import Sheet, csv_text, json_text
from all_even.deliver.recall_sheet import write_recall
from all_even.deliver.stems import print_stems
from all_even.deliver.triggers import write_triggers
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.space.convolution import Convolution
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.session.editing import chain_edits, edits
from all_even.session.file.new import add_response, inspect_all, new_session, sound_paths
from tests.conftest import RATE, noise

EVEN = PrintSettings(bits="32f", even_without=True)


@pytest.fixture
def folder(tmp_path):
    place = tmp_path / "music"
    place.mkdir()
    for number, name in enumerate(("kick", "bass", "keys")):
        soundfile.write(place / f"{name}.wav", 0.3 * noise(2.0, number), RATE, subtype="FLOAT")
    return place


def session_of(folder):
    session = new_session(folder, inspect_all(sound_paths(folder))[0], "Song")
    bass = next(lane.id for lane in session.lanes if lane.name.lower().startswith("bass"))
    kick = next(lane.id for lane in session.lanes if lane.name.lower().startswith("kick"))
    return chain_edits.add_station(session, bass, Compressor(threshold_db=-30.0, key=Key(source=kick)))


def opened(session):
    sources = Sources()
    sources.update(session)
    return sources


def harm(folder, how):
    bass = folder / "bass.wav"
    if how == "gone":
        bass.unlink()
    elif how == "cut":
        os.truncate(bass, bass.stat().st_size // 2)
    elif how == "no sound":
        bass.write_bytes(b"no sound at all")
    else:
        sound = 0.3 * noise(2.0, 1)
        sound[1000:1100] = np.nan
        soundfile.write(bass, sound, RATE, subtype="FLOAT")


def written(session, out, settings):
    """Each way out of the house, by name."""
    look = look_at(session)
    plan = make_plan(session, look.book.sources)
    even = settings.even_without
    sheet = Sheet(session, look.reports, None, None, lacking.of_mix(look))
    return {
        "mix": lambda: print_mix(plan, out / "mix.wav", settings),
        "stems": lambda: print_stems(session, look.book.sources, out / "stems", settings, mix_path=out / "m.wav"),
        "copy": lambda: listening_copy.rendered(plan, even_without=even),
        "triggers": lambda: write_triggers(look, out / "duck", even_without=even),
        "recall": lambda: write_recall(sheet, out / "sheet.html", even_without=even),
        "console": lambda: write_console(sheet, out / "console.html", even_without=even),
        "delivery": lambda: delivery.deliver(look, out / "delivery", settings),
    }


@pytest.mark.parametrize("how", ["gone", "cut", "no sound", "not finite"])
@pytest.mark.parametrize("what", ["mix", "stems", "copy", "triggers", "recall", "console", "delivery"])
def test_a_track_that_is_not_whole_stops_it_and_nothing_is_there(folder, tmp_path, how, what):
    session = session_of(folder)
    harm(folder, how)
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises(SourcesLacking, match=r"bass\.wav"):
        written(session, out, PrintSettings(bits="32f"))[what]()
    assert [path for path in out.rglob("*") if path.is_file()] == []


@pytest.mark.parametrize("what", ["mix", "stems", "copy", "triggers", "recall", "console"])
def test_wanted_all_the_same_it_is_written(folder, tmp_path, what):
    session = session_of(folder)
    harm(folder, "gone")
    written(session, tmp_path, EVEN)[what]()


def test_a_delivery_says_what_it_is_without(folder, tmp_path):
    session = session_of(folder)
    harm(folder, "gone")
    found = delivery.deliver(look_at(session), tmp_path / "delivery", EVEN)
    assert len(found.without) == 1
    text = found.text.read_text()
    assert f"{lacking.WITHOUT}   bass.wav is not there any more" in text


def test_sheets_say_what_they_are_without(folder):
    session = session_of(folder)
    harm(folder, "gone")
    look = look_at(session)
    sheet = Sheet(session, look.reports, None, None, lacking.of_mix(look))
    assert "bass.wav is not there any more" in json_text(sheet)
    assert "bass.wav is not there any more" in csv_text(sheet)


def test_a_muted_track_that_keys_nothing_stops_nothing(folder, tmp_path):
    session = edits.change_strips(session_of(folder), ["lane-1", "lane-2", "lane-3"], mute=False)
    bass = next(lane.id for lane in session.lanes if lane.file == "bass.wav")
    harm(folder, "gone")
    muted = edits.change_strips(session, [bass], mute=True)
    print_mix(make_plan(muted, opened(muted)), tmp_path / "mix.wav")
    assert (tmp_path / "mix.wav").is_file()


def test_a_muted_key_is_needed(folder, tmp_path):
    session = session_of(folder)
    kick = next(lane.id for lane in session.lanes if lane.file == "kick.wav")
    muted = edits.change_strips(session, [kick], mute=True)
    (folder / "kick.wav").unlink()
    with pytest.raises(SourcesLacking, match=r"kick\.wav"):
        print_mix(make_plan(muted, opened(muted)), tmp_path / "mix.wav")


def test_a_response_that_is_gone_is_missing_too(folder, tmp_path):
    soundfile.write(tmp_path / "hall.wav", noise(0.2), RATE)
    session, response = add_response(session_of(folder), tmp_path / "hall.wav")
    session = chain_edits.add_station(session, "lane-1", Convolution(response=response))
    (tmp_path / "hall.wav").unlink()
    with pytest.raises(SourcesLacking, match=r"hall\.wav"):
        print_mix(make_plan(session, opened(session)), tmp_path / "mix.wav")


def test_a_file_that_is_cut_while_it_is_printed_stops_the_print(folder, tmp_path):
    session = session_of(folder)
    for name in ("kick", "bass", "keys"):  # long enough to be cut under way
        soundfile.write(folder / f"{name}.wav", 0.1 * noise(20.0), RATE, subtype="PCM_16")
    plan = make_plan(session, opened(session))
    bass = folder / "bass.wav"

    def cut(_share):
        os.truncate(bass, bass.stat().st_size // 8)

    with pytest.raises(SourcesLacking, match="was cut while it was read"):
        print_mix(plan, tmp_path / "mix.wav", progress=cut)
    assert not (tmp_path / "mix.wav").exists()


def test_a_compressed_file_that_ends_early_is_named(folder, tmp_path):
    (folder / "bass.wav").unlink()
    soundfile.write(folder / "bass.flac", 0.3 * noise(4.0, 1), RATE)
    session = new_session(folder, inspect_all(sound_paths(folder))[0], "Song")
    os.truncate(folder / "bass.flac", (folder / "bass.flac").stat().st_size // 2)
    with pytest.raises(SourcesLacking, match=r"bass\.flac"):
        print_mix(make_plan(session, opened(session)), tmp_path / "mix.wav")


def test_whole_sources_lack_nothing(folder):
    session = session_of(folder)
    look = look_at(session)
    assert lacking.of_mix(look) == ()
    assert make_plan(replace(session, name="x"), look.book.sources).lacking() == ()
