"""How the window was laid out when it was left: its place, heights, what was folded and pinned, the last folder.

Kept for this machine, beside the settings; nothing of it is part of a session.
"""

import contextlib
from pathlib import Path
from typing import Annotated, Literal

import msgspec
from msgspec import Meta, structs

from all_even import outputs, places
from all_even.errors import UserError

FILE = "layout.json"
MOST_SESSIONS, MOST_USED = 40, 8
Text = Annotated[str, Meta(max_length=4000)]
Nesting = Literal["flat", "groups", "families"]
RowSize = Literal["small", "middle", "tall"]


class Rows(msgspec.Struct, frozen=True, kw_only=True):
    """Of one session. Ids of heads and of rows."""

    folded: tuple[Text, ...] = ()
    pinned: tuple[Text, ...] = ()


class Layout(msgspec.Struct, frozen=True, kw_only=True):
    """bench_heights, benches_away: by stage. place: of the window, left, top, width, height; None where it was never
    moved. folder: that a file dialog was left at. used: commands, the last one first. rows: by path of the session."""

    row_size: RowSize = "middle"
    nesting: Nesting = "flat"
    bench_heights: dict[str, Annotated[int, Meta(ge=0, le=4000)]] = {}
    benches_away: tuple[Text, ...] = ()
    place: tuple[int, int, int, int] | None = None
    maximised: bool = False
    folder: Text = ""
    used: tuple[Text, ...] = ()
    tour_seen: bool = False
    rows: dict[str, Rows] = {}

    def rows_of(self, session: str) -> tuple[frozenset[str], tuple[str, ...]]:
        """What was folded and what was pinned there."""
        known = self.rows.get(session, Rows())
        return frozenset(known.folded), known.pinned


class _Known:
    """What is kept, in memory: a hand that folds a row does not wait for a disk. path: of the file that it is of."""

    def __init__(self) -> None:
        self.path: Path | None = None
        self.layout = Layout()
        self.changed = False


_known = _Known()


def load() -> Layout:
    """What was kept; the usual where nothing was, or where it can't be read."""
    path = _path()
    if path is None or path != _known.path:
        flush()
        _known.path, _known.layout, _known.changed = path, Layout(), False
        with contextlib.suppress(OSError, msgspec.MsgspecError, UnicodeError):
            if path is not None:
                _known.layout = msgspec.json.decode(path.read_bytes(), type=Layout)
    return _known.layout


def keep(**changes: object) -> None:
    """Changes some of it; it is on disk from the next `flush` on."""
    before = load()
    _known.layout = structs.replace(before, **changes)
    _known.changed = _known.changed or _known.layout != before


def flush() -> None:
    """Writes what was changed; a disk that refuses costs no more than that."""
    if _known.changed and _known.path is not None:
        with contextlib.suppress(OSError, UserError):
            outputs.write_whole(_known.path, msgspec.json.format(msgspec.json.encode(_known.layout)))
    _known.changed = False


def _path() -> Path | None:
    try:
        return places.data_folder("") / FILE
    except (OSError, UserError):
        return None


def keep_rows(
    row_size: RowSize, nesting: Nesting, session: str, folded: frozenset[str], pinned: tuple[str, ...]
) -> None:
    """session: its path; empty for one that was never saved, of which nothing is kept."""
    known = dict(load().rows)
    if session:
        known.pop(session, None)
        known[session] = Rows(folded=tuple(sorted(folded)), pinned=pinned)
        known = dict(list(known.items())[-MOST_SESSIONS:])
    keep(row_size=row_size, nesting=nesting, rows=known)


def use(command: str) -> None:
    """Notes that a command was given from the finder."""
    keep(used=(command, *(item for item in load().used if item != command))[:MOST_USED])
