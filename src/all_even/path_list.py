"""A short list of files in the data folder, a path a line: recent sessions, references."""

from collections.abc import Iterable
from pathlib import Path

from all_even import inputs, outputs, places
from all_even.errors import UserError, short_name

LARGEST_BYTES = 1 << 20


def read(name: str, most: int) -> list[Path]:
    """The files of a list that are still there, at most so many, in its order; none where it can't be read."""
    try:
        content = inputs.whole(places.data_folder("") / name, LARGEST_BYTES, "a list of ours")
    except (OSError, UserError):
        return []
    # Only a line feed ends a line: names may hold all else that ends lines of text, from \x0b to U+2028.
    lines = content.decode("utf-8", "surrogateescape").split("\n")
    return [Path(line) for line in lines[:most] if line and inputs.is_file(Path(line))]


def write(name: str, paths: Iterable[Path]) -> None:
    """Keeps a list. A UserError for a name with a line feed in it, OSError or UserError where the disk refuses."""
    listed = list(paths)
    broken = next((path for path in listed if "\n" in str(path)), None)
    if broken is not None:
        raise UserError(f"{short_name(broken.name)} can't be kept in a list: there is a line feed in its name.")
    text = "".join(f"{path}\n" for path in listed)
    outputs.write_whole(places.data_folder("") / name, text.encode("utf-8", "surrogateescape"))
