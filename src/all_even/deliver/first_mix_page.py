"""The report of a first mix, as a page and as JSON."""

import dataclasses
import json
from pathlib import Path

from all_even import outputs, texts
from all_even.deliver.recall import write_page
from all_even.deliver.recall_page import filled
from all_even.first_mix.report import Report, in_figures
from all_even.outputs import NO_RECORDINGS, Recordings


def html(report: Report) -> str:
    """A page that stands alone: no script, nothing loaded from elsewhere."""
    return filled("first_mix.html", report=report, figure=in_figures)


def json_text(report: Report) -> str:
    """The same as numbers; unknown is null."""
    return json.dumps(texts.json_ready(dataclasses.asdict(report)), indent=2, ensure_ascii=False) + "\n"


def write(report: Report, path: Path, protected: Recordings = NO_RECORDINGS) -> None:
    """By the name's ending: .html or .json. A UserError that says why not."""
    if path.suffix.lower() == ".json":
        write_page(path, outputs.JSON, json_text(report), protected)
    else:
        write_page(path, outputs.HTML, html(report), protected)
