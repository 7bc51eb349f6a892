"""What tracks mask of each other, and the search for bands."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from all_even.cli.benchmarks.benchmark import RATE, SECONDS, TRACKS, Benchmark, wall_time
from all_even.cli.benchmarks.sounds import InMemory, track
from all_even.demo.parts import Studio
from all_even.demo.score import make_score
from all_even.demo.stems import STEMS, render_stem
from all_even.dsp.tone.passes import HighPass
from all_even.engine.render import WORKERS
from all_even.figures.arriving import spectra
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, hidden_of, pairs_of, ridges
from all_even.measure.sharing import masking
from all_even.measure.sharing.scene import Scene, Trial, scene_of
from all_even.moves.share import search
from all_even.session.editing import chain_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane


def mask(_folder: Path) -> Iterator[Benchmark]:
    """24 mono tracks of 60 s as they arrive, all pairs; then one of them changed."""
    lanes = tuple(Lane(id=f"lane{i}", name=f"Track {i}", file="none.wav", level_db=-12.0) for i in range(TRACKS))
    session = Session(name="Masking", sample_rate=RATE, lanes=lanes)
    sources = {lane.id: InMemory(track(i, SECONDS)) for i, lane in enumerate(lanes)}
    look = Look(session, Book(sources), {})
    table: list[masking.Masking] = []

    def everything() -> None:
        table.append(spectra.find_masking(look))
        masking.pair_table(table[-1])

    def one_changed() -> None:
        changed = chain_edits.add_station(session, "lane3", HighPass(frequency_hz=200.0))
        found = spectra.find_masking(look.at(changed), floor=table[0].floor)
        masking.pair_table(found, ["lane3"])

    short = {name: masking.excitation_of(np.zeros((RATE, 2)), RATE) for name in ("a", "b")}
    masking.pair_table(masking.find_masking(short))  # compiles
    whole, change = wall_time(everything), wall_time(one_changed)
    yield Benchmark(
        "masked share of 24 tracks of 60 s, with all pairs", SECONDS / whole, None, None, WORKERS,
        f"{whole:.2f} s by the clock, rendering included",
    )  # fmt: skip
    yield Benchmark(
        "the same after a change of one track", SECONDS / change, None, None, WORKERS,
        f"{change:.2f} s by the clock, rendering included",
    )  # fmt: skip


def share(_folder: Path) -> Iterator[Benchmark]:
    """The search for bands among 24 tracks of the demo; all figures after one band; what follows a dragged bar."""
    studio = Studio(make_score())
    sounds = [render_stem(stem, studio).mean(axis=1, keepdims=True) for stem in STEMS if stem.sample_rate == RATE]
    tracks = {
        f"lane{i}": masking.excitation_of(0.05 * sound / np.sqrt(np.mean(sound**2)), RATE)
        for i, sound in enumerate(sounds[:TRACKS])
    }
    floor = masking.find_masking(tracks, RATE).floor
    scene = scene_of(tracks, tracks, floor, {}, RATE)
    search.find_set(scene.thinned(0.02), most=1)  # compiles
    found: list[search.Placed] = []
    searched = wall_time(lambda: found.extend(search.find_set(scene)))
    few = Trial(scene.thinned(search.SHARE_OF_FRAMES))
    curve = search.atom_gains(20, -4.5, RATE)

    def all_of(scene: Scene) -> None:
        units = Sharing((), scene, scene, *hidden_of(scene), 2048 / RATE)
        ridges(units)
        pairs_of(units)

    all_of(scene.part(0, 30))  # compiles
    whole = wall_time(lambda: all_of(scene))
    times = [wall_time(lambda: few.put(3, few.kept(3, curve))) for _ in range(20)]
    yield Benchmark(
        "search for bands, 24 tracks of the demo", studio.score.duration_s / searched, None, None, 1,
        f"{searched:.2f} s by the clock for {len(found)} bands, tracks heard before",
    )  # fmt: skip
    yield Benchmark(
        "shares, ridges and all pairs of these after one band", studio.score.duration_s / whole, None, None, 1,
        f"{whole:.2f} s by the clock", 1000.0 * whole,
    )  # fmt: skip
    yield Benchmark(
        "all shares while a bar is dragged", None, None, None, 1, "median of 20", 1000.0 * float(np.median(times)),
    )  # fmt: skip
