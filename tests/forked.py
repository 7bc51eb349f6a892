"""Processes to be killed that begin at once: everything is read in once, and each attempt is a fork of that.

`python -m tests.forked MODULE` reads lines of JSON, each the arguments of one attempt; a child calls
`MODULE.work(*arguments)`, which says `ready` and goes on until it is killed. MODULE.prepare(), where there is one, is
called once, so that no child has to compile or to read in.
"""

import contextlib
import importlib
import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path

ROOT = Path(__file__).parents[1]


class Nursery:
    """The process that forks. It has no threads when it does."""

    def __init__(self, module: str, *prepared: str, environment: Mapping[str, str] | None = None) -> None:
        found = {**(environment or os.environ), "PYTHONPATH": str(ROOT)}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tests.forked", module, *prepared], env=found, cwd=ROOT, stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip

    def said(self) -> str:
        """The next line of the nursery or its child."""
        assert self._process.stdout is not None
        return self._process.stdout.readline().strip()  # nothing at its end only: it says no empty lines

    def born(self, *arguments: str) -> int:
        """A child that has said `ready`: the number of its process."""
        assert self._process.stdin is not None
        self._process.stdin.write(json.dumps(arguments) + "\n")
        self._process.stdin.flush()
        number = int(self.said())
        assert self.said() == "ready"
        return number

    def kill(self, number: int) -> None:
        """In the middle of whatever it does, half a line it was saying included; waits until it is gone."""
        os.kill(number, signal.SIGKILL)
        while True:
            line = self.said()
            assert line, "the nursery itself is gone"
            if line.endswith("gone"):
                return

    def close(self) -> None:
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                pipe.close()


@contextlib.contextmanager
def nursery(module: str, *prepared: str, environment: Mapping[str, str] | None = None) -> Iterator[Nursery]:
    """A nursery for a while. prepared: what `MODULE.prepare` is given."""
    made = Nursery(module, *prepared, environment=environment)
    try:
        yield made
    finally:
        made.close()


def main(name: str, prepared: list[str]) -> None:
    module = importlib.import_module(name)
    getattr(module, "prepare", lambda *_: None)(*prepared)
    for line in sys.stdin:
        child = os.fork()
        if child == 0:
            print(os.getpid(), flush=True)
            module.work(*json.loads(line))
        os.waitpid(child, 0)
        print("gone", flush=True)


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2:])
