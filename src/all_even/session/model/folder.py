"""A folder of source files that a session lists."""

from typing import Annotated

from msgspec import Meta

from all_even.session.model.values import Text, Value


class Folder(Value, frozen=True, kw_only=True):
    """A folder of source files: where it was, and where that is from the session file."""

    path: Text
    relative: Text | None = None


Folders = Annotated[tuple[Folder, ...], Meta(max_length=5_000)]
"""As many as there can be files, each in a folder of its own."""
