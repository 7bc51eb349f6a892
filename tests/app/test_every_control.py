"""Every control of every screen, at 1024x700 and at 200 %: named, reachable, large enough, not cut off."""

import os
import re
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QApplication,
)

from all_even import stages
from all_even.app.commands.command import MENUS
from all_even.app.lanes import layout
from all_even.app.style import theme
from all_even.dsp import kinds
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.session.editing import chain_edits, routing_edits
from tests.app.controls import SMALLEST, controls, walk

PAGES = ("settings", "shortcuts", "about", "record", "blind")
SCREENS = ("start", *stages.all_keys())
AT_200_PERCENT = os.environ.get("QT_SCALE_FACTOR") == "2"
SIZES = ((1024, 700),) if AT_200_PERCENT else ((1024, 700), (1280, 800))
WALK = f"{__file__}::test_every_control_is_named_explained_large_enough_and_whole"


def walk_in_sizes(rig, screen: str) -> list[str]:
    """What is wrong in windows of every size, in the smallest one last: what is waited for is waited for once."""
    wrong = []
    for size in reversed(SIZES):
        rig.window.resize(*size)
        wrong += [f"{size[0]}x{size[1]} {text}" for text in walk(rig, screen)]
    return wrong


@pytest.mark.slow  # it waits for the pictures of every stage, and paints each of them some twenty times
def test_every_control_is_named_explained_large_enough_and_whole(rig, request):
    """On the demo; at 200 % on the short tune, whose measures come sooner."""
    wrong = walk_in_sizes(rig, "start")
    rig.open(request.getfixturevalue("short_folder" if AT_200_PERCENT else "brief_demo"))
    for screen in SCREENS[1:]:
        # What stands on the side is of the stage in the first tab, and the same at every stage in the others.
        for tab in range(4) if screen in (SCREENS[1], SCREENS[-1]) else (0,):
            rig.window.workbench.side.setCurrentIndex(tab)
            wrong += walk_in_sizes(rig, screen)
        if screen in ("balance", "share", "dynamics", "space", "rides", "check", "print"):
            shown = rig.window.workbench.bench.of(screen)
            if screen == "space":
                shown.add_return("hall")
            for view in range({"dynamics": 3, "space": 3, "rides": 2, "check": 3}.get(screen, 4)):
                # Pictures are waited for; moves are looked for long after.
                if screen == "share":
                    rig.wait(lambda: rig.window.workbench.bench.of("share").shown.measured is not None)
                elif screen == "space":
                    bench = rig.window.workbench.bench.of("space")
                    rig.wait(lambda b=bench: b.shown.of(b.bus) is not None)
                elif screen == "check":
                    rig.wait(lambda: rig.window.workbench.bench.of("check").shown.beside is not None)
                elif screen == "rides":
                    rig.wait(lambda: bool(rig.window.workbench.bench.of("rides").shown.sections))
                elif screen == "dynamics":
                    rig.wait(lambda: len(rig.window.workbench.bench.of("dynamics").shown.movements) > 2)
                else:
                    rig.measured()
                shown.show_view(view)
                wrong += walk_in_sizes(rig, screen)
    assert not wrong, "\n".join(sorted(set(wrong)))


def test_every_page_is_named_explained_large_enough_and_whole(opened):
    """Settings, shortcuts, about, and the finder over the lanes, in the smallest window."""
    opened.window.resize(1024, 700)
    wrong = []
    for page in PAGES:
        opened.window.show_page(page)
        opened.settle_paint()
        wrong += [text.replace("gather", page, 1) for text in walk(opened, "gather")]
        opened.window.leave_page()
    opened.window.show_finder()
    wrong += walk(opened, "gather")
    opened.window.finder.leave()
    own = {f"{lane.name!r}" for lane in opened.desk.session.lanes}  # a user's long name may be shortened
    found = sorted(text for text in set(wrong) if not any(text.endswith(name) for name in own))
    assert not found, "\n".join(found)


def test_every_station_opens_into_a_panel_that_is_whole(opened):
    """Each kind once, on one lane that sends to a bus; then the bus, a folder group and the mix."""
    opened.window.resize(1024, 700)
    desk = opened.desk
    desk.set_stage("buses")
    first, second, third = (lane.id for lane in desk.session.lanes[:3])
    desk.edit(lambda s: routing_edits.group_strips(s, [second, third], "Pair")[0])
    bus = desk.session.buses[0].id
    desk.edit(lambda s: routing_edits.set_send(s, [first], bus, level_db=-9.0))
    desk.edit(lambda s: routing_edits.folder_strips(s, [bus], "Held")[0])
    wrong = []
    for kind in kinds.KINDS:
        station = kind(bands=(Band(), Band())) if kind is Equaliser else kind()
        desk.edit(lambda s, made=station: chain_edits.set_chain(s, first, [msgspec.structs.replace(made, id="s1")]))
        desk.select((first,))
        opened.window.workbench.bench.of("buses").open("s1")
        wrong += [f"{kind.LABEL}: {text}" for text in walk(opened, "buses")]
    for strip in (bus, desk.session.folder_groups[0].id, "mix"):
        desk.select((strip,))
        wrong += walk(opened, "buses")
    own = {f"{lane.name!r}" for lane in desk.session.lanes}  # a user's long name may be shortened
    found = sorted(text for text in set(wrong) if not any(text.endswith(name) for name in own))
    assert not found, "\n".join(found)


@pytest.mark.slow  # the same once more
def test_every_control_is_whole_at_200_percent():
    """The scale is the process's: the walk at the smallest size runs in one of its own."""
    if AT_200_PERCENT:
        pytest.skip("this is that process")
    lent = os.environ["ALL_EVEN_HOME"]
    environment = {**os.environ, "QT_SCALE_FACTOR": "2", "QT_QPA_PLATFORM": "offscreen", "ALL_EVEN_LENT_HOME": lent}
    result = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", WALK],
        env=environment,
        capture_output=True,
        text=True,
        cwd=Path(__file__).parents[2],
    )
    assert result.returncode == 0, result.stdout[-3000:]
    assert result.stdout.startswith("."), "it ran"


def test_every_command_stands_in_a_menu_and_no_shortcut_twice(rig):
    commands = rig.window.commands
    assert {command.menu for command in commands} <= set(MENUS)
    shortcuts = [command.shortcut for command in commands if command.shortcut]
    assert len(shortcuts) == len(set(shortcuts))


def test_every_command_runs_on_an_open_session(opened, monkeypatch):
    """Each command once, dialogs answered with nothing."""
    monkeypatch.setattr(opened.window.verbs.dialogs, "choose", lambda *args, **options: [])
    monkeypatch.setattr("PyQt6.QtWidgets.QInputDialog.getText", lambda *args: ("", False))
    skipped = {"Quit", "Close the session", "Open the demo", "Print the mix", "Write the recall sheet",
               "Make the listening copy", "Write the delivery", "Write the console page"}  # fmt: skip
    for command in opened.window.commands:
        if command.text not in skipped:
            opened.window.give(command)
            opened.settle_paint()
    opened.desk.player.stop()
    opened.measured()
    assert opened.desk.is_open


def test_every_command_is_harmless_without_a_session(rig, monkeypatch):
    monkeypatch.setattr(rig.window.verbs.dialogs, "choose", lambda *args, **options: [])
    for command in rig.window.commands:
        if command.text not in ("Quit", "Open the demo"):
            rig.window.give(command)
            rig.settle_paint()
    assert not rig.desk.is_open


def test_buttons_in_the_lanes_are_large_enough_and_explained(opened):
    view = opened.window.workbench.lanes
    assert layout.BUTTON >= SMALLEST
    opened.desk.set_stage("balance")
    for stage in stages.all_keys():
        opened.desk.set_stage(stage)
        box = view.row_box(0)
        for part, area in layout.head_boxes(box, view.head_width()).items():
            if part not in ("meter", "mark"):
                assert view.tip(area.center()), part
    assert "Track 1 of 12" in view.accessibleDescription()


def luminance(colour: str) -> float:
    """Relative luminance, WCAG 2.1."""
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(colour).getRgbF()[:3]]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a: str, b: str) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", ["day", "night"])
def test_text_contrast_meets_wcag_aa(name):
    """WCAG 2.1, success criterion 1.4.3: 4.5 to 1 for text; 1.4.11: 3 to 1 for drawn parts."""
    palette = theme.PALETTES[name]
    weak = [(what, round(contrast(a, b), 2)) for what, a, b in palette.contrast_pairs() if contrast(a, b) < 4.5]
    assert weak == []
    faint = [
        (colour, round(contrast(colour, palette.panel), 2))
        for colour in palette.family
        if contrast(colour, palette.panel) < 3.0
    ]
    assert faint == []


def test_both_themes_can_be_switched_while_open(opened):
    for _ in range(2):
        opened.window.switch_theme()
        opened.settle_paint()
        ground = opened.window.grab().toImage().pixelColor(3, opened.window.height() - 20)
        assert ground.name() == theme.current().ground


def test_our_face_is_used_with_tabular_digits(rig):
    from PyQt6.QtGui import QFontInfo, QFontMetricsF

    font = theme.font(theme.BODY)
    assert QFontInfo(font).family() == theme.FONT_FAMILY
    metrics = QFontMetricsF(font)
    assert len({round(metrics.horizontalAdvance(digit), 3) for digit in "0123456789"}) == 1
    assert QApplication.font().family() == theme.FONT_FAMILY


LANE_KEYS = {"Left, Right", "Enter in the rows", "Left, Right in the rows", "Alt+Left, Alt+Right in the rows"}
REMARK = re.compile(r"\(([A-Z][^()]*)\)$")


def test_every_shortcut_in_a_tooltip_is_a_real_one(opened):
    """A tooltip that ends in brackets names a command's shortcut or a key of the lanes."""
    real = {command.shortcut for command in opened.window.commands} | LANE_KEYS
    wrong = []
    for control in controls(opened.window) + list(opened.window.workbench.head.path.stages.values()):
        for found in REMARK.findall(control.toolTip().split(";")[0]):
            if found not in real:
                wrong.append((control.accessibleName(), found))
    for index in range(4):
        found = REMARK.findall(opened.window.workbench.side.tabToolTip(index))
        wrong += [("tab", key) for key in found if key not in real]
    assert wrong == []
