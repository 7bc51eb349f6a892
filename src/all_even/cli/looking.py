"""A session as commands look at it: its files opened and measured."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from all_even.figures.book.look import Look
    from all_even.session.model.session import Session


def look_at(session: "Session") -> "Look":
    """A look at a session with its files opened and measured."""
    from all_even.engine.sources import Sources
    from all_even.figures.book.book import Book
    from all_even.figures.book.look import Look
    from all_even.figures.of_session import lane_reports

    sources = Sources()
    sources.update(session)
    return Look(session, Book(sources), lane_reports(session, sources))
