"""What goes wrong through the world rather than through us, said in one sentence for people."""

import os

LONGEST_SENTENCE = 200
LONGEST_NAME = 60


class UserError(Exception):
    """A cause the user can understand and act on; `str(error)` is one plain sentence.

    Everything else that is raised is a defect of the program and may fail loudly in tests. A sentence is
    on one line and under 200 characters, whatever names from outside it holds.
    """

    def __init__(self, sentence: str) -> None:
        super().__init__(one_sentence(sentence))


class Cancelled(Exception):
    """The user stopped long work; nothing is wrong and nothing was left half done."""


def one_sentence(text: str) -> str:
    """One line of printable characters, cut where it is longer than a sentence may be."""
    line = " ".join("".join(c if c.isprintable() else " " for c in text).split())
    return line if len(line) < LONGEST_SENTENCE else f"{line[: LONGEST_SENTENCE - 2]}…"


def short_name(name: str) -> str:
    """A name from outside as it stands in a sentence: what is no text replaced, a long one cut in its middle."""
    text = " ".join("".join(c if c.isprintable() else " " for c in name).split())
    if len(text) <= LONGEST_NAME:
        return text
    return f"{text[: LONGEST_NAME // 2]}…{text[1 - LONGEST_NAME // 2 :]}"


def system_reason(error: OSError) -> str:
    """Why the system refused, as the end of a sentence."""
    return os.strerror(error.errno or 5).lower()
