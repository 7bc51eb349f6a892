"""The command on approaches: which there are and are chosen, choosing them, and what one would do to a song."""

import argparse
from typing import TYPE_CHECKING, Any

from all_even.cli.looking import changing, look_at, opened
from all_even.cli.printing import print_json, say, warn
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.session.model.session import Session


def approaches(options: argparse.Namespace) -> int:
    if options.choose or options.drop or options.none:
        with changing(options) as (session, save):
            session = _changed(session, options)
            save(session)
            return _told(session, options)
    return _told(opened(options.session), options)


def _changed(session: "Session", options: argparse.Namespace) -> "Session":
    """With those chosen and dropped that were asked for, with a line in the ledger."""
    from msgspec.structs import replace

    from all_even.session.editing import edits
    from all_even.session.file.describe import sentence
    from all_even.session.model.approaches import Approaches

    before = session
    if options.none:
        session = replace(session, approaches=Approaches())
    for text in options.choose or ():
        name, _, wanted = text.partition("=")
        session = edits.set_approaches(session, **{name: _value(name, wanted)})
    for name in options.drop or ():
        session = edits.set_approaches(session, **{_known(name): getattr(Approaches(), name)})
    if session.approaches == before.approaches:
        return before
    return edits.record(session, sentence(before, session), audible=False)


def _known(name: str) -> str:
    from all_even.session.model.approaches import Approaches

    if name not in Approaches.STAGES:
        raise UserError(f"There is no approach {name}; there are {', '.join(Approaches.STAGES)}.")
    return name


def _value(name: str, wanted: str) -> bool | str:
    """What a name is set to; a choice needs one of its options, or takes its last."""
    from all_even.dsp.parameter import Choice
    from all_even.dsp.processor import settings
    from all_even.session.model.approaches import Approaches

    setting = settings(Approaches)[_known(name)]
    if not isinstance(setting, Choice):
        if wanted:
            raise UserError(f"{name} is on or off: leave “={wanted}” out.")
        return True
    if wanted and wanted not in setting.options:
        raise UserError(f"{name} is one of {', '.join(map(str, setting.options))}, not “{wanted}”.")
    return wanted or str(setting.options[-1])


def _told(session: "Session", options: argparse.Namespace) -> int:
    from all_even.dsp.processor import settings
    from all_even.session.model.approaches import Approaches

    rows: list[dict[str, Any]] = [
        {"name": name, "title": setting.name, "stage": Approaches.STAGES[name], "help": Approaches.HELP[name],
         "value": getattr(session.approaches, name), "chosen": name in session.approaches.chosen}
        for name, setting in settings(Approaches).items()
    ]  # fmt: skip
    tried = _tried(session, _known(options.tried)) if options.tried else None
    if options.json:
        print_json({"approaches": rows, "tried": tried})
        return 0
    for row in rows if tried is None else ():
        value = row["value"] if isinstance(row["value"], str) else "on" if row["value"] else "off"
        say(f"{row['name']} ({row['stage']}): {value}. {row['help']}")
    for move in tried or ():
        say(f"{move['id']}: {move['title']}. {move['reason']} {move['promise']}")
    if tried == []:
        say("Nothing to offer on this song as it is.")
    return 0


def _tried(session: "Session", name: str) -> list[dict[str, Any]]:
    """What an approach would do, with its figure, the witness and the guards."""
    from all_even import stages
    from all_even.moves.approaches.offers import offers
    from all_even.moves.texts import promise

    return [
        {"id": one.move.id, "title": one.move.title, "reason": one.move.reason, "metric": one.move.metric,
         "before": one.move.before, "expected": one.move.expected,
         "promise": promise(one.move, stages.metric(one.move.metric)),
         **{key: one.move.evidence.get(key) for key in ("witness_before", "witness", "costs")}}
        for one in offers(look_at(session), name, stages.kinds(), warn)
    ]  # fmt: skip
