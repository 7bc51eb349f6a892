"""A hundred tracks on one screen: rows of three heights, nested, folded, pinned, sorted, filtered; what is kept."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest

from all_even.app.lanes import layout
from all_even.app.lanes.arrangement import Arrangement, Sorting, arranged, ordered
from all_even.app.lanes.entries import FamilyEntry
from all_even.app.lanes.filtering import Bound, terms
from all_even.app.lanes.nesting import head_ids, nested
from all_even.app.lanes.rows import Row
from all_even.app.machine import kept_layout
from all_even.engine.render import render
from all_even.session.editing import edits, ride_edits, routing_edits
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import FolderGroup, Lane
from tests.app.mouse import drag

ROLES = ("kick", "snare top", "bass DI", "electric guitar", "acoustic guitar", "lead voice")


def song(*roles: str) -> Session:
    lanes = tuple(Lane(id=f"l{i}", name=role.title(), file=f"{i}.wav", role=role) for i, role in enumerate(roles))
    return Session(name="Song", sample_rate=48_000, folders=(Folder(path="/none"),), lanes=lanes)


def shape(session: Session, nesting, folded=frozenset()) -> list[tuple[str, int, int]]:
    """(name, depth, how many tracks below)."""
    placed = nested(session, session.lanes, nesting, folded)
    return [(item.entry.name, item.depth, len(item.members)) for item in placed]


def rows_of(session: Session) -> list[Row]:
    return [Row(lane, None, None, (), None, True, 10.0) for lane in session.lanes]


def head_of(entry, members) -> Row:
    return Row(entry, None, None, (), None, True, 10.0)


# Nesting: plain functions of a session.


def test_families_stand_in_their_order_each_under_its_head():
    found = shape(song("lead voice", "kick", "bass DI", "snare top"), "families")
    assert found == [
        ("Drums", 0, 2), ("Kick", 1, 0), ("Snare Top", 1, 0), ("Bass", 0, 1), ("Bass Di", 1, 0),
        ("Voices", 0, 1), ("Lead Voice", 1, 0),
    ]  # fmt: skip


def test_groups_nest_as_routing_nests_and_a_folder_stands_under_the_bus_of_its_members():
    session = song(*ROLES)
    session, guitars = routing_edits.folder_strips(session, ["l3", "l4"], "Guitars")
    session, band = routing_edits.group_strips(session, ["l0", "l1", "l2", "l3", "l4"], "Band")
    session, _ = routing_edits.group_strips(session, ["l0", "l1"], "Drums")
    assert shape(session, "groups") == [
        ("Band", 0, 5), ("Drums", 1, 2), ("Kick", 2, 0), ("Snare Top", 2, 0), ("Bass Di", 1, 0),
        ("Guitars", 1, 2), ("Electric Guitar", 2, 0), ("Acoustic Guitar", 2, 0), ("Lead Voice", 0, 0),
    ]  # fmt: skip
    folded = shape(session, "groups", {band})
    assert folded == [("Band", 0, 5), ("Lead Voice", 0, 0)]
    assert set(head_ids(session, "groups")) >= {band, guitars}


def test_a_folder_whose_bus_is_in_that_folder_goes_round_no_circle():
    session, bus = routing_edits.group_strips(song(*ROLES), ["l0", "l1"], "Drums")
    session, _ = routing_edits.folder_strips(session, ["l0", "l1", bus], "Kit")
    assert [name for name, _, _ in shape(session, "groups")][:3] == ["Kit", "Kick", "Snare Top"]


def test_every_track_is_there_once_however_it_is_nested():
    session = song(*ROLES * 16)
    for number in range(0, 90, 7):
        session, _ = routing_edits.folder_strips(session, [f"l{number}", f"l{number + 3}"], f"F{number}")
        session, _ = routing_edits.group_strips(session, [f"l{number + 1}", f"l{number + 3}"], f"B{number}")
    for nesting in ("flat", "groups", "families"):
        found = [item.entry.id for item in nested(session, session.lanes, nesting) if isinstance(item.entry, Lane)]
        assert sorted(found) == sorted(lane.id for lane in session.lanes)


# How rows are laid out.


def test_pinned_rows_come_first_and_the_chosen_ones_can_stand_alone():
    rows, session = rows_of(song(*ROLES)), song(*ROLES)
    wanted = Arrangement().pin(("l5", "l2"))
    found, pinned = arranged(session, rows, wanted, lambda row, column: None, head_of)
    assert pinned == 2
    assert [row.lane.id for row in found] == ["l5", "l2", "l0", "l1", "l3", "l4"]
    assert wanted.pin(("l5", "l2")).pinned == ()
    alone, pinned = arranged(
        session, rows, Arrangement(pinned=("l5",), only=frozenset({"l0"})), lambda row, column: None, head_of
    )
    assert [row.lane.id for row in alone] == ["l5", "l0"]
    assert pinned == 1


def test_sorting_puts_the_largest_first_and_what_has_no_figure_last():
    rows = rows_of(song(*ROLES))
    known = {"l0": 3.0, "l1": None, "l2": -1.0, "l3": 7.0, "l4": None, "l5": 0.0}
    for falling, wanted in ((True, ["l3", "l0", "l5", "l2"]), (False, ["l2", "l5", "l0", "l3"])):
        found = ordered(rows, Sorting("level", falling), lambda row, _: known[row.lane.id])
        assert [row.lane.id for row in found] == [*wanted, "l1", "l4"]


def test_a_title_pressed_three_times_brings_the_order_back():
    first = Arrangement().sort_by("level")
    assert first.sorting == Sorting("level", True)
    assert first.sort_by("level").sorting == Sorting("level", False)
    assert first.sort_by("level").sort_by("level").sorting is None
    assert first.sort_by("name").sorting == Sorting("name", False)


def test_fold_all_folds_and_unfolds_and_the_others_fold_but_what_is_kept():
    session = song(*ROLES)
    families = Arrangement(nesting="families")
    folded = families.fold_all(session)
    assert shape(session, "families", folded.folded) == [
        ("Drums", 0, 2), ("Bass", 0, 1), ("Guitars", 0, 2), ("Voices", 0, 1)
    ]  # fmt: skip
    assert folded.fold_all(session).folded == frozenset()
    kept = families.fold_others(session, ["l3"])
    assert FamilyEntry.id_of("guitars") not in kept.folded
    assert FamilyEntry.id_of("drums") in kept.folded


@pytest.mark.parametrize("height", layout.HEIGHTS.values())
def test_a_pixel_of_a_row_is_found_again_pinned_or_scrolled(height):
    for pinned, scroll in ((0, 0.0), (0, 133.0), (2, 71.0)):
        stack = layout.Stack(count=60, height=height, pinned=pinned, scroll=scroll, view=500.0)
        for index in range(60):
            box = stack.box(index, 800.0)
            inside = box.top() >= (layout.HEADER if index < stack.held else stack.top) and box.bottom() <= 500.0
            if inside:
                assert stack.at(box.center().y()) == index
        there = layout.Stack(60, height, pinned, stack.scrolled_to(59), 500.0)
        assert there.box(59, 800.0).bottom() <= 500.0


def test_very_many_pinned_rows_leave_half_of_the_view_to_the_others():
    stack = layout.Stack(count=100, height=40, pinned=90, view=500.0)
    assert stack.held * 40 <= (500 - layout.HEADER) / 2


def test_a_filter_is_taken_apart_into_words_groups_and_figures():
    found = terms('drums in:Guitars masked>80 loudness<−40 in:"Lead voices" no role')
    assert found.words == ("drums",)
    assert found.groups == ("lead voices", "guitars") or found.groups == ("guitars", "lead voices")
    assert set(found.bounds) == {Bound("masked", True, 80.0), Bound("loudness", False, -40.0)}
    assert found.no_role
    assert terms("hidden>80").bounds == (Bound("masked", True, 80.0),)
    assert terms("hidden").words == ("hidden",)


# In the window.


@pytest.fixture
def balanced(opened):
    opened.desk.set_stage("balance")
    opened.measured()
    view = opened.window.workbench.lanes
    yield opened
    view.laying.arrange(Arrangement())
    view.laying.set_row_size("middle")


def names(view) -> list[str]:
    return [row.lane.name for row in view.rows]


def test_folded_rows_show_one_fader_that_moves_all_below(balanced):
    desk, view = balanced.desk, balanced.window.workbench.lanes
    view.laying.nest("families")
    head = next(row for row in view.rows if row.lane.name == "Drums")
    balanced.give("Fold or unfold all")
    assert all(row.members for row in view.rows)
    assert sum(len(row.members) for row in view.rows) == len(desk.session.lanes)
    index = [row.lane.id for row in view.rows].index(head.lane.id)
    rail, y = view.columns().rails["level"], int(view.row_box(index).bottom() - 7)
    before = {lane.id: lane.level_db for lane in desk.session.lanes}
    x = int(rail.level_x(0.0))
    drag(view.viewport(), QPoint(x, y), QPoint(x - 30, y))
    moved = {lane.id: lane.level_db - before[lane.id] for lane in desk.session.lanes}
    below = {row.lane.id for row in head.members}
    assert len({round(by, 3) for lane_id, by in moved.items() if lane_id in below}) == 1
    assert all(by < -0.5 if lane_id in below else by == 0.0 for lane_id, by in moved.items())
    desk.undo()
    assert {lane.id: lane.level_db for lane in desk.session.lanes} == before


def test_a_head_s_loudness_is_that_of_its_tracks_together(balanced):
    view, desk = balanced.window.workbench.lanes, balanced.desk
    view.laying.nest("families")
    head = next(row for row in view.rows if row.lane.name == "Drums")
    assert head.arrival is not None
    from all_even.figures.arriving.arrival import arrival
    from all_even.figures.book.flow import summed

    power = np.zeros(0)
    for row in head.members:
        own = 10.0 ** (arrival(desk.session, row.lane, desk.measures(row.lane.id), desk.flow).momentary_lufs / 10.0)
        power = np.pad(power, (0, max(0, len(own) - len(power))))
        power[: len(own)] += own
    np.testing.assert_allclose(10.0 ** (head.arrival.momentary_lufs / 10.0), power, rtol=1e-9)
    assert head.arrival.integrated_lufs > max(row.arrival.integrated_lufs for row in head.members if row.arrival)
    assert summed([]).shape == (0, 2)


def test_keys_fold_pin_and_show_the_selection_alone(balanced):
    desk, view = balanced.desk, balanced.window.workbench.lanes
    kick, bass = balanced.lane("KIK IN"), balanced.lane("BASS")
    desk.select((kick.id, bass.id))
    view.setFocus()
    QTest.keyClick(balanced.window, Qt.Key.Key_Q)
    assert [row.lane.id for row in view.rows] == [lane.id for lane in desk.session.lanes if lane.id in desk.selected]
    QTest.keyClick(balanced.window, Qt.Key.Key_Q)
    assert len(view.rows) == len(desk.session.lanes)
    desk.select((bass.id,))
    QTest.keyClick(balanced.window, Qt.Key.Key_O)
    assert view.rows[0].lane.id == bass.id
    assert view.stack.held == 1
    QTest.keyClick(balanced.window, Qt.Key.Key_O)
    assert view.stack.held == 0
    QTest.keyClick(balanced.window, Qt.Key.Key_C)  # rows are nested where they were not
    folded = next(row for row in view.rows if row.folded)
    assert bass.id in {row.lane.id for row in folded.members}
    QTest.keyClick(balanced.window, Qt.Key.Key_C)
    assert not any(row.folded for row in view.rows)


def test_the_mouse_folds_by_the_triangle_and_sorts_by_the_title(balanced):
    view = balanced.window.workbench.lanes
    view.over_heads.nest.click()
    view.over_heads.nest.click()
    assert view.laying.arrangement.nesting == "families"
    boxes = layout.head_boxes(view.row_box(0), view.head_width(), view.rows[0].indent)
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=layout.fold_box(boxes).center().toPoint())
    assert view.rows[0].folded
    view.over_heads.nest.click()
    title = QPoint(int(view.columns().boxes["arrives"][0]) + 20, 18)
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=title)
    known = [row.arrival.integrated_lufs for row in view.rows if row.arrival and row.arrival.integrated_lufs]
    assert known == sorted(known, reverse=True)
    assert "largest first" in view.tip(QPointF(title))
    balanced.desk.set_stage("gain")
    assert view.laying.arrangement.sorting is None


def test_rows_go_into_a_folder_and_out_of_it_by_hand_as_loud_as_they_were(balanced):
    desk, view = balanced.desk, balanced.window.workbench.lanes
    kick, snare, bass = balanced.lane("KIK IN"), balanced.lane("Sn"), balanced.lane("BASS")
    desk.edit(lambda s: routing_edits.folder_strips(s, (kick.id, snare.id), "Rhythm")[0])
    (folder,) = desk.session.folder_groups
    desk.edit(lambda s: edits.change_strips(s, (folder.id,), level_db=-5.0))
    view.laying.nest("groups")
    before = np.concatenate(list(render(desk.plan())))

    def middle(row_id: str) -> QPoint:
        index = view.lane_ids().index(row_id)
        view.scroll_to(index)
        return QPoint(60, int(view.row_box(index).center().y()))

    desk.select((bass.id,))
    start = middle(bass.id)
    drag(view.viewport(), start, QPoint(60, int(view.row_box(view.lane_ids().index(folder.id)).center().y())))
    assert desk.session.lane(bass.id).group == folder.id
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-6)
    assert {row.lane.id for row in view.rows if row.depth} == {kick.id, snare.id, bass.id}
    desk.select((bass.id,))
    view.scroll_to(len(view.rows) - 1)
    last = view.row_box(len(view.rows) - 1)
    drag(view.viewport(), middle(bass.id), QPoint(60, int(last.bottom() - 1)))
    assert desk.session.lane(bass.id).group is None
    np.testing.assert_allclose(np.concatenate(list(render(desk.plan()))), before, atol=1e-6)


def test_the_bench_is_put_away_drawn_and_each_stage_keeps_its_own(balanced):
    window, split = balanced.window, balanced.window.workbench.split
    balanced.give("Bench")
    balanced.settle_paint()
    assert split.sizes()[1] == 0
    balanced.desk.set_stage("gain")
    balanced.settle_paint()
    assert split.sizes()[1] > 0
    balanced.desk.set_stage("balance")
    balanced.settle_paint()
    assert split.sizes()[1] == 0
    assert "balance" in kept_layout.load().benches_away
    balanced.give("Bench")
    balanced.settle_paint()
    usual = split.sizes()[1]
    handle = split.handle(1)
    at = handle.rect().center()
    drag(handle, at, at - QPoint(0, 40))
    balanced.settle_paint()
    assert split.sizes()[1] > usual + 20
    assert kept_layout.load().bench_heights["balance"] == split.sizes()[1]
    QTest.mouseDClick(handle, Qt.MouseButton.LeftButton, pos=at)
    assert split.sizes()[1] == usual
    assert window.workbench.bench.shown.isVisible()


def test_rows_in_sight_are_those_whose_boxes_are():
    rng = np.random.default_rng(5)
    for _ in range(200):
        height, count = int(rng.choice(list(layout.HEIGHTS.values()))), int(rng.integers(0, 60))
        view, pinned = float(rng.integers(layout.HEADER + height, 900)), int(rng.integers(0, min(count, 6) + 1))
        plain = layout.Stack(count, height, pinned, 0.0, view)
        stack = layout.Stack(count, height, pinned, float(rng.integers(0, plain.beyond + 1)), view)
        assert list(stack.seen[: stack.held]) == list(range(stack.held))
        for index in range(stack.held, count):
            box = stack.box(index, 100.0)
            if box.bottom() > stack.top and box.top() < view:
                assert index in stack.moving
            elif box.bottom() < stack.top or box.top() > view:
                assert index not in stack.moving


def test_a_meter_paints_itself_and_not_its_row(balanced, monkeypatch):
    view, painted = balanced.window.workbench.lanes, []
    balanced.settle_paint()
    monkeypatch.setattr(view.body, "paint_over", lambda *_: painted.append("row"))
    before = view.grab().toImage()
    painted.clear()
    view.set_levels({row.lane.id: 0.5 for row in view.rows}, None)
    balanced.settle_paint()
    assert not painted
    view.set_levels({row.lane.id: 0.5 for row in view.rows}, None)  # a picture of the window's own tick may lie between
    assert view.grab().toImage() != before


def test_eighteen_small_rows_fit_beside_the_bench_and_thirty_without(balanced):
    view = balanced.window.workbench.lanes
    for stage in ("gather", "gain", "balance"):
        balanced.desk.set_stage(stage)
        view.laying.set_row_size("small")
        balanced.settle_paint()
        assert (view.area.height() - layout.HEADER) // layout.HEIGHTS["small"] >= 18, stage
        balanced.give("Bench")
        balanced.settle_paint()
        assert (view.area.height() - layout.HEADER) // layout.HEIGHTS["small"] >= 30, stage
        balanced.give("Bench")


def test_a_filter_knows_groups_figures_and_what_has_no_role(balanced):
    desk, view = balanced.desk, balanced.window.workbench.lanes
    kick, snare = balanced.lane("KIK IN"), balanced.lane("Sn")
    desk.edit(lambda s: routing_edits.folder_strips(s, (kick.id, snare.id), "Rhythm")[0])
    field = view.over_heads.filter
    field.setText("in:rhy")
    assert {row.lane.id for row in view.rows} == {kick.id, snare.id}
    field.setText("loudness<-20")
    assert view.rows
    assert all(row.arrival.integrated_lufs < -20.0 for row in view.rows)
    field.setText("no role")
    assert all(row.lane.role == "unknown" for row in view.rows)
    field.clear()


def test_what_was_folded_and_pinned_is_there_again_with_its_session(balanced, tmp_path):
    desk, view = balanced.desk, balanced.window.workbench.lanes
    desk.documents.save(tmp_path / "song.alleven")
    balanced.wait(lambda: not desk.work.busy())
    bass = balanced.lane("BASS")
    view.laying.nest("families")
    view.laying.arrange(view.laying.arrangement.fold_all(desk.session).pin((bass.id,)))
    folded = view.laying.arrangement.folded
    balanced.open(tmp_path / "song.alleven")
    assert view.laying.arrangement.folded == folded
    assert view.laying.arrangement.pinned == (bass.id,)


def test_how_the_window_is_laid_out_is_on_disk_for_the_next_start(balanced):
    kept_layout.keep(row_size="tall", folder="/somewhere")
    kept_layout.flush()
    path = kept_layout._path()
    written = path.read_bytes()
    assert b'"tall"' in written
    path.write_bytes(b"{not json")
    kept_layout._known.path = None  # another start
    assert kept_layout.load() == kept_layout.Layout()


def test_undo_says_in_the_menu_what_it_takes_back(balanced):
    desk, window = balanced.desk, balanced.window
    kick = balanced.lane("KIK IN")
    desk.edit(lambda s: edits.change_strips(s, (kick.id,), level_db=-3.0))
    menu = next(action.menu() for action in window.menuBar().actions() if action.text() == "&Edit")
    menu.aboutToShow.emit()
    text = menu.actions()[0].text()
    assert text.startswith("Undo: ")
    assert "level" in text
    assert menu.actions()[0].shortcut().toString() == "Ctrl+Z"


# Folders that move.


def test_a_folder_s_ride_does_what_the_same_ride_on_each_member_does(balanced):
    desk = balanced.desk
    kick, snare = balanced.lane("KIK IN"), balanced.lane("Sn")
    ride = [(0.5, 0.0), (1.5, -9.0), (3.0, -2.0)]
    level = desk.session.lane(kick.id).level_db

    def on_folder(session: Session) -> Session:
        session, folder = routing_edits.folder_strips(session, (kick.id, snare.id), "Rhythm")
        session = ride_edits.set_curve(session, folder, "level_db", ride)
        return ride_edits.toggle_mute(session, folder, 2.0, 2.4)

    def on_members(session: Session) -> Session:
        for lane_id in (kick.id, snare.id):
            own = [(time, value + level) for time, value in ride]
            session = ride_edits.set_curve(session, lane_id, "level_db", own)
            session = ride_edits.toggle_mute(session, lane_id, 2.0, 2.4)
        return session

    assert desk.session.lane(snare.id).level_db == level
    desk.edit(on_folder)
    assert isinstance(desk.session.member(desk.session.folder_groups[0].id), FolderGroup)
    by_folder = np.concatenate(list(render(desk.plan())))
    desk.undo()
    desk.edit(on_members)
    by_members = np.concatenate(list(render(desk.plan())))
    np.testing.assert_allclose(by_folder, by_members, atol=1e-6)
    assert np.abs(by_folder).max() > 0.01
