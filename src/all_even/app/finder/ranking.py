"""Which of many names fit what is typed, best first."""

from collections.abc import Iterable

from all_even.app.finder.entries import Entry

MOST = 40
KINDS = ("Command", "Track", "Bus", "Processor", "Setting", "Approach", "Note", "Version")


def ranked(entries: Iterable[Entry], typed: str) -> list[Entry]:
    """Those in which every typed word begins a word, or, worse, stands anywhere; what can't be done now comes last.
    Among equals what was used last comes first, then what belongs to the stage: before anything is typed, too."""
    words = typed.casefold().split()
    found = []
    for place, entry in enumerate(entries):
        score = _score(entry, words)
        if score is not None:
            found.append(
                (not entry.possible, score, entry.near, KINDS.index(entry.kind), len(entry.text), place, entry)
            )
    return [item[-1] for item in sorted(found, key=lambda item: item[:-1])[:MOST]]


def _score(entry: Entry, words: list[str]) -> int | None:
    """0 is best; None where a word is not found."""
    name = entry.text.casefold()
    rest = f"{entry.kind} {entry.detail} {entry.words}".casefold()
    total = 0
    for word in words:
        if name.startswith(word):
            continue
        if any(part.startswith(word) for part in name.replace("-", " ").split()):
            total += 1
        elif word in name:
            total += 3
        elif any(part.startswith(word) for part in rest.split()):
            total += 5
        else:
            return None
    return total
