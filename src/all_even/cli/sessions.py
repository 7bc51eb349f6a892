"""Commands on session files: figures, moves, render, recall."""

import argparse
import dataclasses
from typing import TYPE_CHECKING, Any

from all_even.cli.looking import look_at, opened
from all_even.cli.printing import done_without, print_json, say, shown, warn
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.figures.of_session import SessionFigures
    from all_even.figures.space.space_view import SpaceView
    from all_even.measure.dynamics.movement import Movement
    from all_even.session.model.session import Session


def figures(options: argparse.Namespace) -> int:
    from all_even.cli.elsewhere import translation_json
    from all_even.figures.of_session import measure_session
    from all_even.measure.sharing import masking

    session = opened(options.session)
    found, problems = measure_session(session)
    for sentence in problems.values():
        warn(sentence)
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "balance_db", "correlation")
    mix = {name: getattr(found.mix, name) if found.mix is not None else None for name in names}
    result = {
        "mix": mix,
        "lanes": [dataclasses.asdict(lane) for lane in found.lanes],
        "masked_share": found.masked_share,
        "masking_version": masking.VERSION,
        "sections": [dataclasses.asdict(section) for section in found.sections],
        "low_end": dataclasses.asdict(found.low_end),
        "share": _share(found),
        "space": _space(session, found.space),
        "rides": _rides(session, found),
        "elsewhere": translation_json(found.translation),
        "dynamics": [_movement(session.strip_name(strip_id), moved) for strip_id, moved in found.movements.items()],
    }
    if options.json:
        print_json(result)
        return 0
    for name, value in mix.items():
        say(f"{name}: {shown(value)}")
    for lane in found.lanes:
        covered = "" if lane.masked_share is None else f", {100.0 * lane.masked_share:.0f} % masked"
        say(f"{lane.name}: {shown(lane.contribution_lu)} LU{covered}")
    if found.sharing is not None and found.apart is not None:
        say(f"Masked, weighted by priority: {100.0 * found.sharing.mean:.1f} %, in the better ear "
            f"{100.0 * found.apart.ear_mean:.1f} %")  # fmt: skip
    for bus_id, one in found.space.returns.items():
        if one.figures.covered is not None:
            say(f"{session.strip_name(bus_id)}: {100.0 * one.figures.covered:.1f} % masked by the dry sound")
    low = found.low_end
    if low.focus is not None:
        say(f"Low end: {100.0 * low.focus:.0f} % of the kick heard, peak {shown(low.pile_up_db)} dB")
    return 0


def _rides(session: "Session", found: "SessionFigures") -> dict[str, Any]:
    """Words over their backing, and the sections as they are heard."""
    return {
        "lines": [
            {
                "name": session.strip_name(lane_id),
                "apart_db": line.spread_db,
                "usual_db": line.usual_db,
                "clear_db": line.clear_db,
                "words": [
                    {"start_s": float(start_s), "end_s": float(end_s), "relation_db": _known(float(relation)),
                     "hidden": float(hidden)}
                    for start_s, end_s, relation, hidden in zip(
                        line.words.starts_s, line.words.ends_s, line.relation_db, line.hidden, strict=True
                    )
                ],
            }
            for lane_id, line in found.rides.items()
        ],
        "sections": [
            {"name": item.section.letter, "start_s": item.section.start_s, "end_s": item.section.end_s,
             "integrated_lufs": item.lufs, "width_db": item.width_db, "playing": item.playing}
            for item in found.heard
        ],
    }  # fmt: skip


def _space(session: "Session", found: "SpaceView") -> dict[str, Any]:
    """How far away each lane stands, and what each return adds."""
    return {
        "snare_to_kick_s": found.beat.kick_s,
        "lanes": [
            {
                "name": session.strip_name(lane_id),
                "direct_to_return_db": one.ratio_db,
                "returns_db": {session.strip_name(bus_id): one.to(bus_id) for bus_id in one.returned},
            }
            for lane_id, one in found.depths.items()
        ],
        "returns": [
            {
                "name": session.strip_name(bus_id),
                "covered": one.figures.covered,
                "lead_hidden": one.figures.lead_hidden,
                "low_added_db": one.figures.low_added_db,
                "decay_s": {f"{hz:.0f}": decay.decay_s for hz, decay in one.response.decay.items()},
                "drop_at_kick_db": one.drop_db,
            }
            for bus_id, one in found.returns.items()
        ],
    }


def _movement(name: str, found: "Movement") -> dict[str, Any]:
    """What moves in one strip, and what its dynamics do besides."""
    return {
        "name": name, "units": len(found.units), "works": found.moved,
        "spread_before_db": found.spread_before_db, "spread_db": found.spread_now_db,
        "punch_before_db": found.punch_before_db, "punch_db": found.punch_now_db,
        "crest_before_db": found.crest_before_db, "crest_db": found.crest_now_db,
        "moments_before_db": found.moments_before_db, "moments_db": found.moments_now_db,
        "loud_gain_db": found.loud_gain_db if found.moved else None,
        "side_effects": dataclasses.asdict(found.side) if found.moved else None,
    }  # fmt: skip


MOST_PAIRS = 50


def _share(found: "SessionFigures") -> dict[str, Any]:
    """Who hides whom, source by source and pair by pair, the dearest first."""
    from all_even.measure.level import zones

    if found.sharing is None:
        return {"hidden": None, "one_ear": None, "loudspeakers": None, "sources": [], "pairs": []}
    units, apart = found.sharing.units, found.apart
    sources = [
        {
            "name": unit.name,
            "lanes": [lane.name for lane in unit.lanes],
            "hidden": _known(found.sharing.shares[index]),
            "one_ear": _known(apart.ear[index]) if apart is not None else None,
            "loudspeakers": _known(apart.loudspeakers[index]) if apart is not None else None,
        }
        for index, unit in enumerate(units)
    ]
    pairs = [
        {
            "victim": units[pair.victim].name, "masker": units[pair.masker].name, "hidden_by_it": pair.cost,
            "by_zone": dict(zip(zones.NAMES, pair.by_zone, strict=True)), "together": pair.together,
            "low_hz": pair.low_hz, "high_hz": pair.high_hz,
        }
        for pair in found.hiding[:MOST_PAIRS]
    ]  # fmt: skip
    ear = apart.ear_mean if apart is not None else None
    speakers = apart.loudspeakers_mean if apart is not None else None
    return {
        "hidden": found.sharing.mean, "one_ear": ear, "loudspeakers": speakers, "sources": sources, "pairs": pairs,
    }  # fmt: skip


def _known(value: float) -> float | None:
    """Unknown is null."""
    return None if value != value else float(value)


def references(options: argparse.Namespace) -> int:
    from all_even.audio import sound_file
    from all_even.session.machine import references as listed

    for path in options.paths:
        sound_file.inspect(path)  # what can't be read is refused before anything is kept
    if options.forget:
        listed.keep(())
    known = listed.add(options.paths) if options.paths else listed.known()
    if options.json:
        print_json([str(path) for path in known])
        return 0
    for path in known:
        say(str(path))
    if not known:
        say("No reference is known.")
    return 0


def record(options: argparse.Namespace) -> int:
    from all_even.figures import record as songs

    found = [songs.measured(path) for path in options.sessions]
    flags = songs.out_of_line(found)
    if options.json:
        told = [{"song": index, "figure": field, "beside": beside} for (index, field), beside in flags.items()]
        print_json({"songs": [dataclasses.asdict(song) for song in found], "out_of_line": told})
        return 0
    for index, song in enumerate(found):
        parts = []
        for column in songs.COLUMNS:
            value, beside = getattr(song, column.field), flags.get((index, column.field))
            mark = f" ({beside:+.1f} from the others)" if beside is not None else ""
            parts.append(f"{column.name.lower()} {shown(value)} {column.unit}{mark}")
        say(f"{song.name}: {', '.join(parts)}; mix bus: {', '.join(song.bus) or 'empty'}")
    return 0


def template(options: argparse.Namespace) -> int:
    from all_even.session.machine import template as templates

    if options.forget is not None:
        try:
            templates.forget(options.forget)
        except KeyError:
            raise UserError(f"There is no template {options.forget}.") from None
    if options.save is not None:
        if options.session is None:
            raise UserError("Which session? all-even template SESSION --save NAME")
        path = templates.keep(templates.of_session(opened(options.session), options.save))
        say(f"Kept as {path}")
    for item in templates.known():
        say(f"{item.name}: {len(item.lanes)} tracks, {len(item.buses)} buses")
    return 0


def render(options: argparse.Namespace) -> int:
    from all_even.deliver import leftovers
    from all_even.deliver.print_mix import PrintSettings, print_mix
    from all_even.deliver.stems import print_stems
    from all_even.engine.planning import make_plan
    from all_even.engine.sources import Sources
    from all_even.session.file import store

    if options.rate is not None and not 4_000 <= options.rate <= 384_000:
        raise UserError("--rate has to be between 4000 and 384000 Hz.")
    if options.end is not None and options.end <= options.start:
        raise UserError("--start has to be before --end.")
    session = opened(options.session)
    sources = Sources()
    sources.update(session)
    settings = PrintSettings(
        bits=options.bits, rate=options.rate, dither=not options.no_dither, start_s=options.start, end_s=options.end,
        even_without=options.even_without,
    )  # fmt: skip
    protected, plan = store.recordings(session), make_plan(session, sources)
    if options.stems is not None:
        *stems, written = print_stems(
            session, sources, options.stems, settings, mix_path=options.output, protected=protected
        )
        say(f"{options.stems.name}: {len(stems)} stems")
        for path in leftovers.strange(options.stems, [item.path for item in stems]):
            warn(f"{path.name} lies there as well, and is not of this print.")
    else:
        written = print_mix(plan, options.output, settings, protected=protected)
    overs = f", {written.overs} samples over full scale" if written.overs else ""
    say(f"{written.path.name}: {written.frames} frames{overs}")
    return done_without(plan.lacking())


def triggers(options: argparse.Namespace) -> int:
    from all_even.deliver.triggers import write_triggers
    from all_even.session.file import store

    session = opened(options.session)
    written, lacks = write_triggers(
        look_at(session), options.output, store.recordings(session), even_without=options.even_without
    )
    for path in written:
        say(path.name)
    return done_without(lacks)


def recall(options: argparse.Namespace) -> int:
    from all_even.deliver import lacking
    from all_even.deliver.console_page import write_console
    from all_even.deliver.recall import Sheet
    from all_even.deliver.recall_sheet import write_recall

    look = look_at(opened(options.session))
    write = write_console if options.console else write_recall
    lacks = lacking.check(lacking.of_mix(look), options.even_without)
    sheet = Sheet(look.session, look.reports, look.mix, look.flow, lacks)
    write(sheet, options.output, even_without=options.even_without)
    say(options.output.name)
    return done_without(lacks)
