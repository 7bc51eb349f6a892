"""How commands print: JSON, lines for people, progress. Names from outside never steer the terminal."""

import json
import sys
from pathlib import Path
from typing import Any

from all_even import texts


def say(text: str) -> None:
    """A line of the result."""
    print("\n".join(texts.line(part) for part in text.split("\n")))


def warn(sentence: str) -> None:
    """A line beside the result."""
    print(texts.line(sentence), file=sys.stderr)


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
