"""Compiled kernels on disk, each file with a checksum of its own.

The compiler's cache unpickles what it finds and runs it. A file that was emptied, cut or changed would be a
trace or a crash on every run; so nothing is unpickled before its hash fits (`sealed`), and what does not fit
is made again. A full disk only costs the next run its time. Checked file by file rather than as a folder:
what is compiled later, for types that nobody foresaw, is added without sealing anything anew.
"""

import contextlib
import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

from numba.core import caching

from all_even import sealed


def check_sums(compiled: Any) -> None:
    """Puts the checked files into the place of the compiler's own; `compiled` has not been called yet."""
    plain = compiled._cache._cache_file
    base = plain._index_name.removesuffix(".nbi")
    compiled._cache._cache_file = CheckedFiles(plain._cache_path, base, plain._source_stamp)


class CheckedFiles(caching.IndexDataCacheFile):  # type: ignore[misc]  # the compiler is not typed
    """The compiler's index and data files, whose contents are known to be what was written."""

    def save(self, key: Any, data: Any) -> None:
        with contextlib.suppress(OSError):  # it is compiled; only the next run has to do it again
            super().save(key, data)

    def _load_index(self) -> dict[Any, str]:
        content = sealed.read(Path(self._index_path))
        if content is None:
            return {}
        file = io.BytesIO(content)
        if caching.pickle.load(file) != self._version:
            return {}
        stamp, found = caching.pickle.load(file)
        return found if stamp == self._source_stamp else {}

    def _load_data(self, name: str) -> Any:
        content = sealed.read(Path(self._data_path(name)))
        if content is None:
            raise FileNotFoundError(name)  # the compiler then makes it again
        return caching.pickle.loads(content)

    @contextlib.contextmanager
    def _open_for_write(self, filepath: str) -> Iterator[BinaryIO]:
        content = io.BytesIO()
        yield content
        sealed.write(Path(filepath), content.getvalue())
