"""The command mix: from a folder to a mix by the default moves of all stages, with a report of what was done."""

import argparse
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from all_even import clock
from all_even.cli.looking import look_at, opened
from all_even.cli.printing import say, warn
from all_even.errors import UserError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from all_even.first_mix.questions import Answers
    from all_even.session.model.session import Session

SUFFIX = ".alleven"


def mix(options: argparse.Namespace) -> int:
    from all_even.deliver import delivery
    from all_even.session.file import store
    from all_even.session.file.lock import holding

    folder = options.output
    folder.mkdir(parents=True, exist_ok=True)
    session, unread = _session(options.folder)
    target = options.session or folder / f"{delivery.file_name(session.name)}{SUFFIX}"
    with clock.standing_at(_newest(session)), holding(target, "the command mix"):
        return _mixed(options, session, unread, lambda made: store.save(made, target))


def _session(path: Path) -> "tuple[Session, list[str]]":
    """A new session of a folder, or one that goes on; and what can't be read."""
    from all_even.session.file.new import inspect_all, new_session, sound_paths

    if path.suffix.lower() == SUFFIX and not path.is_dir():
        return opened(path), []
    infos, bad = inspect_all(sound_paths(path))
    if not infos:
        raise UserError(f"{path.name or path} holds no sound file that can be read.")
    return new_session(path, infos), [str(error) for _, error in bad]


def _newest(session: "Session") -> datetime:
    """When the newest recording was written: what is made of the same recordings is dated the same."""
    from all_even.session.file import store

    times = [0.0]
    for lane in session.lanes:
        try:
            times.append(store.lane_path(session, lane).stat().st_mtime)
        except (OSError, ValueError):
            continue
    return datetime.fromtimestamp(int(max(times)), tz=UTC)


def _mixed(options: argparse.Namespace, session: "Session", unread: "Sequence[str]", save: "object") -> int:
    from all_even.deliver import delivery, first_mix_page, lacking, listening_copy
    from all_even.deliver.print_mix import PrintSettings, print_mix
    from all_even.deliver.recall import Sheet
    from all_even.deliver.recall_sheet import write_recall
    from all_even.engine.planning import make_plan
    from all_even.figures.dynamics import limited
    from all_even.figures.whole.whole import whole
    from all_even.first_mix import following, questions, report, stage_run
    from all_even.session.file import store

    assert callable(save)
    for sentence in unread:
        warn(sentence)
    until = time.monotonic() + 60.0 * options.time if options.time is not None else float("inf")
    look = look_at(session)
    answers = _answers(session, options)
    # What is said about tracks comes first: it may answer other questions.
    look = look.at(questions.answered(session, questions.Questions(), answers))
    asked = questions.questions(look)
    look = look.at(questions.answered(look.session, asked, questions.Answers(lead=answers.lead, anew=answers.anew)))
    first = whole(look)
    wishes = stage_run.Wishes(school=answers.school or asked.school, until=until)
    runs = []
    for reached, run in following.follow(look, wishes, told=warn):
        look = reached
        runs.append(run)
        if not options.json:
            say(f"{run.name}: {len(run.made)} made, {len(run.left)} left out")
    save(look.session)
    folder, name = options.output, delivery.file_name(look.session.name)
    protected = store.recordings(look.session)
    told = report.report(look, first, runs, asked, answers, unread)
    plan = make_plan(look.session, look.book.sources)
    settings = PrintSettings(even_without=options.even_without)
    written = [print_mix(plan, folder / f"{name}.wav", settings, protected=protected).path]
    if options.copy:
        sound = listening_copy.rendered(plan, even_without=options.even_without)
        copy = listening_copy.best(sound, look.session.sample_rate, limited.struck_hits(look))
        written.append(listening_copy.write(copy, listening_copy.beside(written[0]), protected=protected).path)
    lacks = lacking.check(lacking.of_mix(look), options.even_without)
    sheet = Sheet(look.session, look.reports, look.mix, look.flow, lacks)
    write_recall(sheet, folder / f"{name} recall.html", even_without=options.even_without)
    for ending in (".html", ".json"):
        first_mix_page.write(told, folder / f"{name} report{ending}", protected)
    if options.json:
        say(first_mix_page.json_text(told).rstrip("\n"))
        return 0
    for line in told.whole:
        say(f"{line.name}: {line.first} → {line.balance} → {line.end}")
    for sentence in (*told.assumed, *told.worse, *told.warned):
        say(sentence)
    say(f"Written: {', '.join(path.name for path in written)}, session, recall sheet and report")
    return 0


def _answers(session: "Session", options: argparse.Namespace) -> "Answers":
    """What the options say of tracks, by name, file or id."""
    from all_even.cli.tracks import found_lane, known_role
    from all_even.first_mix.questions import NOBODY, Answers

    roles = {}
    for pair in options.role:
        name, _, role = pair.rpartition("=")
        roles[found_lane(session, name)] = known_role(role)
    lead = options.lead
    if lead is not None:
        lead = NOBODY if lead == "nobody" else found_lane(session, lead)
    return Answers(roles, lead, options.low_end, options.school, options.anew)
