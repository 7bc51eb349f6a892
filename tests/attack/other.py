"""Another process on the same session: `python -m tests.attack.other SESSION COUNT` adds notes by the command line, one
after the other, and says which of them were taken and which were refused."""

import contextlib
import io
import random
import sys
import time

from all_even import cli

if __name__ == "__main__":
    rng = random.Random("other")
    for number in range(int(sys.argv[2])):
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            status = cli.main(["notes", sys.argv[1], "--add", f"command {number}"])
        print(f"command {number}" if status == 0 else "refused", flush=True)
        time.sleep(rng.uniform(0.0, 0.03))
