"""The main window: menus, the start page or the working page, the status line."""

import gc
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, QRect, Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QWidget,
)

from all_even.app.commands import belonging, menus
from all_even.app.commands.command import Command
from all_even.app.desk import Desk
from all_even.app.finder.panel import Finder
from all_even.app.machine import kept_layout
from all_even.app.question_bar import QuestionBar
from all_even.app.starting.start_page import StartPage
from all_even.app.status import StatusLine
from all_even.app.style import fields, layouts, theme
from all_even.app.style.hold_button import HoldButton
from all_even.app.style.wearing import Wearing
from all_even.app.timers import timer
from all_even.app.tour import Tour
from all_even.app.verbs.actions import Actions

if TYPE_CHECKING:
    from all_even.app.finder.entries import Entry
    from all_even.app.pages.page import Page
    from all_even.app.workbench import Parts, Workbench

FRAME_MS, PREPARE_MS, POLISHED_AT_ONCE = 33, 20, 30
MENUS_WIDTH = 340
KEEP_MS = 5_000
"""How often it is written down how the window is laid out, where that changed."""
SMALLEST, REFERENCE = (1024, 700), (1280, 800)


class MainWindow(QMainWindow):
    """`theme_name`: day or night. workbench: made when a session is first opened, or by `prepare` before that."""

    def __init__(self, desk: Desk, theme_name: str = "day") -> None:
        super().__init__()
        self.desk = desk
        self.workbench: Workbench | None = None
        self.setWindowTitle("All Even")
        self.setMinimumSize(*SMALLEST)
        self._stand_where_it_stood()
        self.setAcceptDrops(True)
        self._theme_name = theme_name
        self._was_playing = False
        self.verbs = Actions(desk, self, self)
        self.status = StatusLine(desk)
        self.extra_pages: dict[str, Page] = {}
        self._parts: Parts | None = None
        self.prepared = False
        self._compose()
        bar = self.menuBar()
        assert bar is not None
        self.menus = menus.Menus(desk, self, bar, self.give)
        self.context: QMenu | None = None
        self.finder = Finder(self, self._findable)
        desk.opened.connect(self._on_opened)
        desk.wanted.connect(self._on_wanted)
        desk.saved_state_changed.connect(self._title)
        self._timer = timer(self, FRAME_MS, self._tick)
        self._keeping = timer(self, KEEP_MS, kept_layout.flush)
        self._keeping.start()
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self.wearing = Wearing(self, app)
        desk.stage_changed.connect(lambda _stage: self.wearing.finish())
        self.pages.currentChanged.connect(lambda _index: self.wearing.finish())
        self.apply_theme(theme_name)
        desk.preferences_changed.connect(self._on_preferences)
        app.focusChanged.connect(self._on_focus)

    def _stand_where_it_stood(self) -> None:
        """Size and place of the last time, as far as they are on a screen of today."""
        kept, screen = kept_layout.load(), QGuiApplication.primaryScreen()
        self.resize(*REFERENCE)
        if kept.place is None or screen is None:
            return
        wanted = QRect(*kept.place)
        if any(other.availableGeometry().intersects(wanted) for other in screen.virtualSiblings()):
            self.setGeometry(wanted)
        if kept.maximised:
            self.setWindowState(Qt.WindowState.WindowMaximized)

    # Building.

    def _compose(self) -> None:
        self.pages = QStackedWidget()
        whole = QWidget()
        whole.setObjectName("ground")
        column = layouts.column(whole, margins=layouts.NONE, spacing=0)
        column.addWidget(self.pages, 1)
        self.tour = Tour(self, lambda: self.workbench if self.desk.is_open else None, self.desk.set_stage)
        column.addWidget(self.tour)
        column.addWidget(QuestionBar(self.desk))
        column.addWidget(self.status)
        self.setCentralWidget(whole)
        self.start_page = StartPage()
        self.start_page.folder_wanted.connect(self.verbs.files.ask_folder)
        self.start_page.session_wanted.connect(self.verbs.files.ask_session)
        self.start_page.demo_wanted.connect(self.desk.documents.open_demo)
        self.start_page.path_wanted.connect(self.verbs.files.open_path)
        self.start_page.recovery_wanted.connect(self.desk.documents.recover)
        self.pages.addWidget(self.start_page)

    def prepare(self, reading: threading.Thread) -> None:
        """Makes the working page while the start page is looked at, part by part, once `reading` has read it in."""

        def steps() -> Iterator[None]:
            while reading.is_alive():
                yield
            from all_even.app.workbench import Parts

            self._parts = self._parts or Parts(self.desk)
            while self.workbench is None and self._parts.make_one():
                yield
            bench = self.build_workbench()
            yield
            for index, widget in enumerate(bench.findChildren(QWidget)):
                widget.ensurePolished()
                if index % POLISHED_AT_ONCE == 0:
                    yield
            gc.freeze()  # what is read in now stays: looking through it for garbage takes a tenth of a second
            self.prepared = True

        waiting = steps()

        def go_on() -> None:
            if next(waiting, self) is not self:
                QTimer.singleShot(PREPARE_MS, go_on)

        go_on()

    def build_workbench(self) -> "Workbench":
        """Makes the working views; the start page is on screen before this is needed."""
        if self.workbench is not None:
            return self.workbench
        from all_even.app.verbs.page import PageVerbs
        from all_even.app.workbench import Workbench

        bench = self.workbench = Workbench(self.desk, self._parts)
        bar = self.menuBar()
        assert bar is not None
        bench.head.corner.setParent(bar)
        bench.head.corner.show()
        self._place_corner()
        page = self.verbs.page = PageVerbs(self.desk, bench)
        bench.hide()
        self.pages.addWidget(bench)
        transport = bench.head.transport
        transport.play_pressed.connect(self.desk.ears.toggle_play)
        transport.stop_pressed.connect(self.verbs.to_start)
        transport.loop_pressed.connect(self.verbs.toggle_loop)
        transport.follow_pressed.connect(bench.bench.set_follow)
        transport.strip.located.connect(page.locate)
        bench.side.notes.go_to.connect(page.locate)
        bench.fit(self.width(), self.height())
        fields.tint_icons(self)
        return bench

    @property
    def commands(self) -> list[Command[Any]]:
        return self.menus.commands

    def give(self, command: Command[Any]) -> None:
        """Does what a command says, if that can be done now."""
        if command.enabled(self.desk):
            command.run(self.verbs)

    def _on_wanted(self, command_id: str) -> None:
        for command in self.commands:
            if command.id == command_id:
                self.give(command)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Of what is under the pointer; asked for by the Menu key, of what has the keyboard."""
        if event is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        widget = QApplication.focusWidget() if by_key else self.childAt(event.pos())
        place, owner = belonging.place_of(widget)
        at = event.globalPos()
        if owner is not None and not by_key:
            point_at = owner.property(belonging.POINT)
            if point_at is not None:
                point_at(owner.mapFromGlobal(at))
        elif widget is not None and by_key:
            at = widget.mapToGlobal(widget.rect().center())
        self.context = self.menus.context(place)
        self.context.popup(at)
        event.accept()

    # Pages and the finder.

    def show_finder(self) -> None:
        """Shows the finder."""
        self.finder.open()

    def _findable(self) -> "list[Entry]":
        from all_even.app.finder.entries import entries

        return entries(self.desk, self.commands, self.verbs, self.give)

    def begin_tour(self) -> None:
        """The six stops, on what is open; on the demo where nothing is."""
        if self.desk.is_open:
            self.leave_page()
            self.tour.begin()
        else:
            self.desk.documents.open_demo()

    def show_page(self, name: str, at: str = "") -> None:
        """Shows settings, shortcuts or about in the place of the work; Esc goes back."""
        if name not in self.extra_pages:
            from all_even.app.pages.about import AboutPage
            from all_even.app.pages.approaches import ApproachesPage
            from all_even.app.pages.blind import BlindPage
            from all_even.app.pages.first_mix import FirstMixPage
            from all_even.app.pages.outside import OutsidePage
            from all_even.app.pages.record import RecordPage
            from all_even.app.pages.settings import SettingsPage
            from all_even.app.pages.shortcuts import ShortcutsPage
            from all_even.app.pages.who_is_who import WhoIsWhoPage
            from all_even.app.pages.words import WordsPage

            made = {
                "settings": lambda: SettingsPage(self.desk, self.leave_page),
                "approaches": lambda: ApproachesPage(self.desk, self.leave_page),
                "shortcuts": lambda: ShortcutsPage(self.commands, self.leave_page),
                "about": lambda: AboutPage(self.leave_page),
                "words": lambda: WordsPage(self.leave_page),
                "blind": lambda: BlindPage(self.desk, self.leave_page),
                "first-mix": lambda: FirstMixPage(self.desk, self.leave_page, lambda: self.show_page("who-is-who")),
                "who-is-who": lambda: WhoIsWhoPage(self.desk, self.leave_page),
                "outside": lambda: OutsidePage(self.desk, self.leave_page, self.verbs.strips.to_print),
                "record": lambda: RecordPage(self.desk, self.leave_page, self.verbs.files.open_path),
            }[name]()
            self.extra_pages[name] = made
            self.pages.addWidget(made)
            fields.tint_icons(made)
        page = self.extra_pages[name]
        self.pages.setCurrentWidget(page)
        page.back.setFocus()
        page.refresh(at)

    def leave_page(self) -> None:
        """Back to the work, or to the start page."""
        self.pages.setCurrentWidget(self.workbench if self.desk.is_open and self.workbench else self.start_page)
        if self.desk.is_open and self.workbench is not None:
            self.workbench.lanes.setFocus()

    def stop(self) -> None:
        """Leaves the finder, else a page, else stops what is being done."""
        if self.finder.isVisible():
            self.finder.leave()
        elif self.pages.currentWidget() in self.extra_pages.values():
            self.leave_page()
        else:
            self.status.cancel()

    def _on_focus(self, old: QWidget | None, new: QWidget | None) -> None:
        """Keys of the button that has the keyboard are looked at first; of nothing else, which would cost a call for
        each event of every widget."""
        if isinstance(old, QAbstractButton):
            old.removeEventFilter(self)
        if isinstance(new, QAbstractButton) and not isinstance(new, HoldButton):
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A button reached by keyboard is pressed by Space and Enter, before Space means play."""
        if isinstance(watched, QAbstractButton) and isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Space:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                watched.click()
                return True
        return super().eventFilter(watched, event)

    # Reacting.

    def open_path(self, path: Path) -> None:
        """Opens a folder or a session file."""
        self.verbs.files.open_path(path)

    def say(self, sentence: str) -> None:
        """A sentence in the status line."""
        self.status.say(sentence)

    def close_session(self) -> None:
        self.tour.leave()
        if self.desk.is_open:
            self.desk.close_session()
            self._timer.stop()
            self.pages.setCurrentWidget(self.start_page)
            self.start_page.refresh()
            self.setWindowTitle("All Even")

    def _on_opened(self) -> None:
        bench = self.build_workbench()
        self.tour.leave()
        self.pages.setCurrentWidget(bench)
        bench.refresh()
        self._title()
        self._timer.start()
        if not self.status.speaking:
            self.status.idle()
        bench.lanes.setFocus()
        if self.desk.documents.is_demo:
            self.tour.begin_once()

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
        self.desk.prefer(replace(self.desk.preferences, theme=name))
        theme.use(name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        if app.font() != theme.font():
            app.setFont(theme.font())
        self.wearing.put_on()
        fields.tint_icons(self)
        if self.workbench is not None and self.desk.is_open:
            from all_even.app.bench.drawings import Drawing

            self.workbench.head.transport.strip.renew()
            self.workbench.refresh()
            for drawing in self.findChildren(Drawing):
                drawing.renew()  # their pictures are kept, in the old colours
        self.update()

    def _on_preferences(self) -> None:
        if self.desk.preferences.theme != self._theme_name:
            self.apply_theme(self.desk.preferences.theme)

    def switch_theme(self) -> None:
        self.apply_theme("night" if self._theme_name == "day" else "day")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_corner()
        if self.workbench is not None:
            self.workbench.fit(self.width(), self.height())

    def _place_corner(self) -> None:
        """The song's name and state, at the right end of the menu bar."""
        bar = self.menuBar()
        if self.workbench is not None and bar is not None:
            corner = self.workbench.head.corner
            width = min(corner.minimumWidth(), self.width() - MENUS_WIDTH)
            corner.setGeometry(self.width() - width, 0, width, max(bar.height(), bar.sizeHint().height()))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        paths = [Path(url.toLocalFile()) for url in (mime.urls() if mime is not None else []) if url.isLocalFile()]
        if paths:
            self.verbs.files.drop(paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Unsaved changes stay in a recovery copy; nothing asks, nothing is lost."""
        self._timer.stop()
        place = self.normalGeometry() if self.isMaximized() else self.geometry()
        kept_layout.keep(place=(place.x(), place.y(), place.width(), place.height()), maximised=self.isMaximized())
        kept_layout.flush()
        if self.status.warming is not None:
            self.status.warming.stop()
        self.desk.close()
        super().closeEvent(event)
