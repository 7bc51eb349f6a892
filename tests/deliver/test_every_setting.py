"""The sheet holds every setting: whatever is set in a session stands on it, a new processor too."""

from typing import Any

import markupsafe
from hypothesis import given, settings
from msgspec import Struct, structs

from all_even.deliver.every_setting import LEFT_OUT, every_setting, owners
from all_even.deliver.recall import Sheet, csv_text, json_text
from all_even.deliver.recall_page import html
from all_even.dsp import kinds
from all_even.session.editing import chain_edits, edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from tests.attack.sessions import full_session
from tests.engine.sessions import any_session

IDS = LEFT_OUT | {"file"}


def set_values(owner: Any) -> list[tuple[str, Any]]:
    """(field, value) of everything in a session that is not as it is at first."""
    found: list[tuple[str, Any]] = []
    if isinstance(owner, tuple):
        for item in owner:
            found += set_values(item)
        return found
    for field in structs.fields(owner):
        value = getattr(owner, field.name)
        if isinstance(value, Struct) or (isinstance(value, tuple) and value and isinstance(value[0], Struct)):
            found += set_values(value)
        elif field.name not in IDS and value != field.default:
            found.append((field.name, value))
    return found


def flat(value: Any) -> list[Any]:
    if isinstance(value, tuple | list):
        return [inner for item in value for inner in flat(item)]
    return [value]


@settings(max_examples=30, deadline=None)
@given(any_session())
def test_every_value_that_is_set_is_on_the_sheet(session):
    state = (session.lanes, session.buses, session.folder_groups, session.shapes, (session.mix,))
    wanted = [item for part in state for _, value in set_values(part) for item in flat(value)]
    told = [item for line in every_setting(session) for item in flat(line.value)]
    names = {line.where for line in every_setting(session)} | {line.what for line in every_setting(session)}
    missing = [value for value in wanted if value not in told and not any(str(value) in name for name in names)]
    assert missing == []


def test_every_kind_of_station_appears_with_all_its_settings():
    for kind in kinds.KINDS:
        session = Session(name="S", sample_rate=48_000, lanes=(Lane(id="a", name="A", file="a.wav"),))
        session = chain_edits.add_station(session, "a", kind())
        lines = [line for line in every_setting(session) if line.where.startswith(f"A, 1. {kind.LABEL}")]
        described = [line.what for line in lines]
        for setting in kinds_settings(kind):
            assert setting in described, (kind.LABEL, setting)


def kinds_settings(kind) -> list[str]:
    from all_even.dsp.processor import settings as described

    return [item.name for item in described(kind).values()]


def test_chains_sends_keys_shapes_and_automation_are_in_all_three_forms(tmp_path):
    session = full_session(tmp_path)
    sheet = Sheet(session, {}, None)
    for text in (html(sheet), csv_text(sheet), json_text(sheet)):
        for words in ("Compressor", "send to Parallel", "Duck shape Shape", "Automation of pan", "Threshold", "band 1"):
            assert words in text, words


def test_the_page_leaves_out_only_what_goes_without_saying(tmp_path):
    session = full_session(tmp_path)
    page = html(Sheet(session, {}, None))
    assert '<span class="quiet">Mute</span> <b>off</b>' not in page
    assert '<span class="quiet">Mute</span> <b>on</b>' in html(Sheet(muted(session), {}, None))
    for line in every_setting(session):
        if not line.neutral:
            assert escaped(line.text) in page, line
    stations = [line for line in every_setting(session) if ". " in line.where]
    assert {line.what for line in stations if line.neutral} <= {"Bypass", "Level while bypassed", "To"}


def muted(session: Session) -> Session:
    return edits.change_strips(session, [session.lanes[0].id], mute=True)


def escaped(text: str) -> str:
    return str(markupsafe.escape(text))


def test_lanes_of_one_name_stand_apart_each_before_its_parts():
    lanes = tuple(Lane(id=name, name="Same", file=f"{name}.wav") for name in ("a", "b"))
    session = Session(name="S", sample_rate=48_000, lanes=lanes)
    session = chain_edits.add_station(session, "a", kinds.KINDS[0]())
    told = [(owner.strip, bool(owner.part)) for owner in owners(session)]
    assert told == [("Session", False), ("Same", False), ("Same", True), ("Same", False), ("Mix bus", False)]


def test_a_long_curve_is_summed_up_and_its_values_are_kept():
    from all_even.session.model.strips import Automation, Point

    points = tuple(Point(time_s=0.5 * i, value=-6.0 + 0.1 * (i % 40)) for i in range(400))
    lane = Lane(id="a", name="Voice", file="a.wav", automation=(Automation(parameter="level_db", points=points),))
    session = Session(name="Song", sample_rate=48_000, lanes=(lane,))
    line = next(line for line in every_setting(session) if line.what.startswith("Automation"))
    assert line.text == "400 points from 0:00.0 to 3:19.5, between −6.0 dB and −2.1 dB"
    assert len(line.value[1]) == 400
