"""The man page, made from what `--help` says, so that the two can't differ: `python -m all_even.cli.man_page`."""

import argparse
import sys

from all_even import __version__
from all_even.cli import WINDOW_HELP, build_parser

FILES = (
    ("~/.cache/all-even", "compiled loops, decoded sound, measures: can be made again"),
    ("~/.local/share/all-even", "recovery copies, recent sessions, preferences"),
)


def man_page() -> str:
    """The page in the man macros (man(7))."""
    parser = build_parser()
    lines = [
        f'.TH ALL-EVEN 1 "" "All Even {__version__}" "User Commands"',
        ".SH NAME",
        f"all-even \\- {_plain(str(parser.description).partition(': ')[2])}",
        ".SH SYNOPSIS",
        ".B all-even",
        "[\\fISESSION\\fR | \\fIFOLDER\\fR | \\fB\\-\\-demo\\fR | \\fICOMMAND\\fR ...]",
        ".SH DESCRIPTION",
        _plain(str(parser.description)),
        ".PP",
        ".nf",
        *(_plain(line) for line in WINDOW_HELP.strip().splitlines()),
        ".fi",
        ".SH OPTIONS",
        *_arguments(parser),
        ".SH COMMANDS",
    ]
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            told = {choice.dest: choice.help or "" for choice in action._choices_actions}
            for name, command in action.choices.items():
                usage = " ".join(command.format_usage().removeprefix("usage: ").split())
                lines += [f".SS {_plain(name)}", _plain(told.get(name, "")) + ".", ".PP", f".B {_plain(usage)}"]
                lines += _arguments(command)
    lines += [".SH FILES"]
    for place, what in FILES:
        lines += [".TP", f".I {_plain(place)}", _plain(what)]
    return "\n".join(lines) + "\n"


def _arguments(parser: argparse.ArgumentParser) -> list[str]:
    found = []
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction) or action.help == argparse.SUPPRESS:
            continue
        value = action.metavar or ("" if action.nargs == 0 else action.dest.upper())
        names = ", ".join(f"\\fB{_plain(name)}\\fR" for name in action.option_strings)
        shown = f"{names} \\fI{_plain(str(value))}\\fR" if names and action.nargs != 0 else names or f"\\fI{value}\\fR"
        choices = f" One of {', '.join(map(str, action.choices))}." if action.choices else ""
        told = (action.help or "").replace("%%", "%")
        found += [".TP", shown.strip(), _plain((told[:1].upper() + told[1:] + "." if told else "") + choices) or "\\&"]
    return found


def _plain(text: str) -> str:
    """Text as the macros need it: no backslash, no line that begins with a dot."""
    return text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq").lstrip(".")


if __name__ == "__main__":
    sys.stdout.write(man_page())
