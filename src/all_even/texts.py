"""Text that came from outside (names of files, lanes, notes), made harmless for where it goes.

One function per target: a terminal, a tooltip, a table cell, a page, JSON. Sentences of errors are made by
`errors.one_sentence`.
"""

import html
import math
import unicodedata
from typing import Any

FORMULA_STARTS = "=+-@"


def line(text: str) -> str:
    """For a terminal: one line, without anything that steers it (control characters, turned direction)."""
    return "".join(c if c.isprintable() else " " for c in text)


def tip(text: str) -> str:
    """For a tooltip, which would read tags as markup: the same letters, shown as they are."""
    if "<" not in text:
        return text
    return f"<span>{html.escape(text, quote=False)}</span>"


def clipped(text: str, longest: int) -> str:
    """Not longer than so many letters, the end of a longer one as dots."""
    return text if len(text) <= longest else text[: longest - 1] + "…"


def count(number: int, what: str) -> str:
    """`1 band`, `2 bands`: for things that take an s."""
    return f"{number} {what}" if number == 1 else f"{number} {what}s"


def cell(value: Any) -> Any:
    """For a table that a spreadsheet opens: no text that begins a formula, also behind spaces of any kind.

    None is an empty cell; numbers stay numbers.
    """
    if value is None:
        return ""
    if not isinstance(value, str):
        return value
    first = next((c for c in value if not (c.isspace() or unicodedata.category(c) in ("Cc", "Cf", "Zs"))), "")
    # Full-width signs are read as signs, too.
    risky = unicodedata.normalize("NFKC", first)[:1] in tuple(FORMULA_STARTS)
    return f"'{page(value)}" if risky or value[:1] in ("\t", "\r", "\n") else page(value)


def page(text: str) -> str:
    """For HTML or a table: without the control characters that no page may hold. Markup is escaped by the template."""
    return "".join(c if c in "\n\t" or c.isprintable() or unicodedata.category(c) != "Cc" else "�" for c in text)


def json_ready(value: Any) -> Any:
    """For JSON: null where a figure is no number, and text that any reader can decode."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode("utf-8")
    if isinstance(value, dict):
        return {json_ready(key): json_ready(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [json_ready(item) for item in value]
    return value
