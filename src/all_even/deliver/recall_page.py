"""The recall sheet as a page, for the screen and for paper: pictures of each lane, all settings, buses page by page."""

from pathlib import Path
from typing import Any

from all_even import texts
from all_even.deliver import shapes
from all_even.deliver.every_setting import SettingLine, owners
from all_even.deliver.pdf import pdf_of
from all_even.deliver.recall import Sheet, bands_table, ledger_rows
from all_even.dsp.parameter import LEVEL, TRIM, decibel_text, time_text
from all_even.figures.book.flow import Flow
from all_even.moves.share import bookkeeping
from all_even.session.editing import edits
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus

RAIL_DB = (-40.0, 12.0)


def html(sheet: Sheet) -> str:
    """A page that stands alone: no script, nothing loaded from elsewhere."""
    session, book = sheet.session, bookkeeping.book(sheet.session, sheet.reports)
    curves = {thread.lane_id: thread.curve_db for thread in book.threads}
    lanes = []
    for lane, values in zip(session.lanes, sheet.rows(), strict=True):
        report = sheet.reports.get(lane.id)
        measures = report.measures if report else None
        lanes.append(
            {
                **values,
                "level": LEVEL.text(lane.level_db),
                "arrives": decibel_text(values["arrives_lufs"], "LUFS"),
                "peak": decibel_text(values["true_peak_dbtp"], "dBTP"),
                "wave": shapes.svg_envelope(measures.hops) if measures else "",
                "rail": shapes.svg_levels(lane.level_db, *RAIL_DB),
                "bands": shapes.svg_spectrum(measures.third_octave_db) if measures else "",
                "path": level_path(session, sheet.flow, lane.id),
                "curve": shapes.svg_curve(curves[lane.id]) if lane.id in curves else "",
            }
        )
    mix = sheet.mix_figures()
    units = {"dbfs": "dBFS", "dbtp": "dBTP", "lufs": "LUFS", "lu": "LU", "db": "dB"}
    figures = [
        (
            name.rsplit("_", 1)[0].replace("_", " ") if name.rsplit("_", 1)[-1] in units else name,
            decibel_text(value, units.get(name.rsplit("_", 1)[-1], "")),
        )
        for name, value in mix.items()
    ]
    return filled(
        "recall.html",
        session=session,
        written=edits.now_text(),
        trim=TRIM.text(session.mix.trim_db),
        lacks=sheet.lacks,
        figures=figures,
        lanes=lanes,
        settings=_by_owner(sheet.session),
        bands=bands_table(sheet),
        buses=_buses(sheet),
        mix_path=level_path(session, sheet.flow, MIX),
        threads=shapes.svg_threads(book),
        ledger=ledger_rows(sheet.session),
    )


def pdf(sheet: Sheet) -> bytes:
    """The same page for paper. A UserError where it can't be made."""
    return pdf_of(html(sheet))


def filled(template: str, **values: Any) -> str:
    """A page from one of our templates: what stands in it is escaped."""
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.FileSystemLoader(Path(__file__).parent / "templates"),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["moment"] = _moment
    return texts.page(
        environment.get_template(template).render(**values, time_text=time_text, decibel_text=decibel_text)
    )


def level_path(session: Session, flow: Flow | None, strip_id: str) -> str:
    """The level after each station, as a picture; empty where a strip has none, or it is not known."""
    known = flow.strip(session, strip_id) if flow is not None else None
    if known is None or not known.stations:
        return ""
    points = [("in", known.entered.rms_dbfs)]
    points += [(item.station.SHORT, item.level.rms_dbfs) for item in known.stations]
    known_levels = [(name, level) for name, level in points if level is not None]
    return shapes.svg_path(known_levels) if known_levels else ""


def _buses(sheet: Sheet) -> list[dict[str, Any]]:
    """One entry per bus: what comes in, its settings, its level path, where it goes."""
    session = sheet.session
    found = []
    for bus in session.buses:
        members = [strip.name for strip in session.strips if strip.destination == bus.id]
        sends = [
            f"{strip.name} {LEVEL.text(send.level_db)}{', before the fader' if send.pre_fader else ''}"
            for strip in session.strips for send in strip.sends if send.to == bus.id and send.on
        ]  # fmt: skip
        found.append(
            {
                "name": bus.name, "role": bus.role, "members": members, "sends": sends,
                "goes_to": session.strip_name(bus.destination), "heard": _is_heard(session, bus),
                "level": LEVEL.text(bus.level_db), "path": level_path(session, sheet.flow, bus.id),
                "settings": [(item.part or "Strip", [line for line in item.lines if not line.neutral])
                             for item in owners(session) if item.owner_id == bus.id],
            }
        )  # fmt: skip
    return found


def _is_heard(session: Session, bus: Bus) -> bool:
    return bus.id in routing.hearing(session).sounding


def _by_owner(session: Session) -> list[tuple[str, bool, list[SettingLine]]]:
    """(whose, is it a part of the strip before it, its settings that do not go without saying)."""
    said = [(item, [line for line in item.lines if not line.neutral]) for item in owners(session)]
    return [(item.part or item.strip, bool(item.part), lines) for item, lines in said if lines or not item.part]


def _moment(written: str) -> str:
    """2026-01-31T14:05:09+01:00 as 2026-01-31 14:05."""
    return written[:16].replace("T", " ")
