"""The command line: everything the window can do that needs no eyes, as commands with JSON.

Exit status: 0 done, 1 could not do it (one line on stderr), 2 wrong arguments. JSON is unrounded;
unknown is null. docs/command-line.md is the contract.
"""

import argparse
import dataclasses
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from all_even.errors import UserError

DESCRIPTION = "All Even, a mixing bench: measures a multitrack recording, proposes moves, prints the mix."
WINDOW_HELP = """\
without a command, the window opens:
  all-even                 the start page
  all-even SESSION.alleven a session
  all-even FOLDER          a folder of sound files
  all-even --demo          the demo session

exit status: 0 done, 1 could not do it (one line on stderr), 2 wrong arguments
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command; returns the exit status."""
    argv = list(sys.argv[1:] if arguments is None else arguments)
    parser = build_parser()
    if not argv or argv[0] == "--demo" or (not argv[0].startswith("-") and argv[0] not in COMMANDS):
        return _window(argv)
    options = parser.parse_args(argv)
    try:
        result: int = options.run(options)
        return result
    except UserError as error:
        print(str(error).replace("\n", " "), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 1
    except BrokenPipeError:
        sys.stderr.close()
        return 1


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="all-even",
        description=DESCRIPTION,
        epilog=WINDOW_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--demo", action="store_true", help="open the window with the demo session")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND", required=True)

    demo = commands.add_parser("demo", help="write the demo's stems and a session file")
    demo.add_argument("-o", "--output", type=Path, required=True, metavar="DIR", help="folder to write into")
    demo.add_argument("--seed", type=int, default=0, help="0 is the demo; others are tunes of their own")
    demo.add_argument("--tracks", type=int, default=None, help="how many files (default: all parts once)")
    demo.add_argument("--bars", type=int, default=24, help="length in bars (default: 24)")
    demo.set_defaults(run=_demo)

    measure = commands.add_parser("measure", help="measure sound files or folders of them")
    measure.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    measure.add_argument("--json", action="store_true", help="one JSON object instead of a table")
    measure.set_defaults(run=_measure)

    new = commands.add_parser("new", help="make a session file from a folder of stems, roles guessed")
    new.add_argument("folder", type=Path, metavar="FOLDER")
    new.add_argument("-o", "--output", type=Path, required=True, metavar="SESSION")
    new.set_defaults(run=_new)

    figures = commands.add_parser("figures", help="figures of a session: the mix and each lane's contribution")
    figures.add_argument("session", type=Path, metavar="SESSION")
    figures.add_argument("--json", action="store_true")
    figures.set_defaults(run=_figures)

    moves = commands.add_parser("moves", help="what is proposed, and making it")
    moves.add_argument("session", type=Path, metavar="SESSION")
    moves.add_argument("--json", action="store_true")
    moves.add_argument("--stage", help="only this stage: gather, balance or print")
    moves.add_argument("--apply", metavar="ID,...", help="make these moves (or `all`) and measure what they did")
    moves.add_argument("-o", "--output", type=Path, metavar="SESSION", help="where the changed session goes")
    moves.set_defaults(run=_moves)

    render = commands.add_parser("render", help="print the mix of a session to a file")
    render.add_argument("session", type=Path, metavar="SESSION")
    render.add_argument("-o", "--output", type=Path, required=True, metavar="MIX", help="a .wav or .flac file")
    render.add_argument("--bits", choices=("16", "24", "32f"), default="24")
    render.add_argument("--no-dither", action="store_true", help="round 16 bits without TPDF dither")
    render.add_argument("--rate", type=int, default=None, metavar="HZ")
    render.add_argument("--stems", type=Path, default=None, metavar="DIR", help="also a file per group and lane")
    render.add_argument("--start", type=float, default=0.0, metavar="S")
    render.add_argument("--end", type=float, default=None, metavar="S")
    render.set_defaults(run=_render)

    recall = commands.add_parser("recall", help="write the recall sheet of a session")
    recall.add_argument("session", type=Path, metavar="SESSION")
    recall.add_argument("-o", "--output", type=Path, required=True, metavar="SHEET", help="a .html, .csv or .json file")
    recall.set_defaults(run=_recall)

    bench = commands.add_parser("bench", help="measure our speed beside a peer library")
    bench.add_argument("--json", action="store_true")
    bench.set_defaults(run=_bench)
    return parser


COMMANDS = ("demo", "measure", "new", "figures", "moves", "render", "recall", "bench")


def _window(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="all-even", description=DESCRIPTION, epilog=WINDOW_HELP)
    parser.add_argument("path", nargs="?", type=Path, help="a session file or a folder")
    parser.add_argument("--demo", action="store_true")
    options = parser.parse_args(argv)
    from all_even.app.start import open_window  # late: only the window needs Qt

    return open_window(options.path, demo=options.demo)


def _demo(options: argparse.Namespace) -> int:
    from all_even.demo.stems import write_stems
    from all_even.session import store
    from all_even.session.new import inspect_all, new_session, sound_paths

    if options.tracks is not None and not 1 <= options.tracks <= 2000:
        raise UserError("--tracks has to be between 1 and 2000.")
    if not 2 <= options.bars <= 2000:
        raise UserError("--bars has to be between 2 and 2000.")
    try:
        folder = write_stems(options.output, seed=options.seed, tracks=options.tracks, bars=options.bars)
    except OSError:
        raise UserError(f"{options.output} can't be written: the folder refuses it or the disk is full.") from None
    infos, _ = inspect_all(sound_paths(folder))
    name = "Slack Water" if options.seed == 0 else f"Tune {options.seed}"
    store.save(new_session(folder, infos, name), folder / f"{name}{store.SUFFIX}")
    print(f"{len(infos)} files and {name}{store.SUFFIX} written to {folder}")
    return 0


def _measure(options: argparse.Namespace) -> int:
    from all_even.measure import files
    from all_even.measure.findings import findings
    from all_even.session.new import sound_paths
    from all_even.session.roles import guess_role

    paths: list[Path] = []
    for path in options.paths:
        paths += sound_paths(path) if path.is_dir() else [path]
    paths.sort(key=lambda path: path.name)
    reports = dict(files.measure_files([(path, None) for path in paths], progress=_progress))
    tracks = []
    for index in range(len(paths)):
        report = reports[index]
        track: dict[str, Any] = {
            "file": _text(report.path),
            "ok": report.ok,
            "error": report.error or report.defect,
            "sample_rate": report.info.sample_rate if report.info else None,
            "channels": report.info.channels if report.info else report.offered_channels,
            "duration_s": report.measures.duration_s if report.measures else None,
        }
        for name in TRACK_FIGURES:
            value = getattr(report.measures, name) if report.measures else None
            track[name] = list(value) if isinstance(value, tuple) else value
        track["role"] = guess_role(report.path.stem)
        track["findings"] = [dataclasses.asdict(finding) for finding in findings(report)]
        tracks.append(track)
    if options.json:
        # pairs and tempo come with the measures that judge; until then they are unknown, not empty claims.
        _print_json({"tracks": tracks, "pairs": None, "tempo_bpm": None})
        return 0
    for track in tracks:
        if not track["ok"]:
            print(f"{Path(track['file']).name}: {track['error']}")
            continue
        print(
            f"{Path(track['file']).name}: {track['duration_s']:.1f} s, "
            f"{_shown(track['integrated_lufs'])} LUFS, peak {_shown(track['true_peak_dbtp'])} dBTP, "
            f"{track['role']}"
            + "".join(f"\n    {finding['severity']}: {finding['text']}" for finding in track["findings"])
        )
    return 0


TRACK_FIGURES = (
    "sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "integrated_lufs", "max_momentary_lufs",
    "max_short_term_lufs", "loudness_range_lu", "crest_db", "dc_offset", "clipped_runs",
    "noise_floor_dbfs", "active_share", "balance_db", "correlation", "third_octave_db",
)  # fmt: skip


def _new(options: argparse.Namespace) -> int:
    from all_even.session import store
    from all_even.session.new import inspect_all, new_session, sound_paths

    infos, bad = inspect_all(sound_paths(options.folder))
    if infos:
        for _, error in bad:
            print(error, file=sys.stderr)
    else:
        raise UserError(f"{options.folder.name or options.folder} holds no sound file that can be read.")
    session = new_session(options.folder, infos)
    store.save(session, options.output)
    print(f"{options.output.name}: {len(session.lanes)} lanes at {session.sample_rate} Hz")
    return 0


def _figures(options: argparse.Namespace) -> int:
    from all_even.engine.figures import measure_session
    from all_even.session import store

    figures, _, problems = measure_session(store.load(options.session))
    for sentence in problems.values():
        print(sentence, file=sys.stderr)
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "balance_db", "correlation")
    mix = {name: getattr(figures.mix, name) for name in names}
    result = {
        "mix": mix,
        "lanes": [dataclasses.asdict(lane) for lane in figures.lanes],
    }
    if options.json:
        _print_json(result)
    else:
        for name, value in mix.items():
            print(f"{name}: {_shown(value)}")
        for lane in figures.lanes:
            print(f"{lane.name}: {_shown(lane.contribution_lu)} LU")
    return 0


def _moves(options: argparse.Namespace) -> int:
    from all_even.engine.flow import measure_flow
    from all_even.engine.plan import Sources, make_plan
    from all_even.engine.render import hear_strip, measure_mix
    from all_even.measure import files
    from all_even.moves import propose
    from all_even.moves.move import Situation
    from all_even.session import store
    from all_even.session.model import Session

    if options.stage is not None and options.stage not in propose.STAGES:
        raise UserError(f"There is no stage {options.stage} with moves; there are {', '.join(propose.STAGES)}.")
    session = store.load(options.session)
    sources = Sources()

    def measured(now: Session) -> Any:
        sources.update(now)
        return measure_mix(make_plan(now, sources))

    def flowing(now: Session) -> Any:
        sources.update(now)
        return measure_flow(make_plan(now, sources))

    def hear(now: Session, strip_id: str) -> Any:
        sources.update(now)
        return hear_strip(now, sources, strip_id)

    def situation(now: Session) -> Situation:
        sources.update(now)
        flow = measure_flow(make_plan(now, sources))
        lanes = [lane for lane in now.lanes if lane.id in sources.frames]
        jobs = [(store.lane_path(now, lane), lane.take) for lane in lanes]
        reports = dict(files.measure_files(jobs))
        return Situation(
            now, {lane.id: reports[i] for i, lane in enumerate(lanes)}, flow.mix, measured, flow, flowing, hear
        )  # fmt: skip

    stages = [options.stage] if options.stage else list(propose.STAGES)
    now = situation(session)
    found = {move.id: move for stage in stages for move in propose.propose(now, stage)}
    wanted = list(found) if options.apply == "all" else options.apply.split(",") if options.apply else []
    unknown = [move_id for move_id in wanted if move_id not in found]
    if unknown:
        raise UserError(f"There is no move {unknown[0]} to make here.")
    results: dict[str, float | None] = {}
    for move_id in wanted:
        # A move rests on what was measured; one made before it changes that, so it is proposed anew.
        fresh = {move.id: move for move in propose.propose(now, found[move_id].stage)}.get(move_id)
        if fresh is None:
            continue
        fresh = found[move_id] = propose.prepared(fresh, now)
        session = propose.apply(now.session, fresh)
        now = situation(session)
        session = propose.verify(session, fresh, now)
        now = dataclasses.replace(now, session=session)
        results[move_id] = fresh.measure(now)
    if wanted:
        store.save(session, options.output or options.session)
    rows: list[dict[str, Any]] = [
        {
            "id": move.id, "stage": move.stage, "target": move.target, "title": move.title,
            "reason": move.reason, "evidence": move.evidence, "metric": move.metric, "before": move.before,
            "expected": move.expected, "after": results.get(move.id),
        }
        for move in found.values()
    ]  # fmt: skip
    if options.json:
        _print_json({"moves": rows})
    else:
        for row in rows:
            print(f"{row['id']}: {row['title']}. {row['reason']}")
            if row["id"] in results:
                before, after, expected = (_shown(row[key]) for key in ("before", "after", "expected"))
                print(f"    {row['metric']}: {before} → {after}, expected {expected}")
    return 0


def _render(options: argparse.Namespace) -> int:
    from all_even.deliver.print_mix import PrintSettings, print_mix
    from all_even.deliver.stems import print_stems
    from all_even.engine.plan import Sources, make_plan
    from all_even.session import store

    if options.rate is not None and not 4_000 <= options.rate <= 384_000:
        raise UserError("--rate has to be between 4000 and 384000 Hz.")
    if options.start < 0 or (options.end is not None and options.end <= options.start):
        raise UserError("--start has to be at least 0 and before --end.")
    session = store.load(options.session)
    sources = Sources()
    sources.update(session)
    for sentence in sources.problems.values():
        print(sentence, file=sys.stderr)
    settings = PrintSettings(
        bits=options.bits,
        rate=options.rate,
        dither=not options.no_dither,
        start_s=options.start,
        end_s=options.end,
    )
    originals = store.source_paths(session)
    if options.stems is not None:
        *stems, written = print_stems(
            session, sources, options.stems, settings, mix_path=options.output, originals=originals
        )
        print(f"{options.stems.name}: {len(stems)} stems")
    else:
        written = print_mix(make_plan(session, sources), options.output, settings, originals=originals)
    overs = f", {written.overs} samples over full scale" if written.overs else ""
    print(f"{written.path.name}: {written.frames} frames{overs}")
    return 0


def _recall(options: argparse.Namespace) -> int:
    from all_even.deliver.recall import Sheet, write_recall
    from all_even.engine.flow import measure_flow
    from all_even.engine.plan import Sources, make_plan
    from all_even.measure import files
    from all_even.session import store

    session = store.load(options.session)
    sources = Sources()
    sources.update(session)
    lanes = [lane for lane in session.lanes if lane.id in sources.frames]
    jobs = [(store.lane_path(session, lane), lane.take) for lane in lanes]
    reports = dict(files.measure_files(jobs))
    plan = make_plan(session, sources)
    flow = measure_flow(plan) if plan.frames else None
    by_lane = {lane.id: reports[i] for i, lane in enumerate(lanes)}
    write_recall(Sheet(session, by_lane, flow.mix if flow else None, flow), options.output)
    print(options.output.name)
    return 0


def _bench(options: argparse.Namespace) -> int:
    from all_even.engine.bench import run_benchmarks

    results = run_benchmarks()
    if options.json:
        _print_json([dataclasses.asdict(result) for result in results])
    else:
        for result in results:
            peer = f", {result.peer} {_shown(result.peer_factor)}×" if result.peer else ""
            print(f"{result.name}: {_shown(result.realtime_factor)}× real time{peer} ({result.note})")
    return 0


def _progress(done: int, total: int, name: str) -> None:
    if sys.stderr.isatty():
        print(
            f"\r{done} of {total} measured: {name[:50]:50}",
            end="\n" if done == total else "",
            file=sys.stderr,
        )


def _print_json(value: Any) -> None:
    print(json.dumps(value, ensure_ascii=False, allow_nan=False, indent=1))


def _text(path: Path) -> str:
    return str(path).encode("utf-8", "replace").decode("utf-8")


def _shown(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}".replace("-", "−")


if __name__ == "__main__":
    sys.exit(main())
