"""What is killed while it writes, for `tests.forked`: save, print, stems, recall, cache, retune, without a pause."""

import itertools
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace

from all_even.audio import decoded, retune, sound_file
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import Sheet
from all_even.deliver.recall_sheet import write_recall
from all_even.deliver.stems import print_stems
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.measure.recording.files import measure_file
from all_even.session.file import store


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
            Sheet(session, {}, None), out / f"sheet{('.pdf', '.html', '.csv', '.json')[count % 4]}"
        )

    if kind == "retune":
        return lambda count: retune.retune(folder / "music" / f"{count % 4}.wav", None, 20.0 + 0.1 * (count % 50))

    def cached(_count: int) -> None:
        measures = folder / "home" / "cache"
        for path in [*measures.rglob("*.measures"), *measures.rglob("*.f32")]:
            path.unlink(missing_ok=True)
        for path in sorted((folder / "music").glob("*.wav")):
            measure_file(path)
            decoded.open_frames(sound_file.inspect(path), 44_100)

    return cached


def prepare(folder: str, *kinds: str) -> None:
    """Each once, so that all of it is compiled and read in."""
    for kind in kinds:
        action(kind, Path(folder))(0)


def work(kind: str, folder: str) -> None:
    """Until it is killed."""
    act = action(kind, Path(folder))
    print("ready", flush=True)
    for number in itertools.count(1):
        act(number)
