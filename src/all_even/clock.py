"""The time that is written into what is made: now, or one that was set, so that the same work gives the same bytes."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime

_SET: ContextVar[datetime | None] = ContextVar("the time that was set", default=None)


def now() -> datetime:
    """Local, with its zone."""
    return _SET.get() or datetime.now().astimezone()


@contextmanager
def standing_at(when: datetime) -> Iterator[None]:
    """Inside, it is always this time; in this thread."""
    token = _SET.set(when)
    try:
        yield
    finally:
        _SET.reset(token)
