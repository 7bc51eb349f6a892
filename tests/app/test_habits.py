"""What hands expect: menus under the right button, the finder, pages, the wheel, copy and paste, dropped files."""

import re
import shutil
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QContextMenuEvent, QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from all_even import stages
from all_even.app.commands.all import present_commands
from all_even.app.finder.entries import entries
from all_even.app.finder.ranking import ranked
from all_even.app.lanes import layout
from all_even.app.machine import preferences
from all_even.app.pages.topics import topics
from all_even.audio.available import Output
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.processor import Key
from all_even.dsp.tone.passes import HighPass
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.settings import WorkSettings
from tests.app.mouse import turn


def texts_in(menu: QMenu) -> set[str]:
    """All that a menu and those below it hold."""
    found = set()
    for action in menu.actions():
        below = action.menu()
        found |= texts_in(below) if below is not None else {action.text()}
    return found


# Every command: by keyboard, in a context menu, in the finder.


def test_every_command_is_reached_by_keyboard_context_menu_and_finder(opened):
    window, desk = opened.window, opened.desk
    menu = window.menus.context("lanes")
    held = texts_in(menu)
    menu.popup(QPoint(0, 0))
    menu.close()
    found = {entry.text: entry for entry in entries(desk, window.commands, window.verbs, window.give)}
    bar = {action.text() for action in window.menuBar().actions()}
    for command in window.commands:
        assert command.text in held, command
        named = command.text.removesuffix(" …")
        assert ranked(found.values(), named)[0].text == named or named in found
        # A key of its own, or the menu's letter and the arrows.
        by_key = command.shortcut and not QKeySequence(command.shortcut).isEmpty()
        assert by_key or f"&{command.menu}" in bar
    for command in present_commands(desk):
        assert command.text in found


def test_the_menu_of_a_place_begins_with_what_can_be_done_there(opened):
    window, view = opened.window, opened.window.workbench.lanes
    second = opened.desk.session.lanes[1]
    at = view.row_box(1).center().toPoint()
    inside = view.viewport().mapTo(window, at)
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, inside, window.mapToGlobal(inside))
    QApplication.sendEvent(window, event)
    assert window.context is not None
    assert opened.desk.selected == (second.id,)
    first = [action.text() for action in window.context.actions()]
    assert "Mute" in first
    assert first[-6:] == ["File", "Edit", "Tracks", "Play", "View", "Help"]
    next(action for action in window.context.actions() if action.text() == "Mute").trigger()
    assert opened.desk.session.lane(second.id).mute
    window.context.close()

    window.workbench.head.transport.strip.setFocus()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, QPoint(5, 5), window.mapToGlobal(QPoint(5, 5)))
    QApplication.sendEvent(window, event)
    assert "Loop" in [action.text() for action in window.context.actions()]
    window.context.close()
    assert all(action.isEnabled() for _, action in window.menus.shown_actions)


def test_buses_are_led_and_sent_to_from_the_menu(opened):
    desk, window = opened.desk, opened.window
    first, second = (lane.id for lane in desk.session.lanes[:2])
    desk.edit(lambda s: routing_edits.group_strips(s, [second], "Pair")[0])
    bus = desk.session.buses[0].id
    desk.select((first,))
    found = {command.text: command for command in present_commands(desk)}
    window.give(found["Send to Pair"])
    assert [send.to for send in desk.session.lane(first).sends] == [bus]
    window.give(found["Route to Pair"])
    assert desk.session.lane(first).destination == bus
    window.give(found["Route to the mix"])
    assert desk.session.lane(first).destination == "mix"


# The finder.


def test_the_finder_goes_to_lanes_stations_settings_and_does_commands(opened):
    desk, window = opened.desk, opened.window
    lane = opened.lane("SnTop")
    desk.edit(lambda s: chain_edits.set_chain(s, lane.id, [Compressor(id="c1")]))

    def find(typed: str) -> None:
        QTest.keyClick(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        assert window.finder.isVisible()
        QTest.keyClicks(window.finder.field, typed)
        QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
        assert not window.finder.isVisible()

    find("sn top")
    assert desk.current == lane.id
    find("compressor")
    assert desk.stage == "buses"
    assert window.workbench.bench.of("buses").open_station == "c1"
    find("glue of")
    page = window.pages.currentWidget()
    assert page.title == "Settings"
    assert page.controls["glue_db"].hasFocus()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert window.pages.currentWidget() is window.workbench
    find("balance")
    assert desk.stage == "balance"
    window.show_finder()
    QTest.keyClicks(window.finder.field, "no such thing")
    assert window.finder.nothing.isVisible()
    QTest.keyClick(window.finder.field, Qt.Key.Key_Return)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.finder.isVisible()


def test_what_can_be_done_is_found_first_and_words_may_be_begun_in_any_order(opened):
    window = opened.window
    found = ranked(entries(opened.desk, window.commands, window.verbs, window.give), "bus summ")
    assert found[0].text == "Summing group of the selection"
    undo = ranked(entries(opened.desk, window.commands, window.verbs, window.give), "undo")
    assert not undo[0].possible
    assert (
        ranked(entries(opened.desk, window.commands, window.verbs, window.give), "equaliser")[0].text
        == "Add a processor"
    )


# Settings.


def test_targets_belong_to_the_session_can_be_undone_and_kept_for_all(opened):
    desk, window = opened.desk, opened.window
    window.show_page("settings")
    page = window.pages.currentWidget()
    page.controls["mix_peak_dbfs"].value_changed.emit(-6.0)
    assert desk.session.settings.mix_peak_dbfs == -6.0
    assert desk.session.ledger[-1].text == "Setting: peak of the mix −4.5 dBFS → −6.0 dBFS"
    assert window.workbench.head.transport.level.window_dbfs == (-7.5, -4.5)
    assert preferences.load().work == WorkSettings()
    page.for_all.click()
    assert preferences.load().work.mix_peak_dbfs == -6.0
    desk.undo()
    assert desk.session.settings == WorkSettings()
    window.leave_page()
    opened.measured()
    desk.prefer(replace(desk.preferences, work=WorkSettings()))


def test_a_new_session_begins_with_what_is_set_for_all(rig, short_folder):
    rig.desk.prefer(replace(rig.desk.preferences, work=WorkSettings(glue_db=2.5), pan_law="-6 dB"))
    rig.open(short_folder)
    assert rig.desk.session.settings.glue_db == 2.5
    assert rig.desk.session.pan_law == "-6 dB"
    rig.desk.prefer(preferences.Preferences())


def test_a_target_changes_what_is_proposed(opened):
    desk = opened.desk
    desk.edit(lambda s: edits.set_work(s, glue_db=1.0))
    desk.set_stage("dynamics")
    opened.wait(lambda: any(move.kind == "dynamics.glue" for move in desk.moves.at("dynamics")))
    glue = next(move for move in desk.moves.at("dynamics") if move.kind == "dynamics.glue")
    assert glue.expected == pytest.approx(-1.0, abs=0.15)  # 1.5 is usual


def test_every_setting_has_a_control_a_sentence_and_the_look_is_kept(rig):
    rig.window.show_page("settings")
    page = rig.window.pages.currentWidget()
    assert set(page.controls) == {topic.key for topic in topics()}
    assert all(topic.help.endswith(".") for topic in topics())
    box = page.controls["theme"]
    box.setCurrentIndex(box.findData("night"))
    box.activated.emit(box.currentIndex())
    assert preferences.load().theme == "night"
    rig.window.leave_page()
    rig.window.switch_theme()
    assert preferences.load().theme == "day"


@pytest.mark.parametrize("content", [b"", b"{", b'{"theme": "noon"}', b'{"unknown": 1}', b"\xff\xfe", b"[]"])
def test_preferences_that_cannot_be_read_are_the_usual_ones(home, content):
    (home / "data").mkdir(parents=True)
    (home / "data" / preferences.FILE).write_bytes(content)
    assert preferences.load() == preferences.Preferences()


# Output.


def test_an_output_is_chosen_in_the_play_menu_and_kept(rig):
    outputs = rig.desk.ears.outputs
    outputs.known = [*outputs.known, Output("server:phones", "Headphones")]
    command = next(item for item in present_commands(rig.desk) if item.text == "Headphones")
    rig.window.give(command)
    assert (preferences.load().output, preferences.load().output_name) == ("server:phones", "Headphones")
    assert command.marked(rig.desk)
    rig.window.give(next(item for item in present_commands(rig.desk) if item.text == "1024 frames"))
    assert preferences.load().buffer_frames == 1024
    rig.desk.ears.choose_output("")
    rig.desk.ears.choose_buffer(0)


def test_one_press_returns_to_an_output_that_was_lost(opened):
    desk, transport = opened.desk, opened.window.workbench.head.transport

    class Lost:
        name, there = "Headphones", False

        def stop(self) -> None: ...

    desk.ears.toggle_play()
    opened.wait(lambda: desk.player.playing and len(opened.devices) == 1)
    desk.player.lost = Lost()
    opened.wait(lambda: transport.lost.isVisible())
    assert not transport.lost.isEnabled()
    desk.player.lost.there = True
    opened.wait(lambda: transport.lost.isEnabled())
    QTest.mouseClick(transport.lost, Qt.MouseButton.LeftButton)
    opened.wait(lambda: desk.player.lost is None and len(opened.devices) == 2)
    opened.wait(lambda: not transport.lost.isVisible())
    desk.player.stop()


# Hands.


def test_the_wheel_moves_fields_and_rails_and_leaves_what_scrolls(opened):
    desk, window = opened.desk, opened.window
    desk.set_stage("balance")
    opened.settle_paint()
    view, field = window.workbench.lanes, window.workbench.bench.of("balance").level
    lane = desk.session.lanes[0].id
    desk.select((lane,))
    before = desk.session.lane(lane).level_db
    turn(field, QPointF(5, 5), 2)
    assert desk.session.lane(lane).level_db == pytest.approx(before + 1.0)
    rail = view.columns().rails["level"]
    at = QPointF(rail.left + 20, layout.HEADER + 20)
    scrolled = view.scroll_bar.value()
    turn(view.viewport(), at, -1, Qt.KeyboardModifier.ControlModifier)
    assert desk.session.lane(lane).level_db == pytest.approx(before + 0.5)
    assert view.scroll_bar.value() == scrolled
    turn(view.viewport(), at, -1)
    assert view.scroll_bar.value() > scrolled
    assert desk.session.lane(lane).level_db == pytest.approx(before + 0.5)


def test_what_is_set_on_several_lanes_moves_each_from_where_it_is(opened):
    desk, window = opened.desk, opened.window
    desk.set_stage("balance")
    first, second = (lane.id for lane in desk.session.lanes[:2])
    desk.edit(lambda s: edits.change_strips(s, (first,), level_db=-10.0, pan=-0.5))
    desk.select((first, second))
    bench = window.workbench.bench.of("balance")
    bench.level.value_changed.emit(3.0)
    bench.pan.value_changed.emit(0.2)
    levels = [desk.session.lane(item).level_db for item in (first, second)]
    pans = [desk.session.lane(item).pan for item in (first, second)]
    assert levels == [-7.0, 3.0]
    assert pans == pytest.approx([-0.3, 0.2])


def test_a_chain_sends_and_levels_are_copied_as_text_and_pasted(opened):
    desk, window = opened.desk, opened.window
    first, second, third = (lane.id for lane in desk.session.lanes[:3])
    desk.edit(lambda s: routing_edits.group_strips(s, [third], "Pair", "parallel")[0])
    bus = desk.session.buses[0].id
    keyed = Compressor(id="k", threshold_db=-33.0, key=Key(source=second))
    desk.edit(lambda s: chain_edits.set_chain(s, first, [HighPass(id="h", frequency_hz=90.0), keyed]))
    desk.edit(lambda s: routing_edits.set_send(s, (first,), bus, level_db=-7.0))
    desk.edit(lambda s: edits.change_strips(s, (first,), level_db=-3.0, pan=0.4))
    desk.select((first,))
    QTest.keyClick(window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert '"All Even strip"' in QApplication.clipboard().text()
    desk.select((second,))
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    chain = desk.session.lane(second).chain
    assert [station.LABEL for station in chain] == ["High-pass", "Compressor"]
    assert chain[1].key is None  # it can't listen to itself
    assert not {station.id for station in chain} & {"h", "k"}
    verbs = window.verbs
    verbs.strips.paste("sends")
    verbs.strips.paste("level")
    lane = desk.session.lane(second)
    assert [(send.to, send.level_db) for send in lane.sends] == [(bus, -7.0)]
    assert (lane.level_db, lane.pan) == (-3.0, 0.4)
    for _ in range(3):
        desk.undo()
    assert desk.session.lane(second).chain == ()
    QApplication.clipboard().setText("something else")
    before = desk.session
    verbs.strips.paste("chain")
    assert desk.session is before


def test_files_dropped_on_a_session_are_added_and_undone(opened, write, tmp_path):
    desk = opened.desk
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    for name in ("Extra Gtr.wav", "Extra Vox.wav"):
        shutil.copy(next(Path(desk.session.folders[0].path).glob("*.wav")), elsewhere / name)
    broken = elsewhere / "broken.wav"
    broken.write_bytes(b"RIFF nothing")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in sorted(elsewhere.iterdir())])
    event = QDropEvent(
        QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    count = len(desk.session.lanes)
    opened.window.dropEvent(event)
    opened.wait(lambda: len(desk.session.lanes) == count + 2)
    opened.measured()
    added = desk.session.lanes[-2:]
    assert [lane.name for lane in added] == ["Extra Gtr", "Extra Vox"]
    assert desk.report(added[0].id).measures is not None
    assert [path.name for path, _, _ in desk.documents.unreadable] == ["broken.wav"]
    desk.undo()
    assert len(desk.session.lanes) == count


def test_the_song_strip_shows_a_stretch_of_a_long_song_and_turns_pages(opened):
    strip = opened.window.workbench.head.transport.strip
    strip.set_length(480.0)
    strip.zoom(8.0, 240.0)
    start, end = strip.shown
    assert end - start == pytest.approx(60.0)
    assert start < 240.0 < end
    assert strip.seconds_at(strip.x_of(250.0)) == pytest.approx(250.0, abs=0.1)
    turn(strip, QPointF(50, 10), 1, Qt.KeyboardModifier.ControlModifier)
    assert strip.shown[1] - strip.shown[0] == pytest.approx(48.0)
    before = strip.shown[0]
    turn(strip, QPointF(50, 10), -1)
    assert strip.shown[0] == pytest.approx(before + 4.8)
    strip.set_position(400.0)
    assert strip.shown[0] < 400.0 < strip.shown[1]
    strip.zoom(1e9)
    assert strip.shown[1] - strip.shown[0] == pytest.approx(4.0)
    strip.zoom(0.0)
    assert strip.shown == (0.0, 480.0)


def test_cards_are_made_changed_and_declined_by_command(opened):
    desk, window = opened.desk, opened.window
    desk.set_stage("balance")
    opened.measured()
    card = window.workbench.side.moves.current_card()
    assert card is not None
    window.verbs.page.on_card("refuse")
    assert card.reason.isVisible()
    window.verbs.page.on_card("make")
    opened.wait(lambda: any(entry.move for entry in desk.session.ledger))
    opened.measured()


def test_no_tooltip_reads_a_name_as_markup(opened):
    desk, window = opened.desk, opened.window
    lane = desk.session.lanes[0].id
    desk.edit(lambda s: edits.change_strips(s, (lane,), name="<b>Loud</b> & <i>clear</i>"))
    desk.edit(lambda s: replace(s, name="<h1>Song</h1>"))
    desk.select((lane,))
    for stage in stages.all_keys():
        desk.set_stage(stage)
        opened.settle_paint()
        for widget in window.findChildren(QWidget):
            assert "<b>" not in widget.toolTip()
            assert "<h1>" not in widget.toolTip()


KEY = re.compile(r"\((?P<key>(?:(?:Ctrl|Shift|Alt)\+)*(?:[A-Z]|F\d+|\d|Space|Home|Esc))\)")
LETTERS = 4


def stems(text: str) -> set[str]:
    """Words as far as they are alike in their forms."""
    return {word[:LETTERS] for word in re.findall(r"[a-z]{3,}", text.lower())}


def test_keys_in_tooltips_are_those_of_the_command(opened):
    """A key that a tooltip names belongs to a command of which it speaks."""
    window, desk = opened.window, opened.desk
    commands = {command.shortcut: command for command in window.commands if command.shortcut}
    seen, wrong = set(), []
    for stage in stages.all_keys():
        desk.set_stage(stage)
        opened.settle_paint()
        for widget in window.workbench.findChildren(QWidget):
            for found in KEY.finditer(widget.toolTip()):
                command = commands.get(found["key"])
                text = getattr(widget, "text", str)
                spoken = stems(f"{widget.toolTip()} {widget.accessibleName()} {text() if callable(text) else ''}")
                seen.add(found["key"])
                if command is None or not spoken & stems(f"{command.text} {command.words} {command.menu}"):
                    wrong.append((widget.toolTip(), command and command.text))
    assert len(seen) > 25
    assert not wrong, "\n".join(map(str, wrong))
