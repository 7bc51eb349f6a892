"""One page to carry to a console: a row for each lane, in settings that any board has.

Tone is the best fit of three knobs (low shelf at 80 Hz, swept mid, high shelf at 12 kHz;
`figures.sharing.three_knobs`), with what is left of it where that is over 3 dB RMS; passes by frequency, the first
compressor by its four numbers. What a board can't do is named in the last column, so that nobody thinks the row is all.
"""

from pathlib import Path
from typing import Any

from all_even import outputs
from all_even.deliver import lacking
from all_even.deliver.pdf import pdf_of
from all_even.deliver.recall import Sheet, write_page
from all_even.deliver.recall_page import filled
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import LEVEL, PAN, number, signed
from all_even.dsp.processor import Processor
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.errors import UserError, short_name
from all_even.figures.sharing.three_knobs import CARRIES_DB
from all_even.moves.share import bookkeeping
from all_even.session.editing import edits
from all_even.session.file import store
from all_even.session.model.strips import NOWHERE, Lane, Strip

ON_A_BOARD = (HighPass, LowPass, Equaliser, Compressor)
FULL_PAGE = 36
"""Rows of the usual size; more are set smaller."""


def rows(sheet: Sheet) -> list[dict[str, str]]:
    """One row per lane and bus that is heard, all as text."""
    session = sheet.session
    knobs = {thread.lane_id: thread.knobs for thread in bookkeeping.book(session, sheet.reports).threads}
    found = []
    for strip in session.strips:
        if isinstance(strip, Lane) and (strip.hidden or strip.mute or strip.destination == NOWHERE):
            continue
        fit = knobs.get(strip.id)
        found.append(
            {
                "name": strip.name,
                "gain": signed(strip.clip_gain_db) if isinstance(strip, Lane) and strip.clip_gain_db else "",
                "polarity": "inv." if strip.polarity_inverted else "",
                "passes": ", ".join(_pass(item) for item in _on(strip, (HighPass, LowPass))),
                "low": "" if fit is None else signed(fit.low_db),
                "mid": "" if fit is None or not fit.mid_db else f"{signed(fit.mid_db)} at {number(fit.mid_hz, 0)}",
                "high": "" if fit is None else signed(fit.high_db),
                "left": f"± {number(fit.rms_db)}" if fit is not None and fit.rms_db > CARRIES_DB else "",
                "dynamics": _compressor(strip),
                "pan": PAN.text(strip.pan),
                "level": LEVEL.text(strip.level_db),
                "sends": ", ".join(
                    f"{session.strip_name(send.to)} {signed(send.level_db)}" for send in strip.sends if send.on
                ),
                "to": session.strip_name(strip.destination),
                "more": ", ".join(_beyond(strip)),
            }
        )
    return found


def _on(strip: Strip, kinds: tuple[type[Processor], ...]) -> list[Any]:
    return [station for station in strip.chain if isinstance(station, kinds) and not station.bypass]


def _pass(station: HighPass | LowPass) -> str:
    return f"{'HP' if isinstance(station, HighPass) else 'LP'} {number(station.frequency_hz, 0)}"


def _compressor(strip: Strip) -> str:
    found = _on(strip, (Compressor,))
    if not found:
        return ""
    first = found[0]
    return (
        f"{number(first.ratio)}:1 from {number(first.threshold_db)} dB, {number(first.attack_ms)}/"
        f"{number(first.release_ms, 0)} ms"
    )


def _beyond(strip: Strip) -> list[str]:
    """What a plain board can't do of a strip."""
    told = [station.LABEL.lower() for station in _on(strip, (Processor,)) if not isinstance(station, ON_A_BOARD)]
    told += [f"{len(_on(strip, (Compressor,)))} compressors"] if len(_on(strip, (Compressor,))) > 1 else []
    return told + ([f"{len(strip.automation)} rides"] if strip.automation else [])


def html(sheet: Sheet) -> str:
    """The page."""
    found, session = rows(sheet), sheet.session
    mix = [station.LABEL.lower() for station in session.mix.chain if not station.bypass]
    size = min(10.0, 10.0 * FULL_PAGE / max(1, len(found)))
    return filled(
        "console.html", session=session, rows=found, mix=mix, trim=signed(session.mix.trim_db), size=f"{size:.1f}",
        lacks=sheet.lacks,
        written=edits.now_text(),
    )  # fmt: skip


def write_console(sheet: Sheet, path: Path, *, even_without: bool = False) -> None:
    """Writes the page as .html or .pdf, by the path's ending. A UserError where it can't be; SourcesLacking where it
    would lack something, unless `even_without`."""
    lacking.check(sheet.lacks, even_without)
    suffix = path.suffix.lower()
    if suffix not in (".html", ".pdf"):
        raise UserError(f"{short_name(path.name)} can't be written: the name has to end in .html or .pdf.")
    page = html(sheet)
    kind = outputs.PDF if suffix == ".pdf" else outputs.HTML
    write_page(path, kind, pdf_of(page) if suffix == ".pdf" else page, store.recordings(sheet.session))
