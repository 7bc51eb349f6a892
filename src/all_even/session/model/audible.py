"""Whether two states of a session can sound different: by what is set, quickly, without working out what flows.

Names, roles, order and what is hidden are not heard. A change that is set but not heard (a fader of a muted
lane) counts as one; exact is `figures.book.fingerprint`.
"""

from typing import Any

from all_even.session.model.ledger import State
from all_even.session.model.session import Session, Snapshot

SILENT_FIELDS = frozenset({"name", "role", "hidden", "hits", "use"})


def differs(old: Session | State | Snapshot, new: Session | State | Snapshot) -> bool:
    """Whether anything that can be heard is set differently."""
    if old is new:
        return False
    if (old.shapes, old.mix) != (new.shapes, new.mix):
        return True
    if getattr(old, "responses", None) != getattr(new, "responses", None) and type(old) is type(new):
        return True
    if getattr(old, "pan_law", None) != getattr(new, "pan_law", None):
        return True
    for name in ("lanes", "buses", "folder_groups"):
        before, after = getattr(old, name), getattr(new, name)
        if before is not after and not _alike(before, after):
            return True
    return False


def _alike(before: tuple[Any, ...], after: tuple[Any, ...]) -> bool:
    known = {item.id: item for item in before}
    if known.keys() != {item.id for item in after}:
        return False
    return all(known[item.id] is item or heard_of(known[item.id]) == heard_of(item) for item in after)


def heard_of(item: Any) -> tuple[object, ...]:
    """What is heard of a lane, bus or folder group."""
    return tuple(getattr(item, name) for name in item.__struct_fields__ if name not in SILENT_FIELDS)
