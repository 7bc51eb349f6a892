"""The words of the screen: no replaced one comes back, and the page of words is the program's."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from all_even import glossary
from tests.test_project import ROOT

SOURCE = Path(glossary.__file__).parent
NOT_SHOWN = {
    "glossary.py", "session/file/older.py", "session/tracks/roles.py", "session/tracks/words.py", "app/style/theme.py",
}  # fmt: skip
"""Older names in files, what file names are read by, and style sheets."""
INNER = re.compile(r"\| None$|^[\w.]+\[|^tuple|^def |^[\w ]+ (live|views)$")
"""Types as strings, generated code, and names of jobs."""


def types(node: ast.AST) -> set[int]:
    """All below, but for what is given to a call: names and units of settings stand there."""
    said = {id(part) for call in ast.walk(node) if isinstance(call, ast.Call) for part in ast.walk(call)}
    return {id(part) for part in ast.walk(node)} - said


def shown(path: Path) -> Iterator[tuple[int, str]]:
    """(line, text) of all literals that may be shown: with a space or a capital, docstrings and types left aside."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    aside: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            aside.add(id(node.value))
        for name in ("annotation", "returns"):
            given = getattr(node, name, None)
            if given is not None:
                aside |= types(given)
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("cast", "TypeVar") and node.args:
            aside |= {id(part) for part in ast.walk(node.args[0])}
        if isinstance(node, ast.Subscript):
            aside |= types(node.slice)
        if isinstance(node, ast.JoinedStr):
            aside |= {id(part) for part in node.values if isinstance(part, ast.Constant)}
    for node in ast.walk(tree):
        if id(node) in aside:
            continue
        if isinstance(node, ast.JoinedStr):
            text = "".join(str(part.value) if isinstance(part, ast.Constant) else "{}" for part in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        else:
            continue
        if (" " in text or text[:1].isupper()) and not INNER.search(text):
            yield node.lineno, text


@pytest.mark.parametrize("term", [term for term in glossary.TERMS if term.instead_of], ids=lambda term: term.word)
def test_no_replaced_word_comes_back(term, literals):
    wanted = re.compile("|".join(term.instead_of), re.IGNORECASE)
    found = [f"{where}: {text!r} (say: {term.word})" for where, text in literals if wanted.search(text)]
    assert not found, "\n".join(found)


@pytest.fixture(scope="module")
def literals() -> list[tuple[str, str]]:
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        name = path.relative_to(SOURCE).as_posix()
        if name not in NOT_SHOWN:
            found += [(f"{name}:{line}", text) for line, text in shown(path)]
    assert len(found) > 3000
    return found


def test_a_replaced_word_would_be_found(tmp_path):
    path = tmp_path / "said.py"
    path.write_text('"""A lane is fine here."""\nx = "lanes"\ny = f"{x} lanes are shown"\nz: "Lane | None" = None\n')
    assert [text for _, text in shown(path)] == ["{} lanes are shown"]


def test_every_term_is_told_once_in_a_sentence():
    words = [term.word for term in glossary.TERMS]
    assert len(set(words)) == len(words)
    assert all(term.means.endswith(".") for term in glossary.TERMS)


def test_the_page_of_words_is_the_program_s(monkeypatch):
    monkeypatch.syspath_prepend(str(ROOT / "tools"))
    from words import document

    assert (ROOT / "docs" / "words.md").read_text(encoding="utf-8") == document()
