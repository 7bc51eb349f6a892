"""The command line: everything the window can do that needs no eyes, as commands with JSON.

Exit status: 0 done, 1 could not do it (one line on stderr), 2 wrong arguments, 3 done, but without tracks that can't be
read whole. JSON is unrounded; unknown is null. docs/command-line.md is the contract.
"""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from all_even import __version__, places, stages
from all_even.cli import approaches as approaches_command
from all_even.cli import automation, benchmarks, elsewhere, files, printing, printing_track, sessions
from all_even.cli import mix as mix_command
from all_even.cli import moves as moves_command
from all_even.cli import tracks as tracks_command
from all_even.errors import UserError, one_sentence, system_reason

DESCRIPTION = "All Even, a mixing bench: measures a multitrack recording, proposes moves, prints the mix."
WINDOW_HELP = """\
without a command, the window opens:
  all-even                 the start page
  all-even SESSION.alleven a session
  all-even FOLDER          a folder of sound files
  all-even --demo          the demo session

exit status: 0 done, 1 could not do it (one line on stderr), 2 wrong arguments, 3 done, but without tracks that can't
be read whole (--even-without)
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command; returns the exit status."""
    argv = list(sys.argv[1:] if arguments is None else arguments)
    parser = build_parser()
    if not argv or argv[0] == "--demo" or (not argv[0].startswith("-") and argv[0] not in COMMANDS):
        return _window(argv)
    options = parser.parse_args(argv)
    try:
        result: int = options.run(options)
        return result
    except UserError as error:
        printing.refuse(error)
        return 1
    except OSError as error:  # the disk or the terminal, at a place where no sentence of its own was made
        if isinstance(error, BrokenPipeError):
            sys.stderr.close()
            return 1
        print(one_sentence(f"That could not be done: {system_reason(error)}."), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 1
    except Exception as defect:
        log = places.note_defect(defect)
        where = f" Details: {log}" if log else ""
        print(one_sentence(f"Something went wrong inside All Even ({type(defect).__name__}).{where}"), file=sys.stderr)
        return 1


def seconds(text: str) -> float:
    return _number(text, 0.0, 1e6)


def decibels(text: str) -> float:
    return _number(text, 0.0, 60.0)


def seed(text: str) -> int:
    return int(_number(text, 0, 2**31))


def words(text: str) -> str:
    """Text for people; bytes that are no text are refused (exit status 2)."""
    try:
        text.encode()
    except UnicodeEncodeError:
        raise argparse.ArgumentTypeError("not UTF-8 text") from None
    return text


def _number(text: str, low: float, high: float) -> float:
    """A finite number in a range, or the parser's own refusal (exit status 2)."""
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError("not a number") from None
    if not low <= value <= high:
        raise argparse.ArgumentTypeError(f"has to be from {low:g} to {high:g}")
    return value


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="all-even",
        description=DESCRIPTION,
        epilog=WINDOW_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--demo", action="store_true", help="open the window with the demo session")
    parser.add_argument("--version", action="version", version=f"All Even {__version__}")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND", required=True, dest="command")

    demo = commands.add_parser("demo", help="write the demo's stems and a session file")
    demo.add_argument("-o", "--output", type=Path, required=True, metavar="DIR", help="folder to write into")
    demo.add_argument("--seed", type=seed, default=0, help="0 is the demo; others are tunes of their own")
    demo.add_argument("--tracks", type=int, default=None, help="how many files (default: all parts once)")
    demo.add_argument("--bars", type=int, default=24, help="length in bars (default: 24)")
    demo.set_defaults(run=files.demo)

    measure = commands.add_parser("measure", help="measure sound files or folders of them")
    measure.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    measure.add_argument("--json", action="store_true", help="one JSON object instead of a table")
    measure.set_defaults(run=files.measure)

    duck = commands.add_parser("duck", help="fit every way to duck a bass to a kick, best first")
    duck.add_argument("--key", type=Path, required=True, metavar="FILE", help="the kick")
    duck.add_argument("--target", type=Path, required=True, metavar="FILE", help="the bass")
    duck.add_argument("--depth", type=decibels, default=10.0, metavar="DB", help="how far the kick stands over it")
    duck.add_argument("--json", action="store_true")
    duck.set_defaults(run=files.duck)

    new = commands.add_parser("new", help="make a session file from a folder of stems, roles guessed")
    new.add_argument("folder", type=Path, metavar="FOLDER")
    new.add_argument("--tempo-from", type=Path, default=None, metavar="MIDI", help="tempo and bars of a MIDI file")
    new.add_argument("-o", "--output", type=Path, required=True, metavar="SESSION")
    new.set_defaults(run=files.new)

    figures = commands.add_parser("figures", help="figures of a session: the mix and each track's contribution")
    figures.add_argument("session", type=Path, metavar="SESSION")
    figures.add_argument("--json", action="store_true")
    figures.set_defaults(run=sessions.figures)

    moves = commands.add_parser("moves", help="what is proposed, and making it")
    moves.add_argument("session", type=Path, metavar="SESSION")
    moves.add_argument("--json", action="store_true")
    moves.add_argument("--stage", metavar="STAGE", help=f"only this stage: {', '.join(stages.all_keys())}")
    moves.add_argument("--apply", metavar="ID,...", help="make these moves (or `all`) and measure what they did")
    moves.add_argument("--anchor", metavar="TRACK", help="starting points place the others around this track")
    moves.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    moves.set_defaults(run=moves_command.moves)

    approaches = commands.add_parser("approaches", help="other ways of working: which are chosen, and trying one")
    approaches.add_argument("session", type=Path, metavar="SESSION")
    approaches.add_argument("--choose", metavar="NAME[=VALUE]", action="append", help="open the moves of this approach")
    approaches.add_argument("--drop", metavar="NAME", action="append", help="back to how it is by default")
    approaches.add_argument("--none", action="store_true", help="drop all of them")
    approaches.add_argument("--try", dest="tried", metavar="NAME", help="what this one would do, chosen or not")
    approaches.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    approaches.add_argument("--json", action="store_true")
    approaches.set_defaults(run=approaches_command.approaches)

    mix = commands.add_parser("mix", help="a first mix of a folder: all stages in order, with a report")
    mix.add_argument("folder", type=Path, metavar="FOLDER", help="of sound files, or a session to go on from")
    mix.add_argument("-o", "--output", type=Path, required=True, metavar="DIR", help="mix, session, report go there")
    mix.add_argument("--session", type=Path, metavar="SESSION", help="where the session goes instead")
    mix.add_argument("--school", choices=("voice-first", "rhythm-first", "all-even"), help="where the balance starts")
    mix.add_argument("--lead", type=words, metavar="TRACK", help="who leads, by name, file or id; or `nobody`")
    mix.add_argument("--low-end", choices=("kick", "bass"), help="who leads the low end")
    mix.add_argument("--role", metavar="TRACK=ROLE", help="what a track is", action="append", default=[], type=words)
    mix.add_argument("--time", type=seconds, metavar="MINUTES", help="stages that were not begun by then are left out")
    mix.add_argument("--anew", action="store_true", help="mix stems of a finished mix anew all the same")
    mix.add_argument("--copy", action="store_true", help="also a listening copy with a limiter last")
    mix.add_argument("--json", action="store_true", help="print the report as JSON")
    _add_even_without(mix)
    mix.set_defaults(run=mix_command.mix)

    tracks = commands.add_parser("tracks", help="who is who: roles and sources, as found, and saying them")
    tracks.add_argument("session", type=Path, metavar="SESSION")
    several: dict[str, Any] = {"action": "append", "default": [], "type": words}
    tracks.add_argument("--role", metavar="TRACK=ROLE", help="what a track is, by its name, file or id", **several)
    tracks.add_argument("--one-source", metavar="A,B", help="microphones of one source", **several)
    tracks.add_argument("--players", metavar="A,B", help="players of their own, not microphones", **several)
    tracks.add_argument("--as-found", metavar="A,B", help="nothing is said of these any more", **several)
    tracks.add_argument("--json", action="store_true")
    tracks.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    tracks.set_defaults(run=tracks_command.tracks)

    record = commands.add_parser("record", help="the songs of one record side by side, and what falls out of line")
    record.add_argument("sessions", nargs="+", type=Path, metavar="SESSION")
    record.add_argument("--json", action="store_true")
    record.set_defaults(run=sessions.record)

    template = commands.add_parser("template", help="keep what is set in a session for the next; list, forget")
    template.add_argument("session", nargs="?", type=Path, metavar="SESSION")
    template.add_argument("--save", type=words, metavar="NAME", help="keep SESSION under this name")
    template.add_argument("--forget", type=words, metavar="NAME")
    template.set_defaults(run=sessions.template)

    references = commands.add_parser("references", help="finished mixes to compare with, known on this machine")
    references.add_argument("paths", nargs="*", type=Path, metavar="FILE", help="files to add")
    references.add_argument("--forget", action="store_true", help="empty the list first")
    references.add_argument("--json", action="store_true")
    references.set_defaults(run=sessions.references)

    render = commands.add_parser("render", help="print the mix of a session to a file")
    render.add_argument("session", type=Path, metavar="SESSION")
    render.add_argument("-o", "--output", type=Path, required=True, metavar="MIX", help="a .wav or .flac file")
    render.add_argument("--bits", choices=("16", "24", "32f"), default="24")
    render.add_argument("--no-dither", action="store_true", help="round 16 bits without TPDF dither")
    render.add_argument("--rate", type=int, default=None, metavar="HZ")
    render.add_argument("--stems", type=Path, default=None, metavar="DIR", help="also a file per group and track")
    render.add_argument("--start", type=seconds, default=0.0, metavar="S")
    render.add_argument("--end", type=seconds, default=None, metavar="S")
    _add_even_without(render)
    render.set_defaults(run=sessions.render)

    triggers = commands.add_parser("triggers", help="a session's duck to carry away: click, MIDI, gain as a table")
    triggers.add_argument("session", type=Path, metavar="SESSION")
    triggers.add_argument("-o", "--output", type=Path, required=True, metavar="DIR", help="folder to write into")
    _add_even_without(triggers)
    triggers.set_defaults(run=sessions.triggers)

    moving = commands.add_parser("automation", help="what moves in a session, to carry away and to bring in")
    moving.add_argument("session", type=Path, metavar="SESSION")
    moving.add_argument("--track", metavar="NAME", help="a track, a bus, or mix; without it everything is listed")
    moving.add_argument("--setting", metavar="WORDS", help="which of its settings (default: level)")
    moving.add_argument("--to", type=Path, metavar="FILE", help="write it: .csv (exact) or .mid (a controller)")
    moving.add_argument("--from", dest="source", type=Path, metavar="FILE", help="read it from such a file")
    moving.add_argument("--every", choices=("beat", "bar"), help="lay a passage from every one of these on")
    moving.add_argument("--passage", nargs=2, type=seconds, metavar=("FROM", "TO"), help="which passage, s")
    moving.add_argument("--scale", type=seconds, metavar="TIMES", help="so many times as far from where it rests")
    moving.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    moving.add_argument("--json", action="store_true")
    moving.set_defaults(run=automation.automation)

    track = commands.add_parser("print-track", help="print a track or group with its inserts and go on with the file")
    track.add_argument("session", type=Path, metavar="SESSION")
    track.add_argument("--track", required=True, metavar="NAME", help="the track or summing group, by its name")
    came = track.add_mutually_exclusive_group()
    came.add_argument("--back", type=Path, metavar="FILE", help="take this processed file back instead, aligned")
    came.add_argument(
        "--through", nargs=2, metavar=("OUTPUT", "INPUT"), help="send it through a device; stand-in: one not there"
    )
    track.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    track.set_defaults(run=printing_track.print_track)

    recall = commands.add_parser("recall", help="write the recall sheet of a session")
    recall.add_argument("session", type=Path, metavar="SESSION")
    recall.add_argument(
        "-o", "--output", type=Path, required=True, metavar="SHEET", help="a .html, .pdf, .csv or .json"
    )
    recall.add_argument("--console", action="store_true", help="one page with three-knob settings (.html or .pdf)")
    _add_even_without(recall)
    recall.set_defaults(run=sessions.recall)

    check = commands.add_parser("check", help="what is left on a phone, in a car, in a club; beside references")
    check.add_argument("session", type=Path, metavar="SESSION")
    check.add_argument(
        "--reference", action="append", type=Path, metavar="FILE", help="a finished mix; may be repeated"
    )
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=elsewhere.check)

    copy = commands.add_parser("copy", help="a copy for other rooms, as loud as it can be, with a limiter last")
    copy.add_argument("session", type=Path, metavar="SESSION")
    copy.add_argument("-o", "--output", type=Path, required=True, metavar="FILE", help="a .wav or .flac file")
    copy.add_argument("--json", action="store_true")
    _add_even_without(copy)
    copy.set_defaults(run=elsewhere.copy)

    deliver = commands.add_parser("deliver", help="mix, stems, versions, listening copy and their figures in a folder")
    deliver.add_argument("session", type=Path, metavar="SESSION")
    deliver.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    deliver.add_argument(
        "--bits", choices=("16", "24", "32f"), default="24", help="of the mixes; stems are 32-bit float"
    )
    deliver.add_argument("--json", action="store_true")
    _add_even_without(deliver)
    deliver.set_defaults(run=elsewhere.deliver)

    notes = commands.add_parser("notes", help="notes of a session; faults heard elsewhere come back until settled")
    notes.add_argument("session", type=Path, metavar="SESSION")
    notes.add_argument("--add", type=words, metavar="TEXT")
    notes.add_argument("--at", type=seconds, default=0.0, metavar="S", help="where in the song")
    notes.add_argument("--on", type=words, metavar="PLACE", help="where a fault was heard: a car, a phone")
    notes.add_argument("--settle", type=int, metavar="NUMBER", help="this fault is settled")
    notes.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    notes.set_defaults(run=elsewhere.notes)

    bench = commands.add_parser("bench", help="measure our speed beside a peer library")
    bench.add_argument("--json", action="store_true")
    bench.add_argument("--only", action="append", choices=tuple(benchmarks.PARTS), metavar="NAME",
                       help=f"only this part; may be repeated: {', '.join(benchmarks.PARTS)}")  # fmt: skip
    bench.set_defaults(run=files.bench)
    return parser


def _add_even_without(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--even-without", action="store_true",
        help="write it also where tracks can't be read whole; it says which, and the exit status is 3",
    )  # fmt: skip


COMMANDS = (
    "demo",
    "measure",
    "duck",
    "new",
    "figures",
    "moves",
    "approaches",
    "mix",
    "references",
    "record",
    "tracks",
    "template",
    "render",
    "recall",
    "check",
    "copy",
    "deliver",
    "notes",
    "triggers",
    "automation",
    "print-track",
    "bench",
)


def _window(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="all-even", description=DESCRIPTION, epilog=WINDOW_HELP)
    parser.add_argument("path", nargs="?", type=Path, help="a session file or a folder")
    parser.add_argument("--demo", action="store_true")
    options = parser.parse_args(argv)
    from all_even.app.starting.start import open_window  # late: only the window needs Qt

    return open_window(options.path, demo=options.demo)
