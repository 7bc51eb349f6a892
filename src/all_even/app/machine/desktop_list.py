"""The desktop's list of recent documents, so that sessions are in it too.

Format: "Desktop Bookmark Specification" and "Recent File Storage" of freedesktop.org: XBEL with who opened what and
when. Others write the same file: what they put there stays, and a list that can't be read is left alone.
"""

import contextlib
import os
import xml.etree.ElementTree as ET
from datetime import UTC, datetime
from pathlib import Path

import platformdirs

from all_even import inputs, outputs
from all_even.errors import UserError

MIME = "http://www.freedesktop.org/standards/shared-mime-info"
BOOKMARK = "http://www.freedesktop.org/standards/desktop-bookmarks"
OWNER = "http://freedesktop.org"
APPLICATION, COMMAND, TYPE = "All Even", "'all-even %f'", "application/x-alleven"
LARGEST = 8 << 20


def place() -> Path:
    """Where the desktop keeps its list; with `ALL_EVEN_HOME` under that."""
    home = os.environ.get("ALL_EVEN_HOME")
    return (Path(home) / "data" if home else platformdirs.user_data_path()) / "recently-used.xbel"


def tell_desktop(session: Path) -> None:
    """Puts a session into the list, or its entry up to date."""
    target = place()
    with contextlib.suppress(OSError, UserError, ET.ParseError, ValueError):
        root = _read(target)
        if root is not None:
            _enter(root, session.as_uri(), datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ"))
            target.parent.mkdir(parents=True, exist_ok=True)
            outputs.write_whole(target, ET.tostring(root, encoding="UTF-8", xml_declaration=True))


def _read(target: Path) -> ET.Element | None:
    """The list; an empty one where there is none, None where it is another thing or far too large."""
    for prefix, name in (("mime", MIME), ("bookmark", BOOKMARK)):
        ET.register_namespace(prefix, name)
    if not os.path.lexists(target):
        return ET.Element("xbel", version="1.0")
    try:
        content = inputs.whole(target, LARGEST, "a list of recent files")
    except inputs.Unreadable:
        return None
    if b"<!ENTITY" in content:
        return None
    root = ET.fromstring(content)
    return root if root.tag == "xbel" else None


def _enter(root: ET.Element, uri: str, now: str) -> None:
    entry = next((item for item in root.iter("bookmark") if item.get("href") == uri), None)
    if entry is None:
        entry = ET.SubElement(root, "bookmark", href=uri, added=now)
    entry.set("modified", now)
    entry.set("visited", now)
    info = _child(entry, "info")
    metadata = next((item for item in info.iter("metadata") if item.get("owner") == OWNER), None)
    if metadata is None:
        metadata = ET.SubElement(info, "metadata", owner=OWNER)
    _child(metadata, f"{{{MIME}}}mime-type").set("type", TYPE)
    applications = _child(metadata, f"{{{BOOKMARK}}}applications")
    name = f"{{{BOOKMARK}}}application"
    ours = next((item for item in applications.iter(name) if item.get("name") == APPLICATION), None)
    if ours is None:
        ours = ET.SubElement(applications, name, name=APPLICATION, count="0")
    ours.set("exec", COMMAND)
    ours.set("modified", now)
    count = ours.get("count") or "0"
    ours.set("count", str(int(count) + 1 if count.isdigit() else 1))


def _child(parent: ET.Element, tag: str) -> ET.Element:
    found = parent.find(tag)
    return found if found is not None else ET.SubElement(parent, tag)
