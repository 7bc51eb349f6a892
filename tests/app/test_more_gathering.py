"""In the window: templates, songs of a record, clip gain by section, references, anchor, tempo from a MIDI file."""

import shutil

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from all_even.app.pages.record import RecordPage
from all_even.app.stages.balance.bench import BalanceBench
from all_even.app.stages.gain.bench import GainBench
from all_even.dsp.tone.passes import HighPass
from all_even.session.editing import chain_edits, clip_edits, edits
from all_even.session.file import store
from all_even.session.machine import named_files, references, template
from tests.measure.sounds import midi_file


@pytest.fixture
def opened(rig, short_folder, tmp_path, home):
    stems = tmp_path / "stems"
    shutil.copytree(short_folder, stems)
    rig.open(stems)
    rig.measured()
    return rig


def command(rig, text: str) -> None:
    rig.give(text)


def test_a_template_is_saved_and_comes_up_by_itself_on_the_next_folder(opened, short_folder):
    desk, strip = opened.desk, opened.window.workbench.head.transport.strip
    desk.edit(lambda s: chain_edits.add_station(s, s.lanes[0].id, HighPass(frequency_hz=40.0)))
    command(opened, "Save as a template …")
    strip.field.setText("Night crew")
    QTest.keyClick(strip.field, Qt.Key.Key_Return)
    assert [item.name for item in template.known()] == ["Night crew"]
    desk.documents.open_folder(short_folder)
    opened.wait(lambda: desk.is_open and desk.session.folders[0].path == str(short_folder))
    offered = f"gather.template.{named_files.key('Night crew')}"
    opened.wait(lambda: any(move.id == offered for move in desk.moves.at("gather")))
    opened.measured()
    move = next(move for move in desk.moves.at("gather") if move.id == offered)
    desk.moves.apply(move)
    opened.wait(lambda: desk.session.ledger and desk.session.ledger[-1].result is not None)
    assert desk.session.ledger[-1].result.value == move.expected
    desk.undo()
    assert desk.session.ledger[-1].undoes is not None


def test_clip_gain_is_dragged_section_by_section_and_heard_undone_and_reset(opened):
    desk = opened.desk
    opened.wait(lambda: desk.figures.song is not None)
    desk.edit(lambda s: edits.change_strips(s, [s.lanes[0].id], clip_gain_db=1.0))
    from all_even.session.song import song_map

    desk.edit(lambda s: song_map.split_section(s, desk.figures.song, 4.0))
    desk.edit(lambda s: song_map.split_section(s, desk.figures.song, 8.0))
    opened.measured()
    desk.set_stage("gain")
    desk.select((desk.session.lanes[0].id,))
    bench = opened.window.workbench.bench.of("gain")
    assert isinstance(bench, GainBench)
    opened.settle_paint()
    drawing = bench.sections
    assert len(desk.figures.song.sections) >= 2
    box = drawing.box_of(1, drawing.plot())
    start = QPointF(box.center().x(), drawing.y_of(drawing.plot(), 1.0)).toPoint()
    end = QPointF(box.center().x(), drawing.y_of(drawing.plot(), -5.0)).toPoint()
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(drawing, end)
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=end)
    lane, sections = desk.session.lanes[0], desk.figures.song.sections
    gains = clip_edits.section_gains_db(lane, sections)
    assert gains[1] == pytest.approx(-5.0, abs=0.4)
    assert gains[0] == 1.0
    QTest.keyClick(drawing, Qt.Key.Key_Up)
    assert clip_edits.section_gains_db(desk.session.lanes[0], sections)[1] == pytest.approx(gains[1] + 0.5)
    desk.undo()
    desk.undo()
    assert not clip_edits.moves(desk.session.lanes[0])
    assert desk.session.lanes[0].clip_gain_db == 1.0


def test_the_whole_beside_references_is_drawn_and_flags_are_said(opened, write, monkeypatch):
    from tests.conftest import noise

    desk = opened.desk
    mixes = [write(f"mix {index}.wav", noise(5.0, index)) for index in range(5)]
    monkeypatch.setattr(opened.window.verbs.dialogs, "choose", lambda *_, **__: mixes)
    command(opened, "Mix beside references")
    bench = opened.window.workbench.bench.of("balance")
    assert isinstance(bench, BalanceBench)
    opened.wait(lambda: bench.whole.whole is not None)
    assert bench.whole.whole.references == ()
    bench.add_references.click()
    opened.wait(lambda: len(bench.whole.whole.references) == 5)
    opened.wait(lambda: any(remark.kind == "zone" for remark in desk.moves.remarks.get("balance", ())))
    assert "outside" in bench.whole.accessibleDescription()
    command(opened, "Forget the references")
    opened.wait(lambda: not any(remark.kind == "zone" for remark in desk.moves.remarks["balance"]))
    assert references.known() == []


def test_an_anchor_is_chosen_shown_and_let_go(opened):
    desk = opened.desk
    lane = desk.session.lanes[2].id
    desk.select((lane,))
    command(opened, "Anchor of the starting points")
    assert desk.session.anchor == lane
    rows = opened.window.workbench.lanes.rows
    assert [row.lane.id for row in rows if row.anchored] == [lane]
    command(opened, "Anchor of the starting points")
    assert desk.session.anchor is None


def test_tempo_and_bars_come_from_a_midi_file_and_a_broken_one_is_a_sentence(opened, tmp_path, monkeypatch):
    desk, said = opened.desk, []
    desk.said.connect(said.append)
    tempo = ("set_tempo", 0, {"tempo": 600_000})
    path = midi_file(tmp_path / "song.mid", [tempo, ("end_of_track", 4800, {})])
    monkeypatch.setattr(opened.window.verbs.dialogs, "choose", lambda *_, **__: [path])
    command(opened, "Tempo from a MIDI file …")
    opened.wait(lambda: not desk.work.busy("midi"))
    assert (desk.session.song.tempo_bpm, desk.session.song.bar_s) == (100.0, 0.0)
    path.write_bytes(b"MThd junk")
    command(opened, "Tempo from a MIDI file …")
    opened.wait(lambda: not desk.work.busy("midi"))
    assert "is not a MIDI file" in said[-1]
    assert desk.session.song.tempo_bpm == 100.0


def test_songs_of_a_record_stand_side_by_side_and_a_broken_one_is_said(opened, tmp_path):
    desk, said = opened.desk, []
    desk.said.connect(said.append)
    folder = tmp_path / "record"
    folder.mkdir()
    for name, trim_db in (("One", 0.0), ("Two", -0.4), ("Three", -9.0)):
        song = edits.set_trim(desk.session, trim_db)
        store.save(edits.replace(song, name=name), folder / f"{name}.alleven")
    (folder / "Zero.alleven").write_text("no session")
    opened.window.show_page("record")
    page = opened.window.extra_pages["record"]
    assert isinstance(page, RecordPage)
    page.paths = []
    page.add(sorted(folder.glob("*.alleven")))
    page.measure(page.paths)
    opened.wait(lambda: len(page.table.songs) == 3 and not desk.work.busy("record"))
    assert any("Zero.alleven" in sentence for sentence in said)
    page.measure(page.paths)
    assert not desk.work.busy("record")  # none was written since
    row = [song.name for song in page.table.songs].index("Three")
    (_, box) = page.table.boxes(0.0)[0]
    from all_even.app.pages.record import HEAD, ROW

    tip = page.table.tip_at(QPointF(box.center().x(), HEAD + ROW * row + 10))
    assert "Three: Loudness" in tip
    assert "Out of line" in tip
    assert "1 figure" in page.told.text() or "figures fall" in page.told.text()
    opened.settle_paint()
    opened.window.leave_page()


def test_the_first_faults_are_told_before_a_file_is_measured(rig, tmp_path, home, write):
    import numpy as np

    from tests.conftest import noise

    music = noise(40.0, 5)
    for index in range(3):
        write(f"takes/track {index}.wav", np.clip(8.0 * music, -0.7, 0.7) if index == 2 else music)
    early = []
    rig.desk.lane_measured.connect(lambda lane: early.append((lane, rig.desk.report(lane) is None)))
    rig.open(tmp_path / "takes")
    assert early[0] == ("lane-3", True)
    assert "clipped" in {finding.kind for finding in rig.desk.figures.first_looks["lane-3"]}
    (group,) = [group for group in rig.desk.figures.findings().groups if group.kind == "clipped"]
    assert "were looked at" not in group.lanes[0][1].text
