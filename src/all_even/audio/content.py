"""The identity of a file's content, so that measures and decoded copies survive a rename.

Hashing is remembered per path, size, times of change and inode for the life of the process and on
disk: reopening a folder of 120 long files reads none of them again.
"""

import contextlib
import hashlib
import json
import threading
from pathlib import Path

from all_even import outputs, places

_LOCK = threading.Lock()
_remembered: dict[str, str] | None = None


def content_hash(path: Path) -> str:
    """BLAKE2b of the file's bytes, 32 hexadecimal digits."""
    key = _key(path)
    known = _memory().get(key)
    if known:
        return known
    digest = hashlib.blake2b(digest_size=16)
    with path.open("rb") as file:
        while chunk := file.read(1 << 20):
            digest.update(chunk)
    _memory()[key] = digest.hexdigest()
    return digest.hexdigest()


def is_known(path: Path) -> bool:
    """Whether the file was hashed before, as it is now."""
    try:
        return _key(path) in _memory()
    except OSError:
        return False


def _key(path: Path) -> str:
    """Place and state of a file: its time of change (`ctime`) is one that nobody can set back."""
    found = path.stat()
    return f"{path.resolve()}|{found.st_size}|{found.st_mtime_ns}|{found.st_ctime_ns}|{found.st_ino}"


def remember() -> None:
    """Writes what was hashed to disk; call once after a batch."""
    with _LOCK:
        memory = dict(list(_memory().items())[-20_000:])
        with contextlib.suppress(OSError):  # only a memory: without it the next run hashes again
            outputs.write_whole(places.cache_folder("measures") / "hashes.json", json.dumps(memory).encode())


def _memory() -> dict[str, str]:
    global _remembered
    if _remembered is None:
        try:
            loaded = json.loads((places.cache_folder("measures") / "hashes.json").read_text())
            _remembered = {str(k): str(v) for k, v in loaded.items()}
        except (OSError, ValueError, AttributeError):
            _remembered = {}
    return _remembered
