"""Another process on the same session: `python -m tests.attack.other SESSION COUNT` adds notes by the command line, one
after the other, and says which of them were taken and which were refused."""

import contextlib
import io
import random
import sys
import time
from typing import Any

from all_even import cli
from all_even.session.editing import edits

if __name__ == "__main__":
    rng, add = random.Random("other"), edits.add_note

    def slowly(*arguments: Any, **more: Any) -> Any:
        """Between reading and writing somebody else may come."""
        time.sleep(rng.uniform(0.0, 0.1))
        return add(*arguments, **more)

    edits.add_note = slowly
    for number in range(int(sys.argv[2])):
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            status = cli.main(["notes", sys.argv[1], "--add", f"command {number}"])
        print(f"command {number}" if status == 0 else "refused", flush=True)
        time.sleep(rng.uniform(0.0, 0.03))
