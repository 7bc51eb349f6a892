"""What is killed while it writes: run as `python -m tests.attack.killed KIND FOLDER`, until somebody kills it.

KIND: save, print, stems, recall, cache. Says `ready` when everything is loaded and it begins.
"""

import itertools
import sys
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace

from all_even.audio import decoded, sound_file
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import Sheet, write_recall
from all_even.deliver.stems import print_stems
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.measure.recording.files import measure_file
from all_even.session import store


def action(kind: str, folder: Path) -> Callable[[int], object]:
    session = store.load(folder / "s.alleven")
    sources = Sources()
    sources.update(session)
    plan = make_plan(session, sources)
    protected = store.recordings(session)
    out = folder / "out"
    if kind == "save":
        return lambda count: store.save(replace(session, name=f"save {count}"), out / "s.alleven")
    if kind == "print":
        return lambda count: print_mix(
            plan, out / "mix.wav", PrintSettings(bits=("16", "24", "32f")[count % 3]), protected=protected
        )
    if kind == "stems":
        return lambda _count: print_stems(
            session, sources, out / "stems", mix_path=out / "mix.wav", protected=protected
        )
    if kind == "recall":
        return lambda count: write_recall(
            Sheet(session, {}, None), out / f"sheet{('.html', '.csv', '.json')[count % 3]}"
        )

    def cached(_count: int) -> None:
        measures = folder / "home" / "cache"
        for path in [*measures.rglob("*.measures"), *measures.rglob("*.f32")]:
            path.unlink(missing_ok=True)
        for path in sorted((folder / "music").glob("*.wav")):
            measure_file(path)
            decoded.open_frames(sound_file.inspect(path), 44_100)

    return cached


if __name__ == "__main__":
    act = action(sys.argv[1], Path(sys.argv[2]))
    act(0)
    print("ready", flush=True)
    for number in itertools.count(1):
        act(number)
