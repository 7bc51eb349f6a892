"""The desktop's list of recent documents, by the freedesktop.org specification of it."""

import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from all_even.app.machine import desktop_list

OTHERS = """<?xml version="1.0" encoding="UTF-8"?>
<xbel version="1.0" xmlns:bookmark="http://www.freedesktop.org/standards/desktop-bookmarks"
      xmlns:mime="http://www.freedesktop.org/standards/shared-mime-info">
 <bookmark href="file:///home/somebody/letter.txt" added="2026-01-01T10:00:00Z" modified="2026-01-01T10:00:00Z"
           visited="2026-01-01T10:00:00Z">
  <info><metadata owner="http://freedesktop.org"><mime:mime-type type="text/plain"/>
   <bookmark:applications><bookmark:application name="Writer" exec="&apos;writer %u&apos;" count="3"/>
   </bookmark:applications></metadata></info>
 </bookmark>
</xbel>
"""


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch) -> Path:
    monkeypatch.setenv("ALL_EVEN_HOME", str(tmp_path / "home"))
    return tmp_path


def entries() -> dict[str, ET.Element]:
    return {item.get("href"): item for item in ET.parse(desktop_list.place()).getroot().iter("bookmark")}


def test_a_session_is_entered_beside_what_others_wrote(home):
    desktop_list.place().parent.mkdir(parents=True)
    desktop_list.place().write_text(OTHERS, encoding="utf-8")
    session = home / "A song & more.alleven"
    desktop_list.tell_desktop(session)
    desktop_list.tell_desktop(session)
    found = entries()
    assert set(found) == {"file:///home/somebody/letter.txt", session.as_uri()}
    application = next(found[session.as_uri()].iter(f"{{{desktop_list.BOOKMARK}}}application"))
    assert application.get("name") == "All Even"
    assert application.get("count") == "2"
    assert (
        next(found[session.as_uri()].iter(f"{{{desktop_list.MIME}}}mime-type")).get("type") == "application/x-alleven"
    )
    other = next(found["file:///home/somebody/letter.txt"].iter(f"{{{desktop_list.BOOKMARK}}}application"))
    assert (other.get("name"), other.get("count")) == ("Writer", "3")


@pytest.mark.parametrize("content", ["no list at all <", "<html></html>", '<!DOCTYPE x [<!ENTITY a "b">]><xbel/>'])
def test_a_list_that_cannot_be_read_is_left_alone(home, content):
    desktop_list.place().parent.mkdir(parents=True)
    desktop_list.place().write_text(content, encoding="utf-8")
    desktop_list.tell_desktop(home / "song.alleven")
    assert desktop_list.place().read_text(encoding="utf-8") == content


def test_the_first_entry_makes_the_list(home):
    desktop_list.tell_desktop(home / "song.alleven")
    assert len(entries()) == 1
