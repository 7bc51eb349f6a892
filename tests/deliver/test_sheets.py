"""Sheets for paper: the recall sheet as PDF with a page for each bus, and one page for a console."""

import json
from html import escape

import pypdfium2
import pytest
from msgspec.structs import replace

from all_even.cli import looking
from all_even.deliver import pdf as pdfs
from all_even.deliver.console_page import rows, write_console
from all_even.deliver.recall import Sheet
from all_even.deliver.recall_page import html
from all_even.deliver.recall_sheet import write_recall
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.session import Blind
from tests.moves import check_sessions
from tests.moves.looks import look_at


@pytest.fixture(scope="module")
def sheet(tmp_path_factory):
    look = look_at(check_sessions.song(tmp_path_factory.mktemp("song")))
    session = look.session
    bass = next(lane.id for lane in session.lanes if lane.role == "bass DI")
    voice = next(lane.id for lane in session.lanes if lane.role == "lead voice")
    session = chain_edits.add_station(session, bass, HighPass(frequency_hz=40.0))
    session = chain_edits.add_station(
        session, bass, Equaliser(bands=(Band(shape="low shelf", frequency_hz=80.0, gain_db=3.0, q=0.7),))
    )
    session = chain_edits.add_station(session, bass, Compressor(threshold_db=-23.0, ratio=4.0))
    session, _ = routing_edits.group_strips(session, [bass], "Low group")
    session, room = routing_edits.add_bus(session, "Room <b>", "return")
    session = routing_edits.set_send(session, [voice], room, level_db=-9.0)
    session = edits.add_note(session, "voice too sharp", 12.0, heard_on="a phone")
    session = edits.add_blind(
        session, Blind(when="2026-01-02T10:00:00+00:00", way="vote", options=("now", "before"), trials=8,
                       answers=(0,) * 8, verdict="8 votes: now 8, before 0; now is preferred (0.8 % by guessing)."),
    )  # fmt: skip
    look = look.at(session)
    return Sheet(session, look.reports, look.mix, look.flow)


def text_of(path) -> list[str]:
    """The words on each page, by a PDF reader."""
    with pypdfium2.PdfDocument(path) as document:
        return [page.get_textpage().get_text_range() for page in document]


def test_the_pdf_says_what_the_page_says(sheet, tmp_path):
    write_recall(sheet, tmp_path / "sheet.pdf")
    pages = text_of(tmp_path / "sheet.pdf")
    whole = "\n".join(pages)
    for words in ("Every setting", "Threshold −23.0 dB", "heard on a phone", "now is preferred", "Ledger", "Bass DI"):
        assert words in whole.replace("\r\n", " ").replace("  ", " ") or words in whole, words


def test_each_bus_has_a_page_with_what_comes_in(sheet, tmp_path):
    write_recall(sheet, tmp_path / "sheet.pdf")
    pages = text_of(tmp_path / "sheet.pdf")
    (low,) = [page for page in pages if page.lstrip().startswith("Low group")]
    assert "Comes in" in low
    (room,) = [page for page in pages if page.lstrip().startswith("Room <b>")]
    assert "Is sent to it" in room
    assert "Lead voice −9.0 dB" in room.replace("\r\n", " ")


def test_the_page_shows_level_paths_and_tone(sheet, tmp_path):
    write_recall(sheet, tmp_path / "sheet.html")
    page = (tmp_path / "sheet.html").read_text(encoding="utf-8")
    assert page.count('class="path"') >= 1
    assert page.count('class="curve"') == 1
    assert "Room &lt;b&gt;" in page
    assert "<script" not in page


def test_a_bus_that_nothing_comes_into_has_no_level_path_and_is_on_the_page(sheet):
    silent = replace(sheet.session, buses=tuple(
        replace(bus, chain=(Compressor(id=f"silent-{bus.id}"),)) for bus in sheet.session.buses
    ), lanes=tuple(replace(lane, mute=True) for lane in sheet.session.lanes))  # fmt: skip
    look = looking.look_at(silent)
    page = html(Sheet(silent, look.reports, look.mix, look.flow))
    assert all(escape(bus.name) in page for bus in silent.buses)


def test_the_console_page_is_one_page_with_a_row_for_each_channel(sheet, tmp_path):
    write_console(sheet, tmp_path / "console.pdf")
    (page,) = text_of(tmp_path / "console.pdf")
    for strip in sheet.session.strips:
        assert strip.name in page
    bass = next(row for row in rows(sheet) if row["name"] == "Bass DI")
    assert bass["passes"] == "HP 40"
    assert bass["dynamics"].startswith("4.0:1 from −23.0 dB")
    assert float(bass["low"].replace("−", "-")) > 1.0
    assert bass["to"] == "Low group"
    voice = next(row for row in rows(sheet) if row["name"] == "Lead voice")
    assert voice["sends"] == "Room <b> −9.0"


def test_many_channels_still_fit_on_one_page(sheet, tmp_path):
    from msgspec.structs import replace

    lane = sheet.session.lanes[0]
    more = tuple(replace(lane, id=f"more-{i}", name=f"Channel {i}") for i in range(70))
    session = replace(sheet.session, lanes=(*sheet.session.lanes, *more))
    write_console(Sheet(session, sheet.reports, None), tmp_path / "console.pdf")
    assert len(text_of(tmp_path / "console.pdf")) == 1


def test_the_json_has_blind_comparisons_and_where_faults_were_heard(sheet, tmp_path):
    write_recall(sheet, tmp_path / "sheet.json")
    told = json.loads((tmp_path / "sheet.json").read_text(encoding="utf-8"))
    assert told["notes"][0]["heard_on"] == "a phone"
    assert told["blind_comparisons"][0]["trials"] == 8


def test_nothing_is_loaded_into_a_pdf_and_only_its_kind_is_replaced(sheet, tmp_path):
    secret = tmp_path / "secret.svg"
    secret.write_text('<svg xmlns="http://www.w3.org/2000/svg"><text y="20">not for you</text></svg>')
    (tmp_path / "made.pdf").write_bytes(pdfs.pdf_of(f'<p>seen</p><img alt="" src="{secret.as_uri()}">'))
    assert text_of(tmp_path / "made.pdf")[0].strip() == "seen"
    (tmp_path / "mine.pdf").write_text("my own words")
    with pytest.raises(UserError):
        write_recall(sheet, tmp_path / "mine.pdf")
    with pytest.raises(UserError, match=r"\.html or \.pdf"):
        write_console(sheet, tmp_path / "console.txt")
