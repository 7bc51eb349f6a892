"""Prints and recall sheets."""

import csv
import io
import json
import threading

import numpy as np
import pytest
import soundfile
from msgspec.structs import replace

from all_even.deliver import shapes
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import Sheet, csv_text, json_text
from all_even.deliver.recall_page import html
from all_even.deliver.recall_sheet import write_recall
from all_even.dsp.space.reverb_starts import STARTS
from all_even.engine.planning import make_plan
from all_even.engine.render import render
from all_even.engine.sources import Sources
from all_even.errors import Cancelled, UserError
from all_even.measure.recording.files import measure_files
from all_even.session.editing import chain_edits, edits, space_edits
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from tests.conftest import RATE, noise, stereo
from tests.measuring import measure_mix, measure_samples


@pytest.fixture(scope="module")
def opened(short_folder):
    infos, _ = inspect_all(sound_paths(short_folder))
    session = new_session(short_folder, infos)
    sources = Sources()
    sources.update(session)
    return session, sources


@pytest.fixture(scope="module")
def sheet(opened):
    session, sources = opened
    session = edits.change_strips(session, [session.lanes[0].id], name="=cmd|'/C calc'!A1", level_db=-3.5)
    session = edits.change_strips(session, [session.lanes[1].id], name="<script>alert(1)</script>", pan=-0.3)
    session = edits.record(edits.add_note(session, "tom rings", 4.2), "Level changed", reason="too loud")
    reports = dict(measure_files([(store.lane_path(session, lane), None) for lane in session.lanes]))
    mix = measure_mix(make_plan(session, sources))
    return Sheet(session, {lane.id: reports[i] for i, lane in enumerate(session.lanes)}, mix)


def test_a_24_bit_print_is_the_render_to_half_a_step(opened, tmp_path):
    session, sources = opened
    plan = make_plan(edits.set_trim(session, -12.0), sources)
    written = print_mix(plan, tmp_path / "mix.wav")
    read, rate = soundfile.read(tmp_path / "mix.wav")
    rendered = np.concatenate(list(render(plan)))
    assert (rate, written.frames, written.overs) == (RATE, len(rendered), 0)
    assert np.abs(read - rendered).max() <= 0.5001 * 2.0**-23


def test_a_section_of_a_16_bit_print_equals_the_whole_one(opened, tmp_path):
    plan = make_plan(edits.set_trim(opened[0], -12.0), opened[1])
    print_mix(plan, tmp_path / "whole.wav", PrintSettings(bits="16"))
    print_mix(plan, tmp_path / "part.wav", PrintSettings(bits="16", start_s=1.5, end_s=3.0))
    whole, part = (soundfile.read(tmp_path / name, dtype="int16")[0] for name in ("whole.wav", "part.wav"))
    np.testing.assert_array_equal(part, whole[round(1.5 * RATE) : 3 * RATE])


def test_a_print_goes_on_until_the_last_room_has_died_away(opened, tmp_path):
    session, sources = opened
    room = replace(STARTS["room"], decay_s=1.0, low_ratio=1.0)
    session, bus = space_edits.add_return(session, "Room", [room], [lane.id for lane in session.lanes])
    session = edits.set_trim(session, -24.0)
    plan = make_plan(session, sources)
    written = print_mix(plan, tmp_path / "mix.wav")
    assert written.frames == pytest.approx(plan.frames + 1.04 * RATE, abs=0.01 * RATE)
    read, _ = soundfile.read(tmp_path / "mix.wav")
    after = 20.0 * np.log10(max(1e-9, np.abs(read[-RATE // 20 :]).max()) / np.abs(read).max())
    assert after < -50.0
    bypassed = chain_edits.change_station(session, bus, session.bus(bus).chain[0].id, bypass=True)
    assert make_plan(bypassed, sources).tail_s == 0.0


def test_overs_are_reported_and_a_float_print_keeps_them(opened, tmp_path):
    plan = make_plan(edits.set_trim(opened[0], 12.0), opened[1])
    assert print_mix(plan, tmp_path / "a.flac").overs > 0
    print_mix(plan, tmp_path / "f.wav", PrintSettings(bits="32f"))
    assert np.abs(soundfile.read(tmp_path / "f.wav")[0]).max() > 1.0


def test_another_rate_keeps_level_and_length(opened, tmp_path):
    plan = make_plan(edits.set_trim(opened[0], -12.0), opened[1])
    print_mix(plan, tmp_path / "a.wav", PrintSettings(rate=96_000, bits="32f"))
    read, rate = soundfile.read(tmp_path / "a.wav", dtype="float32")
    assert rate == 96_000
    assert len(read) == pytest.approx(2 * plan.frames, abs=4)
    # The K filter's shelf, warped by the bilinear transform, differs a little between rates at the very top.
    assert measure_samples(read, rate).integrated_lufs == pytest.approx(measure_mix(plan).integrated_lufs, abs=0.2)


def test_a_cancelled_print_leaves_nothing(opened, tmp_path):
    stop = threading.Event()
    with pytest.raises(Cancelled):
        print_mix(make_plan(*opened), tmp_path / "a.wav", progress=lambda share: stop.set(), cancelled=stop)
    assert not list(tmp_path.iterdir())


def test_an_empty_section_is_said(opened, tmp_path):
    with pytest.raises(UserError, match="nothing to print"):
        print_mix(make_plan(*opened), tmp_path / "a.wav", PrintSettings(start_s=500.0))


def test_the_sheet_escapes_names_in_html(sheet):
    page = html(sheet)
    assert "<script>" not in page
    assert "&lt;script&gt;alert(1)" in page
    for text in ("−3.5 dB", "L 30", "tom rings", "0:04.2", "Level changed", "too loud", "<svg", "dBTP"):
        assert text in page, text


def test_no_cell_of_the_csv_starts_a_formula(sheet):
    rows = list(csv.reader(io.StringIO(csv_text(sheet))))
    assert rows[0][0] == "name"
    assert rows[1][0] == "'=cmd|'/C calc'!A1"
    assert not [cell for row in rows for cell in row if cell.startswith(("=", "@", "+"))]


def test_the_json_sheet_holds_every_setting_unrounded(sheet):
    data = json.loads(json_text(sheet))
    assert data["lanes"][0]["level_db"] == -3.5
    assert data["lanes"][1]["pan"] == "L 30"
    assert data["mix"]["integrated_lufs"] == sheet.mix.integrated_lufs
    assert data["ledger"][0]["reason"] == "too loud"


def test_the_sheet_of_an_empty_session_is_written(tmp_path, sheet):
    empty = Sheet(replace(sheet.session, lanes=(), ledger=(), notes=()), {}, None)
    for ending in (".html", ".csv", ".json"):
        write_recall(empty, tmp_path / f"a{ending}")
        assert (tmp_path / f"a{ending}").stat().st_size > 0
    with pytest.raises(UserError, match="has to end in"):
        write_recall(empty, tmp_path / "a.docx")


def test_an_outline_keeps_the_extremes():
    hops = measure_samples(stereo(noise(1.0)), RATE).hops
    shape = shapes.envelope(hops, 17)
    assert shape[:, 0].min() == pytest.approx(hops.low.min())
    assert shape[:, 1].max() == pytest.approx(hops.high.max())
    assert shapes.envelope(hops, 5000).shape == (5000, 2)


def test_nothing_is_printed_over_a_recording(opened, short_folder):
    recording = sound_paths(short_folder)[0]
    before = recording.read_bytes()
    with pytest.raises(UserError, match="one of the session's recordings"):
        print_mix(make_plan(*opened), recording, protected=store.recordings(opened[0]))
    assert recording.read_bytes() == before


@pytest.mark.parametrize("suffix", [".html", ".csv", ".json"])
def test_no_sheet_holds_control_characters_or_markup_of_a_name(opened, suffix, tmp_path):
    session, _ = opened
    name = "<script>x</script>\x00\x1b[31m=1"
    session = edits.change_strips(session, [session.lanes[0].id], name=name)
    session = edits.add_note(session, name, 1.0)
    write_recall(Sheet(session, {}, None), tmp_path / f"sheet{suffix}")
    text = (tmp_path / f"sheet{suffix}").read_text(encoding="utf-8")
    assert not {"\x00", "\x1b"} & set(text)
    assert ("<script>" in text) == (suffix != ".html")
