"""Files of our own that are read again: each begins with the hash of what follows.

A file that was cut, emptied or changed is found out before anything in it is believed, and made again.
"""

import contextlib
import hashlib
import os
from pathlib import Path

from all_even import outputs

MARK = b"all-even sealed 1\n"
DIGEST_BYTES = 32


def write(path: Path, content: bytes) -> None:
    """Writes it whole; OSError where the disk refuses."""
    outputs.write_whole(path, MARK + _digest(content) + content)


def read(path: Path) -> bytes | None:
    """The content, or None where there is none or its hash does not fit; such a file is deleted."""
    try:
        whole = path.read_bytes()
    except OSError:
        return None
    content = whole[len(MARK) + DIGEST_BYTES :]
    if whole[: len(MARK) + DIGEST_BYTES] == MARK + _digest(content):
        return content
    with contextlib.suppress(OSError):
        os.unlink(path)
    return None


def _digest(content: bytes) -> bytes:
    return hashlib.blake2b(content, digest_size=DIGEST_BYTES).digest()
