"""Saves a large session again and again until it is killed; for `tests.forked`."""

import os
from pathlib import Path

from all_even.session.file.store import save
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import Lane

LANES = tuple(Lane(id=f"lane-{i}", name="x" * 150, file=f"{i}.wav") for i in range(2000))


def work(path: str) -> None:
    print("ready", flush=True)
    count = 0
    while True:
        count += 1
        made = Session(name=f"save {count}", sample_rate=48_000, folders=(Folder(path="/m"),), lanes=LANES)
        save(made, Path(path))
        if count == 1:
            os.write(1, b"saved once\n")  # at once: a kill never leaves half of it
