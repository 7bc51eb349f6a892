"""How commands print: JSON, figures for people, progress."""

import json
import sys
from pathlib import Path
from typing import Any


def progress(done: int, total: int, name: str) -> None:
    if sys.stderr.isatty():
        print(
            f"\r{done} of {total} measured: {name[:50]:50}",
            end="\n" if done == total else "",
            file=sys.stderr,
        )


def print_json(value: Any) -> None:
    print(json.dumps(value, ensure_ascii=False, allow_nan=False, indent=1))


def plain_text(path: Path) -> str:
    return str(path).encode("utf-8", "replace").decode("utf-8")


def shown(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}".replace("-", "−")
