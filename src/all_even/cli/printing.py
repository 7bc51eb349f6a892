"""How commands print: JSON, lines for people, progress. Names from outside never steer the terminal."""

import json
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from all_even import texts
from all_even.errors import UserError


def say(text: str) -> None:
    """A line of the result."""
    print("\n".join(texts.line(part) for part in text.split("\n")))


def warn(sentence: str) -> None:
    """A line beside the result."""
    print(texts.line(sentence), file=sys.stderr)


DONE, DONE_WITHOUT = 0, 3
"""Exit status of a command that wrote something: with all its tracks, or without some (`--even-without`)."""


def refuse(error: UserError) -> None:
    """Why a command could not do it; where tracks can't be read, which, and how it goes without them."""
    lacks = getattr(error, "lacks", ())
    for sentence in lacks[1:]:
        warn(sentence)
    print(f"{error} --even-without writes it all the same." if lacks else error, file=sys.stderr)


def done_without(lacks: Iterable[str]) -> int:
    """Names what was written without; the exit status."""
    status = DONE
    for sentence in lacks:
        warn(f"Without: {sentence}")
        status = DONE_WITHOUT
    return status


def progress(done: int, total: int, name: str) -> None:
    if sys.stderr.isatty():
        print(
            f"\r{done} of {total} measured: {texts.line(name)[:50]:50}",
            end="\n" if done == total else "",
            file=sys.stderr,
        )


def print_json(value: Any) -> None:
    """Every figure finite or null."""
    print(json.dumps(texts.json_ready(value), ensure_ascii=False, allow_nan=False, indent=1))


def plain_text(path: Path) -> str:
    return str(path).encode("utf-8", "replace").decode("utf-8")


def shown(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}".replace("-", "−")
