"""Sections that belong together: those of one name, numbers aside (`Verse 1` and `verse 2`)."""

import re
from collections.abc import Iterable

from all_even.measure.time.sections import Section


def plain(name: str) -> str:
    """A section's name without its number."""
    return re.sub(r"[\s\d.]+$", "", name.strip().lower()) or name.strip().lower()


def sisters(sections: Iterable[Section], of: Section) -> tuple[Section, ...]:
    """The other sections of its name."""
    return tuple(item for item in sections if item != of and plain(item.letter) == plain(of.letter))
