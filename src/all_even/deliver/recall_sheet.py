"""The recall sheet as a file, in the format of its ending."""

from collections.abc import Callable
from pathlib import Path

from all_even import outputs
from all_even.deliver import lacking, recall_page
from all_even.deliver.recall import FORMATS, Sheet, csv_text, json_text, write_page
from all_even.errors import UserError, short_name
from all_even.session.file import store


def write_recall(sheet: Sheet, path: Path, *, even_without: bool = False) -> None:
    """Writes the sheet in the format of the path's ending. SourcesLacking where it would lack something, unless
    `even_without`."""
    lacking.check(sheet.lacks, even_without)
    formats: dict[str, tuple[Callable[[Sheet], str | bytes], outputs.Kind]] = {
        ".html": (recall_page.html, outputs.HTML), ".pdf": (recall_page.pdf, outputs.PDF),
        ".csv": (csv_text, outputs.CSV), ".json": (json_text, outputs.JSON),
    }  # fmt: skip
    name = short_name(path.name)
    maker, kind = formats.get(path.suffix.lower(), (None, None))
    if maker is None or kind is None:
        raise UserError(f"{name} can't be written: the name has to end in {', '.join(FORMATS[:-1])} or .json.")
    write_page(path, kind, maker(sheet), store.recordings(sheet.session))
