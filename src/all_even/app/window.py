"""The main window: menus, the start page or the working page, the status line."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QHelpEvent,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from all_even import texts
from all_even.app import fields, theme
from all_even.app.actions import Actions
from all_even.app.commands import MENUS, Command, all_commands
from all_even.app.desk import Desk
from all_even.app.hold_button import HoldButton
from all_even.app.start_page import StartPage
from all_even.app.status import StatusLine
from all_even.app.timers import timer
from all_even.session.store import SUFFIX

if TYPE_CHECKING:
    from all_even.app.workbench import Workbench

FRAME_MS = 33
SMALLEST, REFERENCE = (1024, 700), (1280, 800)


class MainWindow(QMainWindow):
    """`theme_name`: day or night. workbench: made when a session is first opened."""

    def __init__(self, desk: Desk, theme_name: str = "day") -> None:
        super().__init__()
        self.desk = desk
        self.workbench: Workbench | None = None
        self.setWindowTitle("All Even")
        self.setMinimumSize(*SMALLEST)
        self.resize(*REFERENCE)
        self.setAcceptDrops(True)
        self._theme_name = theme_name
        self._was_playing = False
        self.verbs = Actions(desk, self, self)
        self.status = StatusLine(desk)
        self._compose()
        self._add_commands()
        desk.opened.connect(self._on_opened)
        desk.saved_state_changed.connect(self._title)
        self._timer = timer(self, FRAME_MS, self._tick)
        self.apply_theme(theme_name)
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)

    # Building.

    def _compose(self) -> None:
        self.pages = QStackedWidget()
        whole = QWidget()
        whole.setObjectName("ground")
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.pages, 1)
        column.addWidget(self.status)
        self.setCentralWidget(whole)
        self.start_page = StartPage()
        self.start_page.folder_wanted.connect(self.verbs.ask_folder)
        self.start_page.session_wanted.connect(self.verbs.ask_session)
        self.start_page.demo_wanted.connect(self.desk.documents.open_demo)
        self.start_page.path_wanted.connect(self.verbs.open_path)
        self.start_page.recovery_wanted.connect(self.desk.documents.recover)
        self.pages.addWidget(self.start_page)

    def build_workbench(self) -> "Workbench":
        """Makes the working views; the start page is on screen before this is needed."""
        if self.workbench is not None:
            return self.workbench
        from all_even.app.workbench import Workbench

        bench = self.workbench = Workbench(self.desk)
        self.pages.addWidget(bench)
        transport = bench.head.transport
        transport.play_pressed.connect(self.desk.ears.toggle_play)
        transport.stop_pressed.connect(self.verbs.to_start)
        transport.loop_pressed.connect(self.verbs.toggle_loop)
        transport.follow_pressed.connect(bench.bench.set_follow)
        transport.strip.located.connect(self.verbs.locate)
        bench.side.notes.go_to.connect(self.verbs.locate)
        bench.fit(self.width(), self.height())
        fields.tint_icons(self)
        return bench

    def _add_commands(self) -> None:
        self._commands: list[tuple[Command, QAction]] = []
        bar = self.menuBar()
        assert bar is not None
        menus: dict[str, QMenu] = {}
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menu.aboutToShow.connect(partial(self._say_what_can_be_done, name))
            menu.aboutToHide.connect(self._enable_all)
            menus[name] = menu
        for command in all_commands():
            action = QAction(command.text, self)
            if command.shortcut:
                action.setShortcut(QKeySequence(command.shortcut))
            action.triggered.connect(partial(self.give, command))
            menus[command.menu].addAction(action)
            self._commands.append((command, action))

    @property
    def commands(self) -> list[Command]:
        return [command for command, _ in self._commands]

    def give(self, command: Command, _checked: bool = False) -> None:
        """Does what a command says, if that can be done now."""
        if command.enabled(self.desk):
            command.run(self.verbs)

    def _say_what_can_be_done(self, menu: str) -> None:
        for command, action in self._commands:
            if command.menu == menu:
                action.setEnabled(command.enabled(self.desk))

    def _enable_all(self) -> None:
        """A shortcut asks for itself when it is pressed."""
        for _, action in self._commands:
            action.setEnabled(True)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tooltips are text, never markup; a button reached by keyboard is pressed by Space and Enter, before
        Space means play."""
        if isinstance(event, QHelpEvent) and isinstance(watched, QWidget) and "<" in watched.toolTip():
            QToolTip.showText(event.globalPos(), texts.tip(watched.toolTip()), watched)
            return True
        is_button = isinstance(watched, QAbstractButton) and not isinstance(watched, HoldButton)
        if is_button and isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Space:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                watched.click()  # type: ignore[union-attr]
                return True
        return super().eventFilter(watched, event)

    # Reacting.

    def open_path(self, path: Path) -> None:
        """Opens a folder or a session file."""
        self.verbs.open_path(path)

    def say(self, sentence: str) -> None:
        """A sentence in the status line."""
        self.status.say(sentence)

    def close_session(self) -> None:
        if self.desk.is_open:
            self.desk.close_session()
            self._timer.stop()
            self.pages.setCurrentWidget(self.start_page)
            self.start_page.refresh()
            self.setWindowTitle("All Even")

    def _on_opened(self) -> None:
        bench = self.build_workbench()
        self.pages.setCurrentWidget(bench)
        bench.refresh()
        self._title()
        self._timer.start()
        if not self.status.speaking:
            self.status.idle()
        bench.lanes.setFocus()

    def _title(self) -> None:
        desk = self.desk
        if not desk.is_open:
            return
        self.setWindowTitle(f"{'• ' if desk.unsaved else ''}{desk.session.name} – All Even")
        if not self.status.speaking:
            self.status.idle()

    def _tick(self) -> None:
        desk = self.desk
        if self.workbench is None or not desk.is_open:
            return
        self.workbench.tick()
        player = desk.ears.known_player
        if player is None:
            return
        if player.message:
            self.say(player.message)
            player.message = None
        elif not self.status.speaking and player.playing != self._was_playing:
            self._was_playing = player.playing
            self.status.idle()

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
        if self.workbench is not None and self.desk.is_open:
            from all_even.app.bench.drawings import Drawing

            self.workbench.head.transport.strip.renew()
            self.workbench.refresh()
            for drawing in self.findChildren(Drawing):
                drawing.renew()  # their pictures are kept, in the old colours
        self.update()

    def switch_theme(self) -> None:
        self.apply_theme("night" if self._theme_name == "day" else "day")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.workbench is not None:
            self.workbench.fit(self.width(), self.height())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        paths = [Path(url.toLocalFile()) for url in (mime.urls() if mime is not None else []) if url.isLocalFile()]
        if paths:
            self.open_path(paths[0] if paths[0].is_dir() or paths[0].suffix == SUFFIX else paths[0].parent)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Unsaved changes stay in a recovery copy; nothing asks, nothing is lost."""
        self._timer.stop()
        self.desk.close()
        super().closeEvent(event)
