"""Writes docs/session-format.md from the session's model, so that the two can't differ."""

from pathlib import Path
from typing import Any

import msgspec

from all_even.session.model.session import FORMAT_VERSION, Session

INTRODUCTION = """# The session file

A file that ends in `.alleven` is UTF-8 JSON, format version {version}. Made from the model by
`tools/session_format.py`; do not edit by hand. Unknown fields, NaN and infinity are refused; files over 64 MB,
nesting deeper than 32, and more than a million objects or four million values are refused before they are parsed.
Snapshots, and the states that the ledger keeps of moves that are not measured yet, have to fulfil everything that the
session itself does: ids are unique, routes lead to what is there and never in a circle, lines of the ledger are
numbered upwards, automation names a setting that exists and can move; its values are brought into the setting's range.
A session lists its source folders with their absolute place and the place from
the session file; a track's `file` may not leave its folder, also not through a link. Sound is never in the file.

Levels are in dB, times in seconds, pan from -1 (left) to 1 (right). A level of -120 dB is off.
"""


def kind(schema: dict[str, Any]) -> str:
    """A field's type and limits in a few words."""
    if "$ref" in schema:
        return f"[{schema['$ref'].rsplit('/', 1)[-1]}](#{schema['$ref'].rsplit('/', 1)[-1].lower()})"
    if "anyOf" in schema:
        return " or ".join(kind(part) for part in schema["anyOf"])
    if "enum" in schema:
        return "one of " + ", ".join(map(str, schema["enum"]))
    if schema.get("type") == "array":
        items = schema.get("items") or (schema.get("prefixItems") or [{}])[0]
        limit = f", at most {schema['maxItems']}" if "maxItems" in schema else ""
        return f"list of {kind(items)}{limit}"
    limits = [f"{word} {schema[key]:g}" for key, word in (("minimum", "from"), ("maximum", "to")) if key in schema]
    if "maxLength" in schema:
        limits.append(f"up to {schema['maxLength']} characters")
    return " ".join([schema.get("type", "any value"), *limits])


def document() -> str:
    schema = msgspec.json.schema(Session)
    parts = [INTRODUCTION.format(version=FORMAT_VERSION)]
    definitions = schema["$defs"]
    for name in ["Session", *sorted(set(definitions) - {"Session"})]:
        entry = definitions[name]
        if "properties" not in entry:
            continue
        parts.append(
            f"## {name}\n\n{entry.get('description', '').strip()}\n\n| field | kind | default |\n|---|---|---|"
        )
        required = set(entry.get("required", ()))
        for field, value in entry["properties"].items():
            default = "required" if field in required else f"`{value.get('default')}`"
            parts.append(f"| {field} | {kind(value)} | {default} |")
        parts.append("")
    return "\n".join(parts)


if __name__ == "__main__":
    Path(__file__).parents[1].joinpath("docs", "session-format.md").write_text(document(), encoding="utf-8")
