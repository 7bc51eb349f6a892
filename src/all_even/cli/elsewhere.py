"""Commands for what leaves the room: other systems and references, the listening copy, the delivery, faults heard."""

import argparse
import dataclasses
from typing import TYPE_CHECKING, Any

from all_even.cli.looking import changing, look_at, opened
from all_even.cli.printing import done_without, print_json, say, shown, warn
from all_even.errors import UserError, short_name
from all_even.inputs import is_file, is_folder

if TYPE_CHECKING:
    from all_even.figures.elsewhere.references import Beside
    from all_even.figures.elsewhere.translation import Translation
    from all_even.session.model.session import Session


def check(options: argparse.Namespace) -> int:
    """What is left on other systems, and the mix beside references."""
    from all_even.figures.elsewhere.references import beside
    from all_even.figures.elsewhere.translation import translation
    from all_even.session.file.new import add_reference

    session = opened(options.session)
    for path in options.reference or ():
        if not is_file(path):
            what = "it is a folder" if is_folder(path) else "there is no such file"
            raise UserError(f"{short_name(path.name)} can't be a reference: {what}.")
        session = add_reference(session, path)
    look = look_at(session)
    found, others = translation(look), beside(look)
    for item in others.others:
        if item.problem:
            warn(item.problem)
    result: dict[str, Any] = {
        "elsewhere": translation_json(found),
        "references": _references_json(others),
        "notes": [
            {"position_s": note.position_s, "heard_on": note.heard_on, "text": note.text, "written": note.written}
            for note in session.notes
            if note.is_open
        ],
    }
    if options.json:
        print_json(result)
        return 0
    for place, key, value in found.vanishing():
        say(f"{found.units[place].name} vanishes on {key}: {shown(value)}")
    for zone in result["references"]["outside"]:
        say(f"{zone['zone']}: {shown(zone['off_db'])} dB outside what the references do")
    return 0


def translation_json(found: "Translation") -> dict[str, Any]:
    """Systems with what is assumed of each, and what is left of every source there."""
    from all_even.figures.elsewhere.systems import KEYS, SYSTEMS
    from all_even.measure.sharing import translation

    return {
        "version": translation.VERSION,
        "vanishes_at": translation.VANISHES,
        "systems": [{"key": item.key, "assumes": item.assumes, "mono": item.mono} for item in SYSTEMS],
        "sources": [
            {
                "name": unit.name,
                "lanes": [lane.name for lane in unit.lanes],
                "importance": found.importance[place],
                "left": {
                    key: None if found.left[place, column] != found.left[place, column]
                    else float(found.left[place, column])
                    for column, key in enumerate(KEYS)
                },
            }
            for place, unit in enumerate(found.units)
        ],
    }  # fmt: skip


def _references_json(found: "Beside") -> dict[str, Any]:
    from all_even.measure.level import zones

    def of(passage: Any) -> dict[str, Any] | None:
        if passage is None:
            return None
        return {
            "start_s": passage.start_s,
            "integrated_lufs": passage.integrated_lufs,
            "peak_to_loudness_db": passage.peak_to_loudness_db,
            "low_share_db": passage.low_share_db,
            "zones_db": dict(zip(zones.NAMES, passage.zones_db, strict=True)),
            "width_db": dict(zip(zones.NAMES, passage.width_db, strict=True)),
        }

    return {
        "mix": of(found.mix),
        "others": [
            {"name": item.listed.name, "use": item.listed.use, "problem": item.problem or None,
             **(of(item.passage) or {})}
            for item in found.others
        ],
        "judged": len(found.references) >= zones.FEWEST,
        "outside": [{"zone": zones.NAMES[index], "off_db": off} for index, off in found.flags],
    }  # fmt: skip


def copy(options: argparse.Namespace) -> int:
    """The listening copy."""
    from all_even.deliver import lacking, listening_copy
    from all_even.engine.planning import make_plan
    from all_even.figures.dynamics import limited
    from all_even.session.file import store

    session = opened(options.session)
    protected = store.recordings(session)
    listening_copy.allowed(options.output, protected)
    look = look_at(session)
    plan = make_plan(session, look.book.sources)
    lacks = lacking.check(lacking.of_plan(plan, look), options.even_without)
    mix = listening_copy.rendered(plan, even_without=options.even_without)
    found = listening_copy.best(mix, session.sample_rate, limited.struck_hits(look))
    listening_copy.write(found, options.output, protected=protected)
    if options.json:
        stopped = dataclasses.asdict(found.stopped) if found.stopped is not None else None
        print_json({"file": options.output.name, "chosen": dataclasses.asdict(found.chosen), "stopped": stopped,
                    "without": list(lacks)})  # fmt: skip
    else:
        say(f"{options.output.name}: {found.words}")
    return done_without(lacks)


def deliver(options: argparse.Namespace) -> int:
    """The delivery folder."""
    from all_even.deliver.delivery import deliver as write_all
    from all_even.deliver.print_mix import PrintSettings
    from all_even.session.file import store

    session = opened(options.session)
    settings = PrintSettings(bits=options.bits, even_without=options.even_without)
    found = write_all(look_at(session), options.output, settings, protected=store.recordings(session))
    if options.json:
        print_json(
            {
                "null_db": found.null_db,
                "copy": found.copy,
                "without": list(found.without),
                "strange": [path.relative_to(found.folder).as_posix() for path in found.strange],
                "files": [
                    {"file": item.path.relative_to(found.folder).as_posix(), "what": item.what,
                     "integrated_lufs": item.integrated_lufs, "true_peak_dbtp": item.true_peak_dbtp}
                    for item in found.files
                ],
            }
        )  # fmt: skip
    else:
        say(found.text.read_text(encoding="utf-8").rstrip())
    return done_without(found.without)


def notes(options: argparse.Namespace) -> int:
    """Notes of a session: listed, added with where a fault was heard, settled."""
    if options.add is None and options.settle is None:
        _list_notes(opened(options.session))
        return 0
    from all_even.session.editing import edits
    from all_even.session.file import describe

    with changing(options) as (session, save):
        changed: Session = session
        if options.add is not None:
            changed = edits.add_note(changed, options.add, options.at, heard_on=options.on or "")
        if options.settle is not None:
            if not 1 <= options.settle <= len(session.notes):
                raise UserError(f"There is no note {options.settle}: the session has {len(session.notes)}.")
            changed = edits.settle_note(changed, options.settle - 1)
        if changed is not session:
            changed = edits.record(changed, describe.sentence(session, changed))
            save(changed)
    _list_notes(changed)
    return 0


def _list_notes(session: "Session") -> None:
    for number, note in enumerate(session.notes, 1):
        where = f", heard on {note.heard_on}, {'settled' if note.settled else 'open'}" if note.heard_on else ""
        say(f"{number}. {note.position_s:.1f} s{where}: {note.text}")
