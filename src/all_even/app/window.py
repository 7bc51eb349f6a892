"""The main window: path and playing on top, song strip, lanes and moves, the bench, the status line."""

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QHelpEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QProgressBar,
    QStackedWidget,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from all_even import texts
from all_even.app import fields, theme
from all_even.app.commands import MENUS, Command, all_commands
from all_even.app.desk import STAGES, Desk
from all_even.app.start_page import StartPage
from all_even.decibels import level_db
from all_even.session import edits
from all_even.session.model import Loop
from all_even.session.store import SUFFIX

FRAME_MS = 33
BENCH_HEIGHT = 212
BUSES_BENCH_HEIGHT = 256
"""An opened station has many settings; in a low window the lanes need the room more."""
LOWEST_WINDOW = 700
SIDE_WIDTH = 296
NARROW = 1180
STATUS_MS = 12_000


class MainWindow(QMainWindow):
    """Composes the views around one desk. `theme_name`: day or night."""

    def __init__(self, desk: Desk, theme_name: str = "day") -> None:
        super().__init__()
        self.desk = desk
        self.setWindowTitle("All Even")
        self.setMinimumSize(1024, 700)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._theme_name = theme_name
        self._actions: list[tuple[Command, QAction]] = []
        self.pages = QStackedWidget()
        self.setCentralWidget(self.pages)
        self.start_page = StartPage()
        self.start_page.folder_wanted.connect(self.ask_folder)
        self.start_page.session_wanted.connect(self.ask_session)
        self.start_page.demo_wanted.connect(desk.open_demo)
        self.start_page.path_wanted.connect(self.open_path)
        self.start_page.recovery_wanted.connect(desk.recover)
        self.pages.addWidget(self.start_page)
        self.has_workbench = False
        self._was_playing = False
        self._status_row()
        self._add_commands()
        desk.opened.connect(self._on_opened)
        desk.said.connect(self.say)
        desk.saved_state_changed.connect(self._title)
        desk.work.progressed.connect(self._on_progress)
        desk.work.ended.connect(self._on_work_ended)
        self._timer = QTimer(self, interval=FRAME_MS)
        self._timer.timeout.connect(self._tick)
        self.apply_theme(theme_name)
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)

    # Building.

    def build_workbench(self) -> None:
        """Makes the working views; the start page is on screen before this is needed."""
        if self.has_workbench:
            return
        self.has_workbench = True
        from all_even.app.bench.balance import BalanceBench
        from all_even.app.bench.buses import BusesBench
        from all_even.app.bench.gather import GatherBench
        from all_even.app.bench.print_ import PrintBench
        from all_even.app.lanes.view import LaneView
        from all_even.app.side_panel import SidePanel
        from all_even.app.song_strip import SongStrip
        from all_even.app.top_bar import TopBar

        desk = self.desk
        self.top = TopBar(desk)
        self.strip = SongStrip(desk)
        self.lanes = LaneView(desk)
        self.side = SidePanel(desk)
        self.benches = QStackedWidget()
        self.gather_bench, self.balance_bench = GatherBench(desk), BalanceBench(desk)
        self.buses_bench, self.print_bench = BusesBench(desk), PrintBench(desk)
        for bench in (self.gather_bench, self.balance_bench, self.buses_bench, self.print_bench):
            self.benches.addWidget(bench)
        self.bench_frame = QFrame()
        self.bench_frame.setObjectName("panel")
        bench_column = QVBoxLayout(self.bench_frame)
        bench_column.setContentsMargins(0, 0, 0, 0)
        bench_column.addWidget(self.benches)
        self.bench_frame.setFixedHeight(BENCH_HEIGHT)

        middle = QHBoxLayout()
        middle.setContentsMargins(8, 0, 8, 0)
        middle.setSpacing(8)
        middle.addWidget(self.lanes, 1)
        self.side_frame = QFrame()
        self.side_frame.setObjectName("ground")
        side_column = QVBoxLayout(self.side_frame)
        side_column.setContentsMargins(0, 0, 0, 0)
        side_column.addWidget(self.side)
        middle.addWidget(self.side_frame)
        page = QWidget()
        page.setObjectName("ground")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.top)
        column.addWidget(self.strip)
        column.addLayout(middle, 1)
        holder = QHBoxLayout()
        holder.setContentsMargins(8, 0, 8, 0)
        holder.addWidget(self.bench_frame)
        column.addLayout(holder)
        self.pages.addWidget(page)
        self.work_page = page

        self.top.play_pressed.connect(desk.toggle_play)
        self.top.stop_pressed.connect(self.to_start)
        self.top.loop_pressed.connect(self.toggle_loop)
        self.top.follow_pressed.connect(self.set_follow)
        self.strip.located.connect(self.locate)
        self.side.notes.go_to.connect(self.locate)
        desk.stage_changed.connect(self._on_stage)
        self._on_stage(desk.stage)
        self._fit_width()
        fields.tint_icons(self)

    def _status_row(self) -> None:
        bar = self.statusBar()
        bar.setSizeGripEnabled(False)
        self.status = QLabel()
        self.status.setTextFormat(Qt.TextFormat.PlainText)
        self.status.setAccessibleName("Status")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(180)
        self.progress.setAccessibleName("Progress")
        self.progress_text = fields.label("", "small")
        self.cancel = fields.button("Cancel", "Stop what is being done (Esc)", self.cancel_work, role="plain")
        bar.addWidget(self.status, 1)
        bar.addPermanentWidget(self.progress_text)
        bar.addPermanentWidget(self.progress)
        bar.addPermanentWidget(self.cancel)
        bar.setFixedHeight(34)
        bar.setContentsMargins(12, 0, 8, 0)
        self._show_progress(False)
        self._status_timer = QTimer(self, singleShot=True, interval=STATUS_MS)
        self._status_timer.timeout.connect(self._idle_status)

    def _add_commands(self) -> None:
        menus = {name: self.menuBar().addMenu(name) for name in MENUS}
        for command in all_commands(self):
            action = QAction(command.text, self)
            if command.shortcut:
                action.setShortcut(QKeySequence(command.shortcut))
            action.triggered.connect(lambda _checked=False, run=command.run: run())
            menus[command.menu].addAction(action)
            self._actions.append((command, action))

    @property
    def commands(self) -> list[Command]:
        return [command for command, _ in self._actions]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tooltips are text, never markup; a button reached by keyboard is pressed by Space and Enter, before
        Space means play."""
        if isinstance(event, QHelpEvent) and isinstance(watched, QWidget) and "<" in watched.toolTip():
            QToolTip.showText(event.globalPos(), texts.tip(watched.toolTip()), watched)
            return True
        if isinstance(watched, QAbstractButton) and isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Space:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                watched.click()
                return True
        return super().eventFilter(watched, event)

    # Opening and saving.

    def open_path(self, path: Path) -> None:
        """Opens a folder or a session file."""
        path = Path(path)
        if path.is_dir():
            self.desk.open_folder(path)
        elif path.suffix == SUFFIX or path.is_file():
            self.desk.open_session(path)
        else:
            self.say(f"{path.name} is neither a folder nor a session file.")

    def ask_folder(self) -> None:
        chosen = self._ask(QFileDialog.FileMode.Directory, "Open a folder of tracks")
        if chosen:
            self.desk.open_folder(chosen)

    def ask_session(self) -> None:
        chosen = self._ask(QFileDialog.FileMode.ExistingFile, "Open a session", f"Sessions (*{SUFFIX})")
        if chosen:
            self.desk.open_session(chosen)

    def _ask(self, mode: QFileDialog.FileMode, title: str, pattern: str = "", save: bool = False) -> Path | None:
        dialog = QFileDialog(self, title, str(Path.home()), pattern)
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setFileMode(mode)
        if save:
            dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
            if self.desk.is_open:
                dialog.selectFile(f"{self.desk.session.name}{SUFFIX}")
        return Path(dialog.selectedFiles()[0]) if dialog.exec() else None

    def save(self) -> None:
        if self.desk.is_open:
            if self.desk.path is None:
                self.save_as()
            else:
                self.desk.save()

    def save_as(self) -> None:
        if self.desk.is_open:
            chosen = self._ask(QFileDialog.FileMode.AnyFile, "Save the session", f"Sessions (*{SUFFIX})", save=True)
            if chosen:
                self.desk.save(chosen)

    def rename_song(self) -> None:
        if self.desk.is_open:
            name, ok = QInputDialog.getText(
                self, "Rename the song", "Name", QLineEdit.EchoMode.Normal, self.desk.session.name
            )
            if ok and name.strip():
                from msgspec.structs import replace

                self.desk.edit(lambda s: replace(s, name=" ".join(name.split())[:200]))

    def empty_cache(self) -> None:
        def done(freed: int) -> None:
            self.say(f"{freed / 1e6:.0f} MB of decoded copies deleted; what is open stays.")

        def job(_report: Any) -> int:
            from all_even.audio.decoded import empty_cache

            return empty_cache()

        self.desk.work.start("cache", job, done)

    def close_session(self) -> None:
        if self.desk.is_open:
            self.desk.close_session()
            self._timer.stop()
            self.pages.setCurrentWidget(self.start_page)
            self.start_page.refresh()
            self.setWindowTitle("All Even")

    # Playing.

    def locate(self, seconds: float) -> None:
        if self.desk.is_open:
            self.desk.player.locate(seconds)
            self.strip.set_position(seconds)

    def to_start(self) -> None:
        if self.desk.is_open:
            self.desk.player.stop()
            self.desk.player.locate(0.0)

    def toggle_loop(self) -> None:
        if not self.desk.is_open:
            return
        loop = self.desk.session.loop
        if loop is None:
            self.say("Drag along the song strip first: that marks the section to repeat.")
            return
        turned = Loop(start_s=loop.start_s, end_s=loop.end_s, active=not loop.active)
        self.desk.edit(lambda s: edits.set_loop(s, turned))

    def set_follow(self, on: bool) -> None:
        for drawing in (self.gather_bench.wave, self.balance_bench.course):
            drawing.follow = on
            drawing.renew()

    def compare(self) -> None:
        if self.has_workbench and self.desk.is_open:
            self.side.snapshots.compare()

    # Lanes.

    def select_all(self) -> None:
        if self.desk.is_open:
            self.desk.select(tuple(self.lanes.lane_ids()))

    def select_family(self) -> None:
        if self.desk.is_open and self.desk.current:
            from all_even.app.lanes.entries import entry
            from all_even.session.roles import family_of

            family = family_of(entry(self.desk.session, self.desk.current).role)
            shown = set(self.lanes.lane_ids())
            self.desk.select(tuple(i for i in edits.lanes_of_family(self.desk.session, family) if i in shown))

    def clear_solo(self) -> None:
        if self.desk.is_open:
            soloed = [lane.id for lane in self.desk.session.lanes if lane.solo]
            self.desk.edit(lambda s: edits.change_strips(s, soloed, solo=False))

    def choose_role(self) -> None:
        if self.desk.is_open:
            self.desk.set_stage("gather")
            self.gather_bench.role.setFocus()

    def type_level(self) -> None:
        self._type(lambda: self.balance_bench.level)

    def type_trim(self) -> None:
        self._type(lambda: self.balance_bench.trim)

    def _type(self, field: Any) -> None:
        if self.desk.is_open:
            self.desk.set_stage("balance")
            field().setFocus()
            field().selectAll()

    def all_even(self) -> None:
        """Makes the move All even, also when it was made before."""
        if not self.desk.is_open:
            return

        def done(moves: list[Any]) -> None:
            if moves:
                self.desk.set_stage("balance")
                self.desk.apply_move(moves[0])
            else:
                self.say("All even has nothing to do: the lanes arrive equally loud, or are still being measured.")

        self.desk.propose_all_even(done)

    def write_note(self) -> None:
        if self.desk.is_open:
            self.show_tab(2)
            self.side.notes.text.setFocus()

    def name_snapshot(self) -> None:
        if self.desk.is_open:
            self.show_tab(3)
            self.side.snapshots.name.setFocus()

    def toggle_hidden_lanes(self) -> None:
        if self.has_workbench:
            self.lanes.hidden_button.toggle()

    def type_station(self) -> None:
        """To the field that adds a station to the selected strip."""
        if self.has_workbench and self.desk.is_open:
            self.desk.set_stage("buses")
            self.buses_bench.add.setFocus()

    def print_now(self) -> None:
        if self.desk.is_open:
            self.desk.set_stage("print")
            self.print_bench.print_mix()

    def sheet_now(self) -> None:
        if self.desk.is_open:
            self.desk.set_stage("print")
            self.print_bench.write_sheet()

    def show_tab(self, index: int) -> None:
        if self.has_workbench:
            self.side.setCurrentIndex(index)

    # Reacting.

    def _on_opened(self) -> None:
        self.build_workbench()
        self.pages.setCurrentWidget(self.work_page)
        for part in (self.top, self.lanes, self.side.ledger, self.side.notes, self.side.snapshots, self.side.moves):
            part.refresh()
        self._refresh_bench()
        self._title()
        self._timer.start()
        if not self._status_timer.isActive():
            self._idle_status()
        self.lanes.setFocus()

    def _on_stage(self, stage: str) -> None:
        self.benches.setCurrentIndex(STAGES.index(stage))
        self._fit_bench()
        self._refresh_bench()
        self.top.refresh()

    def _refresh_bench(self) -> None:
        self.gather_bench.refresh()
        self.balance_bench.refresh()
        self.buses_bench.refresh()
        for mix in (self.balance_bench.mix, self.print_bench.mix):
            mix.refresh()
        self.print_bench._new_targets()
        self.lanes.refresh()

    def _title(self) -> None:
        if self.desk.is_open:
            mark = "• " if self.desk.unsaved else ""
            self.setWindowTitle(f"{mark}{self.desk.session.name} – All Even")
            if not self._status_timer.isActive():
                self._idle_status()

    def _tick(self) -> None:
        """30 times a second: meters, position, playhead."""
        desk = self.desk
        plan_length = desk.song_s()
        player = desk._player
        if not desk.is_open or player is None:
            if desk.is_open:
                self.strip.set_length(plan_length)
                self.top.show_position(0.0, plan_length, False)
            return
        position = player.position_s()
        self.strip.set_length(plan_length)
        self.strip.set_position(position)
        self.top.show_position(position, plan_length, player.playing)
        self.side.notes.position_s = position
        meters = player.meters() if player.playing else None
        peaks = dict(zip(meters.strip_ids, meters.peaks, strict=True)) if meters else {}
        away = player.playing or position > 0.0
        self.lanes.set_levels(peaks, position / plan_length if plan_length and away else None)
        if desk.stage == "gather":
            self.gather_bench.wave.set_position(position)
        elif desk.stage == "balance":
            self.balance_bench.course.set_position(position)
        if meters is not None:
            left, right = (level_db(peak) for peak in meters.mix_peaks)
            self.top.level.show_levels(left, right, meters.held)
            if desk.stage == "balance":
                self.balance_bench.mix.show_playing(meters.short_term_lufs)
            elif desk.stage == "buses":
                self.buses_bench.path.show_playing(meters.reductions)
        else:
            self.top.level.show_levels(-120.0, -120.0, False)
        if player.message:
            self.say(player.message)
            player.message = None
        elif not self._status_timer.isActive() and player.playing != self._was_playing:
            self._was_playing = player.playing
            self._idle_status()

    def _on_progress(self, name: str, share: float, text: str) -> None:
        if name in ("mix", "moves", "autosave"):
            return
        self._show_progress(True)
        self.progress.setRange(0, 0 if share < 0 else 1000)
        self.progress.setValue(int(1000 * max(0.0, share)))
        metrics = self.progress_text.fontMetrics()
        self.progress_text.setText(metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, 420))

    def _on_work_ended(self, _name: str) -> None:
        if not any(self.desk.work.busy(name) for name in ("open", "measure", "sources", "print", "compare", "sheet")):
            self._show_progress(False)

    def _show_progress(self, on: bool) -> None:
        for part in (self.progress, self.progress_text, self.cancel):
            part.setVisible(on)

    def cancel_work(self) -> None:
        for name in ("open", "print", "compare", "measure", "sources"):
            if self.desk.work.busy(name):
                self.desk.work.cancel(name)
                self.say("Stopped.")
                if name == "measure":
                    self.desk.open_sources()  # what was not measured can still be played
                return

    def _idle_status(self) -> None:
        """With nothing to say: the facts of the session."""
        if not self.desk.is_open:
            self.status.setText("")
            return
        session = self.desk.session
        player = self.desk._player
        device = player.device.name if player is not None and player.device is not None else "not opened yet"
        law = session.pan_law.replace("-", "−")
        self.status.setText(
            f"{len(session.lanes)} lanes at {session.sample_rate / 1000:g} kHz; pan law {law}; output: {device}"
        )

    def say(self, sentence: str) -> None:
        """Shows a sentence in the status line for a while."""
        self.status.setText(self.status.fontMetrics().elidedText(sentence, Qt.TextElideMode.ElideRight, 700))
        self.status.setToolTip(sentence)
        self._status_timer.start()

    # Look.

    def apply_theme(self, name: str) -> None:
        self._theme_name = name
        theme.use(name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        if app.font() != theme.font():
            app.setFont(theme.font())
        theme.wear(app, app.allWidgets())
        fields.tint_icons(self)
        if self.has_workbench and self.desk.is_open:
            self.strip._redraw()
            self._refresh_bench()
            from all_even.app.bench.drawings import Drawing

            for drawing in self.findChildren(Drawing):
                drawing.renew()  # their pictures are kept, in the old colours
        self.update()

    def switch_theme(self) -> None:
        self.apply_theme("night" if self._theme_name == "day" else "day")

    def resizeEvent(self, event: Any) -> None:
        super().resizeEvent(event)
        if self.has_workbench:
            self._fit_width()
            self._fit_bench()

    def _fit_bench(self) -> None:
        spare = max(0, self.height() - LOWEST_WINDOW)
        wanted = min(BUSES_BENCH_HEIGHT, BENCH_HEIGHT + spare) if self.desk.stage == "buses" else BENCH_HEIGHT
        self.bench_frame.setFixedHeight(wanted)

    def _fit_width(self) -> None:
        narrow = self.width() < NARROW
        self.side_frame.setFixedWidth(264 if narrow else SIDE_WIDTH)
        self.gather_bench.bands.setVisible(not narrow)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            self.open_path(paths[0] if paths[0].is_dir() or paths[0].suffix == SUFFIX else paths[0].parent)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Unsaved changes stay in a recovery copy; nothing asks, nothing is lost."""
        self._timer.stop()
        self.desk.close()
        super().closeEvent(event)
