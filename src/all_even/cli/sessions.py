"""Commands on session files: figures, moves, render, recall."""

import argparse
import dataclasses
from typing import Any

from all_even.cli.printing import print_json, say, shown, warn
from all_even.errors import UserError


def figures(options: argparse.Namespace) -> int:
    from all_even.engine.figures import measure_session
    from all_even.measure import masking
    from all_even.session import store

    found, problems = measure_session(store.load(options.session))
    for sentence in problems.values():
        warn(sentence)
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "balance_db", "correlation")
    mix = {name: getattr(found.mix, name) for name in names}
    result = {
        "mix": mix,
        "lanes": [dataclasses.asdict(lane) for lane in found.lanes],
        "masked_share": found.masked_share,
        "masking_version": masking.VERSION,
        "sections": [dataclasses.asdict(section) for section in found.sections],
        "low_end": dataclasses.asdict(found.low_end),
    }
    if options.json:
        print_json(result)
        return 0
    for name, value in mix.items():
        say(f"{name}: {shown(value)}")
    for lane in found.lanes:
        covered = "" if lane.masked_share is None else f", {100.0 * lane.masked_share:.0f} % covered"
        say(f"{lane.name}: {shown(lane.contribution_lu)} LU{covered}")
    low = found.low_end
    if low.focus is not None:
        say(f"Low end: {100.0 * low.focus:.0f} % of the kick heard, pile-up {shown(low.pile_up_db)} dB")
    return 0


def moves(options: argparse.Namespace) -> int:
    from all_even.engine.flow import measure_flow
    from all_even.engine.plan import make_plan
    from all_even.engine.render import hear_strip, measure_mix
    from all_even.engine.sources import Sources
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
        opened = sources.frames(now)
        lanes = [lane for lane in now.lanes if lane.id in opened]
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
        print_json({"moves": rows})
    else:
        for row in rows:
            say(f"{row['id']}: {row['title']}. {row['reason']}")
            if row["id"] in results:
                before, after, expected = (shown(row[key]) for key in ("before", "after", "expected"))
                say(f"    {row['metric']}: {before} → {after}, expected {expected}")
    return 0


def render(options: argparse.Namespace) -> int:
    from all_even.deliver.print_mix import PrintSettings, print_mix
    from all_even.deliver.stems import print_stems
    from all_even.engine.plan import make_plan
    from all_even.engine.sources import Sources
    from all_even.session import store

    if options.rate is not None and not 4_000 <= options.rate <= 384_000:
        raise UserError("--rate has to be between 4000 and 384000 Hz.")
    if options.end is not None and options.end <= options.start:
        raise UserError("--start has to be before --end.")
    session = store.load(options.session)
    sources = Sources()
    sources.update(session)
    for sentence in sources.problems(session).values():
        warn(sentence)
    settings = PrintSettings(
        bits=options.bits,
        rate=options.rate,
        dither=not options.no_dither,
        start_s=options.start,
        end_s=options.end,
    )
    protected = store.recordings(session)
    if options.stems is not None:
        *stems, written = print_stems(
            session, sources, options.stems, settings, mix_path=options.output, protected=protected
        )
        say(f"{options.stems.name}: {len(stems)} stems")
    else:
        written = print_mix(make_plan(session, sources), options.output, settings, protected=protected)
    overs = f", {written.overs} samples over full scale" if written.overs else ""
    say(f"{written.path.name}: {written.frames} frames{overs}")
    return 0


def recall(options: argparse.Namespace) -> int:
    from all_even.deliver.recall import Sheet, write_recall
    from all_even.engine.flow import measure_flow
    from all_even.engine.plan import make_plan
    from all_even.engine.sources import Sources
    from all_even.measure import files
    from all_even.session import store

    session = store.load(options.session)
    sources = Sources()
    sources.update(session)
    opened = sources.frames(session)
    lanes = [lane for lane in session.lanes if lane.id in opened]
    jobs = [(store.lane_path(session, lane), lane.take) for lane in lanes]
    reports = dict(files.measure_files(jobs))
    plan = make_plan(session, sources)
    flow = measure_flow(plan) if plan.frames else None
    by_lane = {lane.id: reports[i] for i, lane in enumerate(lanes)}
    write_recall(Sheet(session, by_lane, flow.mix if flow else None, flow), options.output)
    say(options.output.name)
    return 0
