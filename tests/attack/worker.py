"""Tries broken files in a process of its own, so that a crash, a hang or a full memory is seen from outside.

`python -m tests.attack.worker KIND FIRST COUNT FOLDER`: prints one JSON object with what it met. A case that
takes over LONGEST_S ends the process with the place where it hung.
"""

import faulthandler
import hashlib
import json
import math
import os
import random
import shutil
import sys
import traceback
from collections import Counter
from pathlib import Path
from typing import Any

LONGEST_S = 10.0 if os.environ.get("ALL_EVEN_ATTACK") == "full" else 600.0
"""No work on one file, no action in the window takes longer. The short form, part of all tests, judges no speed."""
MOST_BYTES = 1 << 30
BLOCKS, BLOCK = 3, 512


class Watch:
    """Which files under a folder are opened, whatever opens them."""

    def __init__(self, secret: Path) -> None:
        self.secret, self.seen = str(secret), []
        sys.addaudithook(self._look)

    def _look(self, event: str, details: Any) -> None:
        if event == "open" and details and isinstance(details[0], str | bytes):
            try:
                place = os.path.realpath(os.fsdecode(details[0]))
            except (OSError, ValueError):
                return
            if place.startswith(self.secret):
                self.seen.append(place)


def most_memory() -> int:
    """Bytes of memory this process had at most; what its parent had before it started does not count."""
    status = Path("/proc/self/status").read_text()
    return next(int(line.split()[1]) << 10 for line in status.splitlines() if line.startswith("VmHWM"))


def digest(folder: Path) -> str:
    parts = [path.name.encode() + path.read_bytes() for path in sorted(folder.iterdir()) if path.is_file()]
    return hashlib.blake2b(b"".join(parts)).hexdigest()


def sentence_fault(text: str) -> str | None:
    """What is wrong with an error's sentence."""
    if len(text) >= 200 or not text.isprintable() or not text.strip():
        return f"no plain sentence: {text!r}"
    for word in ("Traceback", "Errno", "msgspec", "numpy", "libsndfile", "Error(", "`", "$."):
        if word in text:
            return f"a library's word in: {text!r}"
    return None


def try_session(data: bytes, folder: Path, number: int) -> str:
    from all_even.deliver.recall import Sheet
    from all_even.deliver.recall_sheet import write_recall
    from all_even.engine.planning import make_plan
    from all_even.engine.running import Running
    from all_even.engine.sources import Sources
    from all_even.errors import UserError
    from all_even.session.editing import edits
    from all_even.session.file import store

    path = folder / "case.alleven"
    path.write_bytes(data)
    try:
        session = store.load(path)
    except UserError as error:
        fault = sentence_fault(str(error))
        assert fault is None, fault
        return "refused"
    sources = Sources()
    states = [session, *(edits.recall_snapshot(session, snapshot.name) for snapshot in session.snapshots)]
    for state in states:
        sources.update(state)
        for sentence in sources.problems(state).values():
            fault = sentence_fault(sentence)
            assert fault is None, fault
        running = Running(make_plan(state, sources, taps=True), 0, short=True)
        for _ in range(BLOCKS):
            peak = abs(running.advance(BLOCK)).max(initial=0.0)
            assert math.isfinite(peak), "the mix is no sound"
        out = folder / "out.alleven"
        store.save(state, out, previous=False)
        again = store.load(out)
        assert again.lanes == state.lanes, "tracks changed in the file"
        assert again.buses == state.buses, "buses changed in the file"
        out.unlink()
    for suffix in (".html", ".csv", ".json")[number % 3 : number % 3 + 1]:
        sheet = folder / f"sheet{suffix}"
        write_recall(Sheet(session, {}, None), sheet)
        assert b"\x1b" not in sheet.read_bytes()
        sheet.unlink()
    return "opened"


def try_sound(data: bytes, path: Path) -> str:
    import dataclasses

    from all_even.audio import decoded, midi, sound_file
    from all_even.errors import UserError
    from all_even.measure.faults.findings import findings
    from all_even.measure.recording.files import measure_file

    path.write_bytes(data)
    if path.suffix == ".mid":
        try:
            midi.hits_s(path)
        except UserError as error:
            fault = sentence_fault(str(error))
            assert fault is None, fault
            return "refused"
        return "opened"
    report = measure_file(path)
    if report.error is not None:
        fault = sentence_fault(report.error)
        assert fault is None, fault
        assert "stumbled" not in report.error, report.error
    for finding in findings(report):
        fault = None if len(finding.text) < 400 and finding.text.isprintable() else finding.text
        assert fault is None, fault
    if report.measures is not None:
        for field in dataclasses.fields(report.measures):
            value = getattr(report.measures, field.name)
            figures = value if isinstance(value, tuple) else (value,)
            assert all(not isinstance(figure, float) or math.isfinite(figure) for figure in figures), field.name
    try:
        info = sound_file.inspect(path)
        frames = decoded.open_frames(info, 48_000)
        assert math.isfinite(abs(frames.read(0, 4096)).max(initial=0.0))
    except UserError as error:
        fault = sentence_fault(str(error))
        assert fault is None, fault
    return "refused" if report.error else "opened"


def try_surface(rng: random.Random, number: int, folder: Path) -> str:
    """One of the surfaces, each in its turn, in a folder of its own."""
    from all_even.errors import UserError
    from tests.attack.surfaces import SURFACES

    kinds = list(SURFACES)
    place = folder / f"surface {number}"
    place.mkdir()
    try:
        return f"{kinds[number % len(kinds)]} {SURFACES[kinds[number % len(kinds)]](rng, place)}"
    except UserError as error:
        fault = sentence_fault(str(error))
        assert fault is None, fault
        return f"{kinds[number % len(kinds)]} refused"
    finally:
        shutil.rmtree(place, ignore_errors=True)


def main(kind: str, first: int, count: int, folder: Path) -> dict[str, Any]:
    from tests.attack import sessions, sounds

    folder.mkdir(parents=True, exist_ok=True)
    music = folder / "music"
    sessions.make_folder(music)
    whole = sessions.plain(sessions.full_session(music)) if kind == "session" else None
    seeds = sounds.make_seeds(folder / "seeds") if kind == "sound" else []
    if whole is not None:
        assert try_session(json.dumps(whole).encode(), folder, 0) == "opened"  # compiles what has to be compiled
    originals = folder / "seeds" if kind == "sound" else music
    before = digest(originals)
    watch = Watch(folder / "secret")
    met: Counter[str] = Counter()
    faults: list[str] = []
    for number in range(first, first + count):
        rng = random.Random(f"{kind} {number}")
        faulthandler.dump_traceback_later(LONGEST_S, exit=True)
        try:
            if kind == "surface":
                met[try_surface(rng, number, folder)] += 1
            elif whole is not None:
                met[try_session(sessions.broken(whole, rng), folder, number)] += 1
            else:
                seed = rng.choice(seeds)
                met[try_sound(sounds.broken(seed.read_bytes(), rng), folder / f"case{seed.suffix}")] += 1
        except Exception:
            faults.append(f"{kind} {number}: {traceback.format_exc()[-900:]}")
        faulthandler.cancel_dump_traceback_later()
    if watch.seen:
        faults.append(f"read outside the listed folders: {watch.seen[0]}")
    if digest(originals) != before:
        faults.append("an original was changed")
    used = most_memory()
    if used > MOST_BYTES:
        faults.append(f"{used >> 20} MB of memory were used")
    return {"met": met, "faults": faults, "memory_mb": used >> 20}


if __name__ == "__main__":
    print(json.dumps(main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), Path(sys.argv[4]))))
