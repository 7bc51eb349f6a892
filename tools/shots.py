"""Writes every picture of docs/screenshots/ anew: the real window, the demo session, 1280x800.

Called by `make shots`, which gives it a screen. Sound goes to the stand-in.
"""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from all_even.app.desk import Desk
from all_even.app.pages.approaches import ApproachesPage
from all_even.app.starting.start import make_application
from all_even.app.window import MainWindow
from all_even.audio.device import SimulatedDevice
from all_even.deliver import listening_copy
from all_even.demo.stems import write_stems
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.dsp.tone.saturation import Saturation
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.session.editing import chain_edits, edits
from all_even.session.file import store
from all_even.session.file.new import inspect_all, new_session, sound_paths
from all_even.session.model.on_time_line import Loop

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
LONGEST_WAIT_S = 900.0


def wait(condition: Callable[[], bool]) -> None:
    end = time.monotonic() + LONGEST_WAIT_S
    while not condition():
        if time.monotonic() > end:
            sys.exit("The window did not become ready.")
        QApplication.processEvents()
        time.sleep(0.01)


def other_songs(folder: Path) -> list[Path]:
    """Session files of five more tunes of ours, a little panned."""
    sessions = []
    for seed, name in enumerate(("Low Tide", "Night Ferry", "Harbour Wall", "Long Pier", "Grey Gulls"), 1):
        stems = write_stems(folder / name, seed=seed, bars=8)
        infos, _ = inspect_all(sound_paths(stems))
        session = new_session(stems, infos, name)
        for index, lane in enumerate(session.lanes):
            session = edits.change_strips(session, (lane.id,), level_db=-9.0, pan=(-0.5, 0.0, 0.5)[index % 3])
        sessions.append(folder / f"{name}.alleven")
        store.save(session, sessions[-1])
    return sessions


def _finished(stems: Path, path: Path, tilt: float) -> Path:
    """A quick sum of all stems as a limited file."""
    infos, _ = inspect_all(sound_paths(stems))
    session = new_session(stems, infos)
    for index, lane in enumerate(session.lanes):
        session = edits.change_strips(
            session, (lane.id,), level_db=-12.0 - tilt * (index % 4), pan=(-0.6, 0.0, 0.6)[index % 3]
        )
    sources = Sources()
    sources.update(session)
    mix = listening_copy.rendered(make_plan(session, sources))
    listening_copy.write(listening_copy.best(mix, session.sample_rate), path)
    return path


def main() -> None:
    app = make_application()
    desk = Desk(lambda rate, fill: (SimulatedDevice(rate, fill), None))
    window = MainWindow(desk)
    window.resize(1280, 800)
    window.show()

    def shot(name: str) -> None:
        for _ in range(10):
            QApplication.processEvents()
            time.sleep(0.01)
        window.grab().save(str(FOLDER / f"{name}.png"))

    def measured() -> None:
        wait(lambda: desk.idle)
        wait(lambda: window.workbench is None or not window.workbench.side.moves.building)

    def apply(stage: str, move_id: str) -> None:
        """Makes a move where it is offered; what is not recommended any more is left out of the pictures."""
        found = next((move for move in desk.moves.at(stage) if move.id == move_id), None)
        if found is None:
            return
        desk.moves.apply(found)
        wait(lambda: any(entry.move is not None and entry.move.id == move_id for entry in desk.session.ledger))
        measured()

    def select(file: str) -> None:
        desk.select((next(lane.id for lane in desk.session.lanes if lane.file == file),))

    def low_end() -> None:
        """The stage, a clearing, one hit with a drawn duck that three lanes follow, the notes of the bass."""
        long_tail = next(lane.id for lane in desk.session.lanes if lane.file.startswith("KICK alt"))
        desk.edit(lambda s: edits.change_strips(s, (long_tail,), mute=True))
        basses = [lane.id for lane in desk.session.lanes if lane.role in ("bass DI", "bass amplifier", "sub bass")]
        desk.edit(lambda s: edits.nudge_levels(s, basses, 4.0))
        desk.set_stage("low-end")
        select("BASS_DI.wav")
        measured()
        bench = window.workbench.bench.of("low-end")
        wait(lambda: bool(bench.beat.places()) and not desk.work.busy())
        window.workbench.lanes.scroll_bar.setValue(0)
        for wanted in ("low-end.dynamic-clearing", "low-end.single-notes"):
            found = next((move.id for move in desk.moves.at("low-end") if move.id.startswith(wanted)), None)
            if found is not None:
                apply("low-end", found)
        bench.show_view(0)
        for name in ("drawn", "keyed"):
            bench.choose(name)
            wait(lambda: not desk.work.busy())
            bench.use.click()
            wait(lambda n=name: bench.standing() is not None and bench.standing().name == n)
            measured()
            if name == "drawn":
                shot("low-end-duck")

    def share() -> None:
        """The lead against what covers it most, with the bands of a set; all pairs; the session's bands."""
        desk.set_stage("share")
        select("LD VOX comp.wav")
        measured()
        bench = window.workbench.bench.of("share")
        apply("share", "share.shape")
        bench.show_view(0)
        measured()
        window.workbench.lanes.scroll_bar.setValue(0)
        shot("share")

    def dynamics() -> None:
        """The lead's words before and now, and its compressor at work."""
        desk.set_stage("dynamics")
        select("LD VOX comp.wav")
        measured()
        bench = window.workbench.bench.of("dynamics")
        apply("dynamics", f"dynamics.even-out.{desk.current}")
        wait(lambda: not bench.shown.is_stale())
        window.workbench.lanes.scroll_bar.setValue(440)
        shot("dynamics")
        if any(move.id == "dynamics.glue.mix" for move in desk.moves.at("dynamics")):
            apply("dynamics", "dynamics.glue.mix")
        bench.show_view(0)
        window.workbench.lanes.scroll_bar.setValue(0)

    def space() -> None:
        """Two places made by moves, the lanes from near to far, and a hall against the next kick."""
        desk.set_stage("space")
        select("LD VOX comp.wav")
        for move_id in ("space.short", "space.long"):
            wait(lambda i=move_id: any(move.id == i for move in desk.moves.at("space")))
            apply("space", move_id)
        bench = window.workbench.bench.of("space")
        wait(lambda: not bench.shown.is_stale() and not desk.work.busy())
        window.workbench.lanes.scroll_bar.setValue(440)
        shot("space")
        bench.show_view(0)
        window.workbench.lanes.scroll_bar.setValue(0)

    def rides() -> None:
        """The lead word by word over its backing, ridden; one point in the hand."""
        desk.set_stage("rides")
        select("LD VOX comp.wav")
        measured()
        bench = window.workbench.bench.of("rides")
        wait(lambda: not bench.shown.is_stale() and not desk.work.busy())
        for move in [move for move in desk.moves.at("rides") if move.kind == "rides.phrases"]:
            apply("rides", move.id)
        wait(lambda: not bench.shown.is_stale() and not desk.work.busy())
        bench.drawing.chosen = 3 if len(bench.drawing.curve) > 3 else None
        bench.refresh()
        window.workbench.lanes.scroll_bar.setValue(440)
        shot("rides")
        window.workbench.lanes.scroll_bar.setValue(0)

    def finished(folder: Path) -> list[Path]:
        """Five finished mixes of ours, and a rough one of this song: other tunes, limited."""
        paths = []
        for seed, name in enumerate(("Low Tide", "Night Ferry", "Harbour Wall", "Long Pier", "Grey Gulls"), 1):
            stems = write_stems(folder / name, seed=seed, bars=12)
            paths.append(_finished(stems, folder / f"{name}.wav", 1.0 + 0.15 * seed))
        demo = Path(desk.session.folders[0].path)
        return [*paths, _finished(demo, folder / "Slack Water rough.wav", 1.0)]

    def check() -> None:
        """What is left of each elsewhere; the mix beside references; a blind comparison."""
        desk.set_stage("check")
        select("BASS_DI.wav")
        bench = window.workbench.bench.of("check")
        ready = lambda: bench.shown.beside is not None and not bench.shown.is_stale() and not desk.work.busy()  # noqa: E731
        wait(ready)
        window.workbench.lanes.scroll_bar.setValue(330)
        shot("check")
        with tempfile.TemporaryDirectory() as folder:
            bench.show_view(1)
            window.verbs.files.drop(finished(Path(folder)))
            wait(lambda: bench.references.list.count() > 5 and ready())
            bench.references.list.setCurrentRow(1)
            window.workbench.lanes.scroll_bar.setValue(0)
            shot("check-references")
            bench.show_view(2)
            for row in (1, bench.blind.list.count() - 1):
                bench.blind.list.item(row).setCheckState(Qt.CheckState.Checked)
            bench.blind.begin()
            wait(lambda: bench.blind.blind.ready)
            page = window.pages.currentWidget()
            for letter in (1, 0, 2, 1):
                page.choose(letter)
            page.note.setText("tighter low end, voice further back")
            shot("blind")
            window.leave_page()
        desk.player.stop()
        while desk.session.references:
            desk.undo()
        bench.show_view(0)

    def who_is_who() -> None:
        """The demo's tracks under names that say nothing, by night; some are said."""
        with tempfile.TemporaryDirectory() as scratch:
            folder = Path(scratch) / "Session from the other studio"
            folder.mkdir()
            for index, stem in enumerate(sorted(write_stems(Path(scratch) / "stems", bars=8).glob("*.wav")), 1):
                stem.rename(folder / f"Audio {index:02d}_{1 + index * index % 7:02d}.wav")
            window.open_path(folder)
            wait(lambda: desk.is_open and not desk.work.busy("open"))
            measured()
            window.switch_theme()
            window.show_page("who-is-who")
            page = window.extra_pages["who-is-who"]
            wait(lambda: page.current is not None)
            for role in ("kick", "kick out", "hi-hat", "snare top"):
                page.say(role)
            page.choose(0)
            shot("who-is-who")
            window.leave_page()
            window.switch_theme()
            window.close_session()

    def first_mix() -> None:
        """All stages of the demo, two of them opened; then all is taken back."""
        window.show_page("first-mix")
        page = window.extra_pages["first-mix"]
        wait(lambda: page.mix.asked is not None)
        page.begin()
        wait(lambda: not page.mix.running)
        for run in page.mix.runs:
            if run.key in ("balance", "space"):
                page._turn(run.key)
        shot("first-mix")
        window.leave_page()
        window.close_session()

    shot("start")
    who_is_who()
    desk.documents.open_demo()
    measured()
    first_mix()
    desk.documents.open_demo()
    measured()
    apply("gather", "gather.sections")
    select("tbn_take 3.wav")
    shot("gather")
    apply("gather", "gather.names")
    desk.set_stage("balance")
    select("LD VOX comp.wav")
    apply("balance", "balance.all-even")
    for file, level, pan in (
        ("LD VOX comp.wav", 4.0, 0.0),
        ("01_KIK IN.wav", 3.0, 0.0),
        ("eGtr1.wav", -2.0, -0.6),
        ("gtr 2 pick_03.wav", -2.0, 0.6),
        ("OH L.wav", 0.0, -0.8),
        ("OH R.wav", 0.0, 0.8),
    ):
        lane = next(lane for lane in desk.session.lanes if lane.file == file)
        desk.edit(
            lambda s, i=lane.id, db=lane.level_db + level, p=pan: edits.change_strips(s, (i,), level_db=db, pan=p)
        )
    apply("balance", "balance.spread")
    bench = window.workbench.bench.of("balance")
    bench.show_view(1)
    shot("balance-seats")
    with tempfile.TemporaryDirectory() as folder:
        songs = other_songs(Path(folder))
        store.save(desk.session, Path(folder) / "Slack Water.alleven")
        window.show_page("record")
        page = window.extra_pages["record"]
        page.paths = []
        page.add([Path(folder) / "Slack Water.alleven", *songs])
        page.measure(page.paths)
        wait(lambda: not desk.work.busy("record"))
        shot("record")
        window.leave_page()
    bench.show_view(0)
    scratch = next(lane.id for lane in desk.session.lanes if lane.file == "scratch vox.wav")
    desk.edit(lambda s: edits.change_strips(s, (scratch,), mute=True))
    measured()
    desk.edit(lambda s: edits.take_snapshot(s, "voice up"))
    desk.edit(lambda s: edits.add_note(s, "trombone: ask for another take", 31.0))
    desk.edit(lambda s: edits.set_loop(s, Loop(start_s=27.7, end_s=46.2, active=True)))
    desk.player.locate(29.0)
    desk.ears.toggle_play()
    wait(lambda: desk.player.playing and desk.player.position_s() > 32.4)
    shot("balance")
    desk.player.stop()
    low_end()
    share()
    dynamics()
    space()
    rides()
    check()
    desk.set_stage("buses")
    for move_id in ("sections", "kick-and-bass"):
        if any(move.id == f"buses.{move_id}" for move in desk.moves.at("buses")):
            apply("buses", f"buses.{move_id}")
    voice = next(lane.id for lane in desk.session.lanes if lane.file == "LD VOX comp.wav")
    bands = (
        Band(frequency_hz=240.0, gain_db=-2.5, q=1.2),
        Band(frequency_hz=3400.0, gain_db=2.0, q=0.9),
        Band(shape="high shelf", frequency_hz=9500.0, gain_db=3.0, q=0.7),
    )
    evening = Compressor(threshold_db=-26.0, ratio=2.5, attack_ms=12.0, release_ms=140.0, makeup_db=2.0)
    for station in (HighPass(frequency_hz=90.0, slope=18), Equaliser(bands=bands), evening, Saturation(drive_db=4.0)):
        desk.edit(lambda s, made=station: chain_edits.add_station(s, voice, made))
    measured()
    desk.set_stage("gain")
    desk.select((voice,))
    measured()
    laying = window.workbench.lanes.laying
    laying.set_row_size("small")
    laying.nest("families")
    laying.arrange(laying.arrangement.fold("family:drums"))
    window.status.idle()
    shot("gain")
    laying.set_row_size("middle")
    laying.nest("flat")
    desk.set_stage("buses")
    measured()
    keyed = next(lane for lane in desk.session.lanes if lane.chain and lane.role == "sub bass")
    desk.select((keyed.id,))
    window.workbench.lanes.verticalScrollBar().setValue(0)
    shot("buses")
    window.show_page("approaches")
    page = window.extra_pages["approaches"]
    assert isinstance(page, ApproachesPage)
    for name in ("pocket", "thicken"):
        page.try_out(name)
        wait(lambda row=page.rows[name]: bool(row.hears))
    page.rows["kick_click"].control.click()
    wait(lambda: not desk.work.busy())
    shot("approaches")
    desk.undo()
    window.leave_page()
    desk.set_stage("print")
    place = Path(tempfile.gettempdir()) / "ferry"
    window.workbench.side.setCurrentIndex(0)
    measured()
    bench = window.workbench.bench.of("print")
    bench.show_view(1)
    with tempfile.TemporaryDirectory() as folder:
        bench.copy.place.setText(str(Path(folder) / "copy.wav"))
        bench.copy.make()
        wait(lambda: "written" in bench.copy.result.text())
        bench.copy.place.setText(str(place / "Slack Water listening copy.wav"))
        window.say("")
    shot("print")
    window.close()
    app.quit()


if __name__ == "__main__":
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home:
        os.environ["ALL_EVEN_HOME"] = home  # recent files of this machine have no place in a picture
        main()
