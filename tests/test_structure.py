"""How the source hangs together: no circle of imports, late and type-only ones counted; no crowded room; no
endless file. The layers are checked by `make lint`; what is here no linter says.
"""

import ast
import graphlib
from pathlib import Path

import all_even

ROOT = Path(all_even.__file__).parent
MOST_FILES, MOST_LINES = 20, 450


def modules() -> dict[str, Path]:
    """All modules by dotted name; a package is its `__init__`."""
    paths = {path: path.relative_to(ROOT.parent).with_suffix("").parts for path in ROOT.rglob("*.py")}
    return {".".join(parts[:-1] if parts[-1] == "__init__" else parts): path for path, parts in paths.items()}


def imported(path: Path, known: dict[str, Path]) -> set[str]:
    """The modules that a file imports anywhere: at its head, in a function, for its types."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {item.name for item in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module is not None:
            for item in node.names:
                inner = f"{node.module}.{item.name}"
                found.add(inner if inner in known else node.module)
    return found & known.keys()


def test_no_circle_of_imports():
    known = modules()
    graph = {name: imported(path, known) - {name} for name, path in known.items()}
    assert len(graph) > 500
    order = tuple(graphlib.TopologicalSorter(graph).static_order())  # CycleError names a circle
    assert set(order) == set(graph)


def test_a_circle_would_be_found(tmp_path):
    one, two = tmp_path / "one.py", tmp_path / "two.py"
    one.write_text("def late():\n    from here import two\n")
    two.write_text("from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    from here.one import x\n")
    known = {"here.one": one, "here.two": two}
    assert imported(one, known) == {"here.two"}
    assert imported(two, known) == {"here.one"}


def test_no_room_is_crowded_and_no_file_endless():
    folders = {path.parent for path in modules().values()}
    crowded = {folder.relative_to(ROOT): n for folder in folders if (n := len(list(folder.glob("*.py")))) > MOST_FILES}
    assert not crowded
    lengths = {path.relative_to(ROOT): len(path.read_text().splitlines()) for path in modules().values()}
    assert not {path: lines for path, lines in lengths.items() if lines > MOST_LINES}
