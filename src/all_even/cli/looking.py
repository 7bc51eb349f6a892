"""A session as commands open it, look at it, and write it."""

import argparse
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from all_even.cli.printing import warn

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.session.model.session import Session


def opened(path: Path) -> "Session":
    """A session file; what had to be repaired in it is told."""
    from all_even.session.file import store

    loaded = store.read(path)
    for sentence in loaded.repairs:
        warn(f"{path.name}: {sentence}")
    return loaded.session


@contextmanager
def changing(options: argparse.Namespace) -> "Iterator[tuple[Session, Callable[[Session], object]]]":
    """A session file that is to be written (`output`, else where it was), and how; nobody else writes it meanwhile. A
    UserError that says who, where somebody has it."""
    from all_even.session.file import store
    from all_even.session.file.lock import holding

    target = options.output or options.session
    with holding(target, f"the command {options.command}"):
        yield opened(options.session), lambda session: store.save(session, target)


def look_at(session: "Session") -> "Look":
    """A look at a session with its files opened and measured."""
    from all_even.engine.sources import Sources
    from all_even.figures.book.book import Book
    from all_even.figures.book.look import Look
    from all_even.figures.of_session import lane_reports

    sources = Sources()
    sources.update(session)
    return Look(session, Book(sources), lane_reports(session, sources))
