"""The recall sheet: every setting in plain units, the measures and the ledger; HTML, PDF, CSV or JSON.

One table of rows is made from the session; the formats only dress it. Names are plain text
everywhere: escaped in HTML, and in CSV kept from starting a formula.
"""

import csv
import io
import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from msgspec import to_builtins

from all_even import outputs, stages, texts
from all_even.deliver.every_setting import every_setting
from all_even.dsp.parameter import LEVEL, PAN
from all_even.errors import UserError, short_name
from all_even.figures.arriving import arrival
from all_even.figures.book.flow import Flow
from all_even.measure.faults.findings import findings
from all_even.measure.recording.files import FileReport
from all_even.measure.recording.track import TrackMeasures
from all_even.moves import accounts
from all_even.moves.share import bookkeeping
from all_even.session.editing import edits
from all_even.session.model.ledger import LedgerEntry
from all_even.session.model.session import Session
from all_even.session.tracks.roles import family_of

OUTCOMES = {
    "waiting": "not measured yet",
    "kept": "kept its promise",
    "worked out": "as calculated",
    "missed": "missed its promise",
    "measured": "measured",
    "undone": "undone",
}
FORMATS = (".html", ".pdf", ".csv", ".json")


@dataclass(frozen=True, slots=True)
class Sheet:
    """What goes on the sheet: the session, reports by lane id, the measured mix. lacks: what can't be read whole, a
    sentence each: figures of the mix are without it."""

    session: Session
    reports: Mapping[str, FileReport]
    mix: TrackMeasures | None
    flow: Flow | None = None
    lacks: tuple[str, ...] = ()

    def rows(self) -> list[dict[str, Any]]:
        """One row per lane, values with units in their names."""
        rows = []
        for lane in self.session.lanes:
            report = self.reports.get(lane.id)
            measures = report.measures if report else None
            arriving = arrival.arrival(self.session, lane, measures, self.flow).integrated_lufs
            rows.append(
                {
                    "name": lane.name,
                    "file": lane.file,
                    "role": lane.role,
                    "family": family_of(lane.role),
                    "level_db": None if lane.level_db <= LEVEL.low else lane.level_db,
                    "pan": PAN.text(lane.pan),
                    "mute": lane.mute,
                    "solo": lane.solo,
                    "polarity": "inverted" if lane.polarity_inverted else "normal",
                    "hidden": lane.hidden,
                    "channels_used": list(lane.take) if lane.take else None,
                    "start_s": lane.start_s,
                    "arrives_lufs": arriving,
                    "integrated_lufs": measures.integrated_lufs if measures else None,
                    "true_peak_dbtp": measures.true_peak_dbtp if measures else None,
                    "findings": [item.text for item in findings(report)] if report else [],
                }
            )
        return rows

    def mix_figures(self) -> dict[str, float | None]:
        names = (
            "sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "max_short_term_lufs",
            "loudness_range_lu", "balance_db", "correlation",
        )  # fmt: skip
        return {name: getattr(self.mix, name) if self.mix else None for name in names}


def bands_table(sheet: Sheet) -> list[dict[str, Any]]:
    """One row per lane with an equaliser or a pass: its bands in words, and the same for a board with three knobs."""
    return [
        {
            "name": thread.name,
            "bands": list(thread.texts),
            "three_knobs": thread.knobs.text if thread.knobs is not None else None,
            "three_knobs_rms_db": thread.knobs.rms_db if thread.knobs is not None else None,
        }
        for thread in bookkeeping.book(sheet.session, sheet.reports).threads
    ]


def write_page(path: Path, kind: outputs.Kind, content: str | bytes, protected: outputs.Recordings) -> None:
    """Writes a page whole, or raises a UserError that says why not."""
    target = outputs.allowed(path, kind, protected)
    try:
        outputs.write_whole(target, content.encode("utf-8", "replace") if isinstance(content, str) else content)
    except OSError:
        name = short_name(path.name)
        raise UserError(f"{name} can't be written: the folder refuses it or the disk is full.") from None


def json_text(sheet: Sheet) -> str:
    session, stands = sheet.session, accounts.standing(sheet.session)
    told = texts.json_ready(
        {
            "song": session.name,
            "written": edits.now_text(),
            "sample_rate": session.sample_rate,
            "pan_law": session.pan_law,
            "mix_trim_db": session.mix.trim_db,
            "without": list(sheet.lacks),
            "mix": sheet.mix_figures(),
            "lanes": sheet.rows(),
            "bands": bands_table(sheet),
            "settings": [
                {"where": line.where, "what": line.what, "text": line.text, "value": line.value}
                for line in every_setting(session)
            ],
            "blind_comparisons": [to_builtins(item) for item in session.blinds],
            "notes": [
                {
                    "position_s": note.position_s,
                    "written": note.written,
                    "text": note.text,
                    "heard_on": note.heard_on,
                    "settled": note.settled,
                }
                for note in session.notes
            ],
            "ledger": [
                {
                    "when": entry.when,
                    "text": entry.text,
                    "reason": entry.reason,
                    "move": None
                    if entry.move is None
                    else {
                        "id": entry.move.id,
                        "evidence": entry.move.evidence,
                        "parameters": entry.move.parameters,
                        "metric": entry.move.metric,
                        "before": entry.move.before,
                        "expected": entry.move.expected,
                        "tolerance": entry.move.tolerance,
                        "source": entry.move.source,
                        "after": entry.result.value if entry.result else None,
                        "outcome": accounts.outcome(entry, entry.serial in stands),
                    },
                }
                for entry in session.ledger
            ],
        }
    )
    return json.dumps(told, ensure_ascii=False, allow_nan=False, indent=1)


def csv_text(sheet: Sheet) -> str:
    """Lanes first, then mix figures, every setting and the ledger, each under its own heading row."""
    out = io.StringIO()
    writer = csv.writer(out)

    def row(*cells: Any) -> None:
        writer.writerow([texts.cell(value) for value in cells])

    rows = sheet.rows()
    if rows:
        row(*rows[0])
        for values in rows:
            row(*("; ".join(map(str, v)) if isinstance(v, list) else v for v in values.values()))
    row()
    if sheet.lacks:
        row("without")
        for sentence in sheet.lacks:
            row(sentence)
        row()
    row("mix", "value")
    row("mix_trim_db", sheet.session.mix.trim_db)
    for name, value in sheet.mix_figures().items():
        row(name, value)
    row()
    row("lane", "bands", "three knobs", "left, dB RMS")
    for line in bands_table(sheet):
        row(line["name"], "; ".join(line["bands"]), line["three_knobs"] or "", line["three_knobs_rms_db"])
    row()
    row("where", "setting", "text", "value")
    for setting in every_setting(sheet.session):
        row(setting.where, setting.what, setting.text, "" if setting.value is None else str(setting.value))
    row()
    row("when", "change", "reason", "metric", "before", "expected", "after", "outcome")
    for entry, figures in ledger_rows(sheet.session):
        row(entry.when, entry.text, entry.reason, *figures)
    return out.getvalue()


def ledger_rows(session: Session) -> list[tuple[LedgerEntry, tuple[str, ...]]]:
    """Each line with metric, before, expected, after and outcome of its move; empty texts where it is none."""
    stands = accounts.standing(session)
    found: list[tuple[LedgerEntry, tuple[str, ...]]] = []
    for entry in session.ledger:
        move = entry.move
        if move is None:
            found.append((entry, ("",) * 5))
            continue
        metric = stages.metric(move.metric)
        after = metric.text(entry.result.value) if entry.result is not None else "–"
        outcome = accounts.outcome(entry, entry.serial in stands)
        figures = (metric.label, metric.text(move.before), metric.text(move.expected), after, OUTCOMES[outcome])
        found.append((entry, figures))
    return found
