"""Songs of one record, the mix beside references, and a first look at files."""

import dataclasses

import numpy as np
import pytest
import soundfile

from all_even.figures import record
from all_even.figures.elsewhere.tonal_balance import tonal
from all_even.figures.record import SongFigures
from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import measure_file
from all_even.measure.recording.first_look import first_look
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.machine import references
from tests.conftest import RATE, noise, sine, stereo
from tests.moves.looks import look_at

SONG = SongFigures("Song", -18.0, -4.5, -8.0, -4.0, -25.0, -18.0, -14.0, 100.0, 0.0, ())


def songs(**values: tuple[float | None, ...]) -> list[SongFigures]:
    count = len(next(iter(values.values())))
    return [dataclasses.replace(SONG, **{name: row[i] for name, row in values.items()}) for i in range(count)]


def test_the_one_that_stands_apart_is_told_by_how_much_and_scattered_ones_are_not():
    found = record.out_of_line(songs(integrated_lufs=(-18.0, -18.2, -15.0, -18.1)))
    assert found == {(2, "integrated_lufs"): pytest.approx(3.1)}
    assert record.out_of_line(songs(integrated_lufs=(-20.0, -18.0, -16.0, -14.0))) == {}
    assert record.out_of_line(songs(integrated_lufs=(-18.0, -14.0))) == {}
    assert record.out_of_line(songs(voice_lu=(None, -4.0, -4.0, -1.0))) == {(3, "voice_lu"): pytest.approx(3.0)}
    assert record.out_of_line(songs(tempo_bpm=(60.0, 120.0, 120.0, 120.0))) == {}


def test_the_figures_of_a_session_file(short_folder, tmp_path):
    look = look_at(short_folder)
    path = tmp_path / "song.alleven"
    store.save(edits.set_trim(look.session, -6.0), path)
    found, plain = record.measured(path), record.song_figures(look)
    assert found.integrated_lufs == pytest.approx(plain.integrated_lufs - 6.0, abs=0.02)
    assert found.voice_lu == plain.voice_lu
    assert found.low_share_db == pytest.approx(plain.low_share_db, abs=0.05)
    assert found.width_mid_db is plain.width_mid_db is None  # nothing was panned yet
    lanes = [lane.id for lane in look.session.lanes]
    wide = look.at(edits.change_strips(edits.change_strips(look.session, lanes[::2], pan=-1.0), lanes[1::2], pan=1.0))
    assert record.song_figures(wide).width_mid_db > -12.0


def test_the_width_of_sounds_that_are_known():
    mid, side = sine(1000.0, 2.0, -10.0), sine(1100.0, 2.0, -30.0)
    _, width, _ = record.widths_db(np.stack([mid + side, mid - side], axis=1), RATE)
    assert width == pytest.approx(-20.0, abs=0.05)
    assert record.widths_db(stereo(mid).astype(np.float64), RATE)[1] is None


@pytest.fixture
def finished(tmp_path):
    """Five finished mixes, a little different from each other."""

    def mixes(count: int) -> list:
        paths = []
        for index in range(count):
            paths.append(tmp_path / f"mix {index}.wav")
            sound = noise(6.0, 20 + index, level=0.05) + sine(80.0, 6.0, -20.0 + 0.3 * index)[: 6 * RATE]
            soundfile.write(paths[-1], sound, RATE, subtype="PCM_24")
        return paths

    return mixes


def test_a_mix_is_flagged_against_five_references_and_only_drawn_against_four(short_folder, finished, home):
    look = look_at(short_folder)
    references.keep(finished(4))
    four = tonal(look)
    assert len(four.references) == 4
    assert four.flags == ()
    references.add(finished(5))
    five = tonal(look)
    assert len(five.references) == 5
    top = dict(five.flags)[5]
    assert top < -1.0  # the tune is no white noise: its top lies under those
    assert five.mix[5] - five.bands[5].low_db == pytest.approx(top)
    from all_even.moves.balance.remarks import remarks

    told = [remark for remark in remarks(look) if remark.kind == "zone"]
    assert len(told) == len(five.flags)
    assert "A flag, no fault" in told[0].text


def test_references_are_listed_once_and_what_is_gone_is_passed_over(finished, home):
    first, second = finished(2)
    assert references.add([first, second, first]) == [first, second]
    second.unlink()
    assert references.known() == [first]
    references.keep(())
    assert references.known() == []


def test_a_first_look_says_nothing_that_the_whole_file_does_not(demo_folder):
    seen = 0
    for path in sorted(demo_folder.glob("*.wav")):
        early = {finding.kind for finding in first_look(path)}
        assert early <= {finding.kind for finding in findings(measure_file(path))}
        seen += len(early)
    assert seen >= 2


def test_what_is_wrong_all_along_is_seen_in_three_pieces(write):
    music = noise(30.0, 3)
    clean = write("clean.wav", stereo(music))
    clipped = write("clipped.wav", np.clip(8.0 * music, -0.7, 0.7))
    upside_down = write("upside.wav", np.stack([music, -music], axis=1))
    shifted = write("direct.wav", music + 0.01)
    assert first_look(clean) == ()
    for path, kind in ((clipped, "clipped"), (upside_down, "inverted_channel"), (shifted, "dc_offset")):
        (found,) = first_look(path)
        assert found.kind == kind
        assert "6 s of it" in found.text
    assert first_look(write("short.wav", np.clip(8.0 * music[: 5 * RATE], -0.7, 0.7))) == ()
    assert first_look(clean.with_name("gone.wav")) == ()
