"""Commands on session files: figures, moves, render, recall."""

import argparse
import dataclasses
from typing import TYPE_CHECKING, Any

from all_even.cli.printing import print_json, say, shown, warn
from all_even.errors import UserError

if TYPE_CHECKING:
    from all_even.engine.figures.look import Look
    from all_even.engine.figures.session_figures import SessionFigures
    from all_even.engine.space_view import SpaceView
    from all_even.measure.dynamics.movement import Movement
    from all_even.session.model import Proposal, Session


def figures(options: argparse.Namespace) -> int:
    from all_even.cli.elsewhere import translation_json
    from all_even.engine.figures.session_figures import measure_session
    from all_even.measure.sharing import masking
    from all_even.session import store

    session = store.load(options.session)
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
        covered = "" if lane.masked_share is None else f", {100.0 * lane.masked_share:.0f} % covered"
        say(f"{lane.name}: {shown(lane.contribution_lu)} LU{covered}")
    if found.sharing is not None and found.apart is not None:
        say(f"Hidden of all that counts: {100.0 * found.sharing.mean:.1f} %, in one ear "
            f"{100.0 * found.apart.ear_mean:.1f} %")  # fmt: skip
    for bus_id, one in found.space.returns.items():
        if one.figures.covered is not None:
            say(f"{session.strip_name(bus_id)}: {100.0 * one.figures.covered:.1f} % covered by the dry sound")
    low = found.low_end
    if low.focus is not None:
        say(f"Low end: {100.0 * low.focus:.0f} % of the kick heard, pile-up {shown(low.pile_up_db)} dB")
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


def moves(options: argparse.Namespace) -> int:
    from all_even import stages
    from all_even.moves import making
    from all_even.session import edits, store
    from all_even.session.model import Proposal

    if options.stage is not None and options.stage not in stages.all_keys():
        raise UserError(f"There is no stage {options.stage}; there are {', '.join(stages.all_keys())}.")
    session = store.load(options.session)
    if options.anchor is not None:
        session = _anchored(session, options.anchor)
    look = look_at(session)
    chosen = [stages.stage(options.stage)] if options.stage else stages.STAGES
    parts = [stage.moves() for stage in chosen]
    kinds = {kind.id: kind for part in parts for kind in (*part.kinds, *(part.also if options.stage else ()))}
    known = stages.metrics()
    everything = options.apply == "all"
    usual = [kind for kind in kinds.values() if not kind.optional]
    found = {move.id: move for move in making.propose(look, usual if everything else kinds.values())}
    wanted = list(found) if everything else options.apply.split(",") if options.apply else []
    unknown = [move_id for move_id in wanted if move_id not in found]
    if unknown:
        raise UserError(f"There is no move {unknown[0]} to make here.")
    before = look.session if options.anchor is None else None
    for entry in making.waiting(look.session):  # made in the window, and saved before it was measured
        result = making.verify(look, entry, known)
        look = look.at(edits.record_result(look.session, entry.serial, result))
    results: dict[str, float | None] = {}
    for _ in range(MOST_ROUNDS if everything else 1):
        for move_id in wanted:
            # A move rests on what was measured; one made before it changes that, so it is proposed anew.
            kind = kinds[found[move_id].kind]
            fresh: Proposal | None = {move.id: move for move in making.propose(look, [kind])}.get(move_id)
            if fresh is None:
                continue
            fresh = found[move_id] = kind.prepare(look, fresh)
            look = look.at(making.recorded(look.session, kind, fresh))
            result = making.verify(look, look.session.ledger[-1], known)
            look = look.at(edits.record_result(look.session, look.session.ledger[-1].serial, result))
            results[move_id] = result.value
        if not wanted or not everything:
            break
        opened = {move.id: move for move in making.propose(look, usual)}
        found |= opened
        wanted = list(opened)
    if everything:
        found |= {move.id: move for move in making.propose(look, kinds.values())}
    if look.session is not before:
        store.save(look.session, options.output or options.session)
    remarks = [remark for part in parts for remark in part.remarks(look)]
    if options.json:
        said = [dataclasses.asdict(remark) for remark in remarks]
        print_json({"moves": [_move_row(move, results) for move in found.values()], "remarks": said})
        return 0
    for remark in remarks:
        names = ", ".join(look.session.strip_name(lane) for lane in remark.lanes)
        say(f"{names}: {remark.text}" if names else remark.text)
    for move in found.values():
        say(f"{move.id}: {move.title}. {move.reason}")
        if move.id in results:
            metric = stages.metric(move.metric)
            before_text, after, expected = (
                metric.text(value) for value in (move.before, results[move.id], move.expected)
            )
            say(f"    {metric.label}: {before_text} → {after}, expected {expected}")
        elif move.id in wanted:
            say("    Not made: after the moves before it there is nothing to gain here any more.")
    if not found:
        say("No move to make: nothing to gain here.")
    return 0


MOST_ROUNDS = 5
"""Moves that others made possible are made as well, so many times over. What is optional is made only by name."""


def _move_row(move: "Proposal", results: dict[str, float | None]) -> dict[str, Any]:
    """results: what was measured after each move that was made; one made before it may leave nothing to gain."""
    from msgspec import to_builtins

    told = {name: getattr(move, name) for name in ("id", "kind", "stage", "target", "title", "reason")}
    told |= {name: to_builtins(getattr(move, name)) for name in ("targets", "parameters", "evidence", "arguments")}
    figures = ("metric", "before", "expected", "tolerance", "source")
    made = {"made": move.id in results, "after": results.get(move.id)}
    return {**told, **{name: getattr(move, name) for name in figures}, **made}


def look_at(session: "Session") -> "Look":
    """A look at a session with its files opened and measured."""
    from all_even.engine.figures.book import Book
    from all_even.engine.figures.look import Look
    from all_even.engine.figures.session_figures import lane_reports
    from all_even.engine.sources import Sources

    sources = Sources()
    sources.update(session)
    return Look(session, Book(sources), lane_reports(session, sources))


def _anchored(session: "Session", wanted: str) -> "Session":
    from all_even.session import edits

    found = [lane.id for lane in session.lanes if wanted in (lane.id, lane.name)]
    if not found:
        raise UserError(f"There is no lane {wanted} in this session.")
    return edits.set_anchor(session, found[0])


def references(options: argparse.Namespace) -> int:
    from all_even.audio import sound_file
    from all_even.session import references as listed

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
    from all_even.engine import record as songs

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
    from all_even.session import store
    from all_even.session import template as templates

    if options.forget is not None:
        try:
            templates.forget(options.forget)
        except KeyError:
            raise UserError(f"There is no template {options.forget}.") from None
    if options.save is not None:
        if options.session is None:
            raise UserError("Which session? all-even template SESSION --save NAME")
        path = templates.keep(templates.of_session(store.load(options.session), options.save))
        say(f"Kept as {path}")
    for item in templates.known():
        say(f"{item.name}: {len(item.lanes)} lanes, {len(item.buses)} buses")
    return 0


def render(options: argparse.Namespace) -> int:
    from all_even.deliver.print_mix import PrintSettings, print_mix
    from all_even.deliver.stems import print_stems
    from all_even.engine import responses
    from all_even.engine.planning import make_plan
    from all_even.engine.sources import Sources
    from all_even.session import store

    if options.rate is not None and not 4_000 <= options.rate <= 384_000:
        raise UserError("--rate has to be between 4000 and 384000 Hz.")
    if options.end is not None and options.end <= options.start:
        raise UserError("--start has to be before --end.")
    session = store.load(options.session)
    sources = Sources()
    sources.update(session)
    for sentence in (*sources.problems(session).values(), *responses.problems(session).values()):
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


def triggers(options: argparse.Namespace) -> int:
    from all_even.deliver.triggers import write_triggers
    from all_even.session import store

    session = store.load(options.session)
    for path in write_triggers(look_at(session), options.output, store.recordings(session)):
        say(path.name)
    return 0


def recall(options: argparse.Namespace) -> int:
    from all_even.deliver.console_page import write_console
    from all_even.deliver.recall import Sheet, write_recall
    from all_even.session import store

    look = look_at(store.load(options.session))
    write = write_console if options.console else write_recall
    write(Sheet(look.session, look.reports, look.mix, look.flow), options.output)
    say(options.output.name)
    return 0
