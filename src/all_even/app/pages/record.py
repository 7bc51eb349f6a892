"""The songs of one record side by side: a row a song, a rail a figure; what falls out of line stands out."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from all_even import texts
from all_even.app.asking_files import Mode, chosen
from all_even.app.desk import Desk
from all_even.app.machine import recent
from all_even.app.pages.page import Page
from all_even.app.style import fields, paint, theme
from all_even.app.work import Report
from all_even.dsp.parameter import number, signed
from all_even.errors import Cancelled, UserError
from all_even.session.file.store import SUFFIX

if TYPE_CHECKING:
    from all_even.figures.record import Column, SongFigures

HEAD, ROW, NAME = 44, 46, 190
MOST = 40


class RecordTable(QWidget):
    """Painted: names, figures, and where each stands among the songs."""

    def __init__(self, open_song: Callable[[int], object]) -> None:
        super().__init__()
        self.songs: list[SongFigures] = []
        self.waiting: list[str] = []
        self._open = open_song
        self.setMouseTracking(True)
        self.setAccessibleName("Songs of the record")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_songs(self, songs: "list[SongFigures]", waiting: list[str]) -> None:
        self.songs, self.waiting = songs, waiting
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleDescription(", ".join(song.name for song in songs))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(900, HEAD + ROW * max(1, len(self.songs) + len(self.waiting)))

    def boxes(self, top: float) -> "list[tuple[Column, QRectF]]":
        """The columns of a row."""
        from all_even.figures.record import COLUMNS

        width = (self.width() - NAME) / len(COLUMNS)
        return [
            (column, QRectF(NAME + index * width + 6, top, width - 12, ROW)) for index, column in enumerate(COLUMNS)
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        from all_even.figures.record import out_of_line

        with paint.painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            quiet = theme.colour("quiet")
            for column, box in self.boxes(0.0):
                paint.note(painter, QRectF(box.left(), 4, box.width(), 18), column.name)
                paint.note(painter, QRectF(box.left(), 22, box.width(), 16), column.unit)
            flags = out_of_line(self.songs)
            for index, song in enumerate(self.songs):
                top = HEAD + ROW * index
                painter.fillRect(QRectF(0, top, self.width(), ROW - 4), theme.colour("panel"))
                paint.text(painter, QRectF(10, top + 4, NAME - 20, 18), song.name, strong=True)
                bus = " · ".join(song.bus) if song.bus else "mix bus empty"
                paint.note(painter, QRectF(10, top + 22, NAME - 20, 16), bus)
                for column, box in self.boxes(top):
                    self._figure(painter, box, column, song, flags.get((index, column.field)))
            for turn, name in enumerate(self.waiting):
                top = HEAD + ROW * (len(self.songs) + turn)
                paint.text(painter, QRectF(10, top + 4, NAME - 20, 18), name, colour=quiet)
                box = QRectF(NAME + 6, top + 4, self.width() - NAME, 18)
                paint.note(painter, box, "being measured …")

    def _figure(
        self, painter: QPainter, box: QRectF, column: "Column", song: "SongFigures", beside: float | None
    ) -> None:
        """The figure, and a rail on which the other songs are small marks."""
        value = getattr(song, column.field)
        tone = theme.colour("look" if beside is not None else "text")
        text = "–" if value is None else number(value, column.decimals)
        upper = QRectF(box.left(), box.top() + 4, box.width(), 18)
        paint.text(painter, upper, text, colour=tone, strong=beside is not None)
        known = [other for item in self.songs if (other := getattr(item, column.field)) is not None]
        if value is None or len(known) < 2:
            return
        low, high = min(known), max(known)
        room = max(high - low, 2.0 * (column.far or 1.0))
        centre = 0.5 * (low + high)
        y = box.top() + 32

        def x_of(figure: float) -> float:
            return box.center().x() + (figure - centre) / room * (box.width() - 12)

        paint.line(painter, box.left(), y, box.right(), y, theme.colour("line"), 1.5)
        for other in known:
            paint.line(painter, x_of(other), y - 3, x_of(other), y + 3, theme.colour("quiet"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(tone)
        painter.drawEllipse(QPointF(x_of(value), y), 4, 4)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self.setToolTip(texts.tip(self.tip_at(event.position())) if event is not None else "")

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        row = self._row_at(event.position().y()) if event is not None else -1
        if 0 <= row < len(self.songs):
            self._open(row)

    def _row_at(self, y: float) -> int:
        return int((y - HEAD) // ROW) if y >= HEAD else -1

    def tip_at(self, at: QPointF) -> str:
        """What is under the pointer, in words."""
        from all_even.figures.record import middle, out_of_line

        row = self._row_at(at.y())
        if not 0 <= row < len(self.songs):
            return "A row a song; double click opens it."
        song = self.songs[row]
        for column, box in self.boxes(0.0):
            if box.left() - 6 <= at.x() <= box.right() + 6:
                value, centre = getattr(song, column.field), middle(self.songs, column)
                if value is None or centre is None:
                    return f"{song.name}: {column.name} is not known."
                beside = out_of_line(self.songs).get((row, column.field))
                more = f" Out of line: {signed(beside, column.decimals)} from the others." if beside is not None else ""
                return (
                    f"{song.name}: {column.name} {number(value, column.decimals)} {column.unit}; the middle of all is "
                    f"{number(centre, column.decimals)}.{more}"
                )
        return f"{song.name}; double click opens it."


class RecordPage(Page):
    title = "Songs of one record"

    def __init__(self, desk: Desk, back: Callable[[], object], open_path: Callable[[Path], object]) -> None:
        super().__init__(back)
        self.desk = desk
        self._open_path = open_path
        self.paths: list[Path] = []
        self._found: dict[Path, SongFigures] = {}
        self._changed_ns: dict[Path, int] = {}
        """When a measured file was written; it is measured anew where that is another time."""
        add = fields.button("Add songs …", "Session files of the other songs", self._ask)
        self.head.addWidget(add)
        self.told = fields.wrapped("", "quiet")
        self.column.addWidget(self.told)
        self.table = RecordTable(lambda row: self._open(row))
        self.column.addWidget(self.table)
        self.column.addStretch(1)

    def refresh(self, at: str = "") -> None:
        """The songs beside the open one, in its folder; those that were added stay."""
        here = self.desk.path if self.desk.is_open else None
        if here is not None:
            self.add([here, *sorted(here.parent.glob(f"*{SUFFIX}"))])
        elif not self.paths:
            self.add(recent.recent_sessions())
        self._show()
        self.measure(self.paths)

    def add(self, paths: list[Path]) -> None:
        """More songs; each once."""
        self.paths = list(dict.fromkeys([*self.paths, *(path.resolve() for path in paths)]))[:MOST]
        self._show()

    def _ask(self) -> None:
        found = chosen(self, Mode.ExistingFiles, "Session files of the other songs", f"Sessions (*{SUFFIX})")
        if found:
            self.add(found)
            self.measure(self.paths)

    def _open(self, row: int) -> None:
        shown = [path for path in self.paths if path in self._found]
        if row < len(shown):
            self._open_path(shown[row])

    def measure(self, paths: list[Path]) -> None:
        """Each song that was not measured as its file is now, one after the other, off this thread."""
        times = {path: _written_ns(path) for path in paths}
        paths = [path for path in paths if path not in self._found or self._changed_ns.get(path) != times[path]]

        def job(report: Report) -> None:
            from all_even.figures.record import measured

            for index, path in enumerate(paths):
                if report.cancelled.is_set():
                    raise Cancelled
                report.progress(index / len(paths), f"Measuring {path.stem}")
                try:
                    report.send((path, measured(path)))
                except UserError as error:
                    report.send((path, str(error)))

        def partial_(found: "tuple[Path, SongFigures | str]") -> None:
            path, value = found
            if isinstance(value, str):
                self.paths = [item for item in self.paths if item != path]
                self.desk.said.emit(value)
            else:
                self._found[path], self._changed_ns[path] = value, times[path]
            self._show()

        if paths:
            self.desk.work.start("record", job, partial(self._done), partial_)

    def _done(self, _none: object) -> None:
        self._show()

    def _show(self) -> None:
        songs = [self._found[path] for path in self.paths if path in self._found]
        waiting = [path.stem for path in self.paths if path not in self._found]
        self.table.show_songs(songs, waiting)
        if not self.paths:
            self.told.setText(f"Save this session beside the others of the record, or add their {SUFFIX} files.")
        elif len(songs) < 3:
            self.told.setText("From three songs on, what falls out of line is marked. As saved, before mastering.")
        else:
            from all_even.figures.record import out_of_line

            count = len(out_of_line(songs))
            what = "1 figure falls" if count == 1 else f"{count} figures fall"
            told = f"{what} out of line, and {'is' if count == 1 else 'are'} marked." if count else "All are in line."
            self.told.setText(f"{told} As saved, before mastering: only how far apart they stand matters.")


def _written_ns(path: Path) -> int:
    """When a file was written; -1 where it is not there."""
    try:
        return path.stat().st_mtime_ns
    except OSError:
        return -1
