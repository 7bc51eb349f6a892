"""Folders of source files that a session lists, and finished mixes in them."""

from typing import Annotated, Literal

from msgspec import Meta

from all_even.session.model.values import Text, Value


class Folder(Value, frozen=True, kw_only=True):
    """A folder of source files: where it was, and where that is from the session file."""

    path: Text
    relative: Text | None = None


Use = Literal["reference", "rough mix"]


class Reference(Value, frozen=True, kw_only=True):
    """A finished mix to compare with: a file inside `folders[folder]`, with forward slashes. It is never copied, and
    never part of the mix. use: somebody else's song, or the rough mix of this one."""

    folder: Annotated[int, Meta(ge=0)] = 0
    file: Text
    use: Use = "reference"


Folders = Annotated[tuple[Folder, ...], Meta(max_length=5_000)]
"""As many as there can be files, each in a folder of its own."""
References = Annotated[tuple[Reference, ...], Meta(max_length=1_000)]
