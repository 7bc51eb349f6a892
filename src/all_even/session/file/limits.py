"""The limits of a session, kept by edits and brought back by files: read from the types, where each is said once.

Making a value checks nothing, reading one from a file does. So that whatever was made can be read again, an edit asks
`broken`, which looks at what the edit changed and at nothing else. A file that was written without that is cut to its
limits (`cut`): names to their length, lists to their most, each said.
"""

import math
from functools import cache
from typing import Any

import msgspec
from msgspec import inspect

from all_even.errors import UserError, short_name
from all_even.session.model.alike import same_start
from all_even.session.model.session import Session

MOST_OVER = 10
"""A list that is longer by more was no session."""
WORDS = {"lanes": "tracks", "chain": "processors", "automation": "automated settings", "blinds": "blind comparisons",
         "declined": "declined moves", "folder_groups": "folder groups", "done": "stages marked done",
         "ledger": "lines of the ledger", "hits_s": "hits", "added_s": "hits", "removed_s": "hits"}  # fmt: skip


class LimitError(UserError):
    """An edit that would make what no file can hold."""


@cache
def _whole() -> inspect.Type:
    return inspect.type_info(Session)


def check(new: Session, old: Session | None = None) -> None:
    """LimitError where what is new in a session is over a limit. old: a session whose parts are known to be good."""
    found = _Look().broken(_whole(), new, old, "", "")
    if found is not None:
        raise LimitError(found)


class _Look:
    """One look at a session: what several of its states share is looked at once."""

    def __init__(self) -> None:
        self._good: set[int] = set()

    def broken(self, kind: inspect.Type, value: Any, known: Any, name: str, owner: str) -> str | None:
        """A sentence, or None. known: what stood there before and is good. name: of the field; owner: of the nearest
        thing that has a name."""
        if value is known:
            return None
        if isinstance(kind, inspect.UnionType):
            kind = _one_of(kind, value)
        if isinstance(kind, inspect.StructType):
            if id(value) in self._good:
                return None
            found = self._struct(kind, value, known, name, owner)
            if found is None:
                self._good.add(id(value))
            return found
        if isinstance(kind, inspect.VarTupleType):
            return _too_many(kind, value, name, owner) or self._items(kind.item_type, value, known, name, owner)
        if isinstance(kind, inspect.DictType):
            found = _too_many(kind, value, name, owner)
            for key, inner in value.items() if found is None else ():
                found = found or self.broken(kind.key_type, key, None, name, owner)
                found = found or self.broken(kind.value_type, inner, None, str(key), owner)
            return found
        return _not_a_value(kind, value, name, owner)

    def _struct(self, kind: inspect.StructType, value: Any, known: Any, name: str, owner: str) -> str | None:
        before = known if type(known) is type(value) else None
        owner = getattr(value, "name", owner) if name else ""
        for field in kind.fields:
            was = getattr(before, field.name, None)
            found = self.broken(field.type, getattr(value, field.name), was, field.name, owner)
            if found is not None:
                return found
        return None

    def _items(self, kind: inspect.Type, value: tuple[Any, ...], known: Any, name: str, owner: str) -> str | None:
        """Each item that was not among the known ones, beside the one that it was before. What stays at both ends is
        passed over at once: a hand moves one of thousands."""
        before = known if isinstance(known, tuple) else ()
        first = same_start(before, value)
        last = same_start(before[first:][::-1], value[first:][::-1])
        before, value = before[first : len(before) - last], value[first : len(value) - last]
        good = {id(item) for item in before}
        fresh = [item for item in value if id(item) not in good]
        by_id = {getattr(item, "id", None): item for item in before} if fresh else {}
        for item in fresh:
            found = self.broken(kind, item, by_id.get(getattr(item, "id", None)), name, owner)
            if found is not None:
                return found
        return None


def _too_many(kind: inspect.VarTupleType | inspect.DictType, value: Any, name: str, owner: str) -> str | None:
    if kind.max_length is None or len(value) <= kind.max_length:
        return None
    return f"That would be more than {kind.max_length} {_word(name)}{_inside(owner)}, which is the most."


def _not_a_value(kind: inspect.Type, value: Any, name: str, owner: str) -> str | None:
    """What is wrong with a text or a number."""
    if isinstance(kind, inspect.StrType):
        if kind.max_length is not None and len(value) > kind.max_length:
            return f"That would be more than {kind.max_length} letters in the {_word(name)}{_inside(owner)}."
        if not value.isascii() and not _is_text(value):
            return f"The {_word(name)} can't be kept: there are letters in it that are no text."
    elif isinstance(kind, inspect.FloatType | inspect.IntType):
        low, high = kind.ge, kind.le
        if not math.isfinite(value) or (low is not None and value < low) or (high is not None and value > high):
            return f"The {_word(name)}{_inside(owner)} can't be {value:g}."
    return None


def _one_of(kind: inspect.UnionType, value: Any) -> inspect.Type:
    """The part of a union that a value is of; any, where nothing is limited."""
    for item in kind.types:
        if isinstance(item, inspect.StructType):
            if item.cls is type(value):
                return item
        elif (
            (isinstance(item, inspect.StrType) and isinstance(value, str))
            or (isinstance(item, inspect.VarTupleType) and isinstance(value, tuple))
            or (isinstance(item, inspect.DictType) and isinstance(value, dict))
            or (isinstance(item, inspect.FloatType) and isinstance(value, float))
            or (isinstance(item, inspect.IntType) and type(value) is int)
        ):
            return item
    return inspect.AnyType()


def cut(plain: Any) -> list[str]:
    """Cuts what a file holds, as JSON gives it, to the limits, in place; a sentence for each thing that was cut."""
    told: list[str] = []
    _cut(_whole(), plain, "", told)
    return told


def _cut(kind: inspect.Type, value: Any, name: str, told: list[str]) -> Any:
    if isinstance(kind, inspect.UnionType):
        kind = _like(kind, value)
    if isinstance(kind, inspect.StructType) and isinstance(value, dict):
        for field in kind.fields:
            if field.encode_name in value:
                value[field.encode_name] = _cut(field.type, value[field.encode_name], field.name, told)
    elif isinstance(kind, inspect.VarTupleType) and isinstance(value, list):
        if kind.max_length is not None and kind.max_length < len(value) <= MOST_OVER * kind.max_length:
            told.append(f"{len(value) - kind.max_length} of its {len(value)} {_word(name)} are left out: too many.")
            del value[kind.max_length :]
        for place, item in enumerate(value):
            value[place] = _cut(kind.item_type, item, name, told)
    elif isinstance(kind, inspect.StrType) and isinstance(value, str) and len(value) > (kind.max_length or len(value)):
        told.append(f"The {_word(name)} {short_name(value)} is shortened to {kind.max_length} letters.")
        return value[: kind.max_length]
    return value


def _like(kind: inspect.UnionType, value: Any) -> inspect.Type:
    """The part of a union that a value in a file is meant to be."""
    structs = [item for item in kind.types if isinstance(item, inspect.StructType)]
    if isinstance(value, dict) and structs:
        tagged = [item for item in structs if item.tag is not None and value.get(item.tag_field or "") == item.tag]
        return (tagged or structs)[0]
    wanted = inspect.VarTupleType if isinstance(value, list) else inspect.StrType
    return next((item for item in kind.types if isinstance(item, wanted)), inspect.AnyType())


def _word(name: str) -> str:
    return WORDS.get(name, name.replace("_", " "))


def _inside(owner: str) -> str:
    return f" of {short_name(owner)}" if owner else ""


def _is_text(value: str) -> bool:
    try:
        value.encode()
    except UnicodeEncodeError:
        return False
    return True


def plain(data: bytes) -> Any:
    """What a file holds, as JSON gives it."""
    return msgspec.json.decode(data)
