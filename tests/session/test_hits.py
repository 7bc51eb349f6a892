"""Hits as session data: put right by hand, undone by undoing the edit, kept in the file and the ledger."""

import pytest
from msgspec.structs import replace

from all_even.session.file import store
from all_even.session.file.describe import changes
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane
from all_even.session.song import hits

MEASURED = (0.5, 1.0, 1.5, 2.0)


@pytest.fixture
def session() -> Session:
    lane = Lane(id="kick", name="Kick", file="a.wav", role="kick", start_s=10.0)
    return Session(name="Song", sample_rate=48_000, folders=(Folder(path="/songs"),), lanes=(lane,))


def heard(session: Session) -> list[float]:
    return [round(time, 6) for time in hits.hits_s(session.lane("kick"), MEASURED)]


def test_hits_can_be_added_removed_and_moved(session):
    assert heard(session) == [10.5, 11.0, 11.5, 12.0]
    added = hits.add_hit(session, "kick", 10.75)
    assert heard(added) == [10.5, 10.75, 11.0, 11.5, 12.0]
    removed = hits.remove_hit(added, "kick", 11.004)
    assert heard(removed) == [10.5, 10.75, 11.5, 12.0]
    assert heard(hits.move_hit(removed, "kick", 11.5, 11.52)) == [10.5, 10.75, 11.52, 12.0]


def test_an_added_hit_that_is_removed_leaves_nothing_behind(session):
    again = hits.remove_hit(hits.add_hit(session, "kick", 10.75), "kick", 10.75)
    assert again == session
    assert hits.add_hit(hits.remove_hit(session, "kick", 11.0), "kick", 11.0) == session
    assert hits.add_hit(session, "kick", 9.0) == session


def test_changed_hits_are_kept_and_told(session, tmp_path):
    changed = hits.remove_hit(hits.add_hit(session, "kick", 10.75), "kick", 12.0)
    assert store.decode(store.encode(changed), "a.alleven") == changed
    added, removed = changes(session, changed)
    assert added.startswith("Kick: hit added at")
    assert removed.startswith("Kick: hit removed at")
    taken_back = changes(changed, session)
    assert any("taken back" in one for one in taken_back)


def test_a_session_of_an_older_format_opens_without_what_came_later():
    lane = b'{"id": "a", "name": "A", "file": "a.wav"}'
    old = (
        b'{"format_version": 1, "name": "Old", "sample_rate": 44100, "folders": [{"path": "/x"}], "lanes": ['
        + lane
        + b"]}"
    )
    session = store.decode(old, "old.alleven")
    assert session.lanes[0].hits.added_s == ()
    assert session.lanes[0].chain == ()
    assert session.buses == ()


def test_the_reading_of_the_hits_follows_the_role(session):
    assert hits.is_kick("kick out")
    assert hits.is_kick("drums")
    assert not hits.is_kick("snare top")
    assert hits.is_struck("tambourine")
    assert not hits.is_struck("bass DI")
    lane = replace(session.lane("kick"), role="bass")
    assert lane.hits == session.lane("kick").hits
