"""Commands on sound files: demo, measure, new, duck; and bench."""

import argparse
import dataclasses
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from all_even.cli.printing import plain_text, print_json, progress, say, shown, warn
from all_even.errors import UserError
from all_even.inputs import is_folder

if TYPE_CHECKING:
    from all_even.cli.benchmarks.benchmark import Benchmark
    from all_even.measure.recording.character import Character
    from all_even.session.song.song import Song


def demo(options: argparse.Namespace) -> int:
    from all_even.demo.stems import write_stems
    from all_even.session.file import store
    from all_even.session.file.lock import holding
    from all_even.session.file.new import inspect_all, new_session, sound_paths

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
    path = folder / f"{name}{store.SUFFIX}"
    with holding(path, "the command demo"):
        store.save(new_session(folder, infos, name), path)
    say(f"{len(infos)} files and {name}{store.SUFFIX} written to {folder}")
    return 0


def measure(options: argparse.Namespace) -> int:
    from all_even.measure.faults.findings import findings
    from all_even.measure.recording import files
    from all_even.measure.recording.pairs import find_pairs
    from all_even.session.file.new import sound_paths
    from all_even.session.song.song import Part, attack_ms, find_song, onsets_s
    from all_even.session.tracks.roles import guess_role, is_held

    paths: list[Path] = []
    for path in options.paths:
        paths += sound_paths(path) if is_folder(path) else [path]
    paths.sort(key=lambda path: path.name)
    by_index = dict(files.measure_files([(path, None) for path in paths], progress=progress))
    reports = [by_index[index] for index in range(len(paths))]
    names = [plain_text(report.path) for report in reports]
    tracks, parts = [], []
    for name, report in zip(names, reports, strict=True):
        role = guess_role(report.path.stem)
        track: dict[str, Any] = {
            "file": name,
            "ok": report.ok,
            "error": report.error or report.defect,
            "sample_rate": report.info.sample_rate if report.info else None,
            "channels": report.info.channels if report.info else report.offered_channels,
            "duration_s": report.measures.duration_s if report.measures else None,
        }
        for figure in TRACK_FIGURES:
            value = getattr(report.measures, figure) if report.measures else None
            track[figure] = list(value) if isinstance(value, tuple) else value
        track |= _playing(report.character, role)
        track["role"] = role
        track["findings"] = [dataclasses.asdict(finding) for finding in findings(report, held=is_held(role))]
        tracks.append(track)
        if report.measures is not None and report.character is not None:
            onsets = onsets_s(role, report.character)
            parts.append(Part(name, role, report.measures, report.character, onsets, attack_ms=attack_ms(report)))
    pairs = [
        {"kind": one.kind, "a": names[one.a], "b": names[one.b], "value": one.value, "correlation": one.correlation}
        for one in find_pairs(reports)
    ]
    song = find_song(parts)
    result = {"tracks": tracks, "pairs": pairs, "tempo_bpm": song.tempo.bpm if song.tempo else None, **_song(song)}
    if options.json:
        print_json(result)
    else:
        _print_tracks(result)
    return 0


def _playing(character: "Character | None", role: str) -> dict[str, Any]:
    """What a track plays, as JSON; null where it is not for this track to say."""
    from all_even.measure.pitch import pitch
    from all_even.measure.recording.sounding import MOST_SAID
    from all_even.session.song.hits import struck
    from all_even.session.song.song import is_line, main_pitch_hz, onsets_s
    from all_even.session.tracks.roles import is_held

    if character is None:
        return dict.fromkeys(PLAYING_FIGURES)
    found = struck(character, role)
    line = is_line(role, character)
    onsets = onsets_s(role, character)
    hit = onsets is not None and not line
    frequency = main_pitch_hz(character) if line else found.kick.frequency_hz if hit else None
    named = frequency is not None and (line or found.kick.state == "settled")
    name = pitch.named(frequency) if frequency is not None and named else None
    even = character.evenness if line else None
    return {
        "fundamental_hz": frequency,
        "note": name.name if name else None,
        "cents": name.cents if name else None,
        "pitch_state": found.kick.state if hit and len(found.hits) else None,
        "tail_ms": found.tail.ms if hit and found.tail else None,
        "tail_estimated": found.tail.estimated if hit and found.tail else None,
        "onsets_s": None if onsets is None else list(onsets),
        "onsets_unsure": [i for i, unsure in enumerate(found.hits.unsure) if unsure] if hit else None,
        "notes": [dataclasses.asdict(note) | {"name": note.name} for note in character.notes] if line else None,
        "evenness_db": even.spread_db if even else None,
        "notes_outstanding": [dataclasses.asdict(note) for note in even.outstanding] if even else None,
        "tuning_cents": character.tuning.cents if line and character.tuning else None,
        "reverb_s": character.reverb_s if is_held(role) else None,
        "sounds": character.sounding.kind if character.sounding else None,
        "sounds_likely": min(MOST_SAID, character.sounding.likely) if character.sounding else None,
    }


PLAYING_FIGURES = (
    "fundamental_hz", "note", "cents", "pitch_state", "tail_ms", "tail_estimated", "onsets_s", "onsets_unsure",
    "notes", "evenness_db", "notes_outstanding", "tuning_cents", "reverb_s",
    "sounds", "sounds_likely",
)  # fmt: skip


def _song(song: "Song") -> dict[str, Any]:
    tempo = song.tempo
    return {
        "tempo_steady": tempo.steady if tempo else None,
        "beats_s": list(tempo.beats_s) if tempo else None,
        "downbeats_s": list(tempo.downbeats_s) if tempo else None,
        "sections": [dataclasses.asdict(section) for section in song.sections],
        "tuning_against_song_cents": song.tuning_cents,
        "grid_timing": {name: dataclasses.asdict(found) for name, found in song.grid_timing.items()},
        "bass_timing": {name: dataclasses.asdict(found) for name, found in song.bass_timing.items()},
    }


def _print_tracks(result: dict[str, Any]) -> None:
    for track in result["tracks"]:
        if not track["ok"]:
            say(f"{Path(track['file']).name}: {track['error']}")
            continue
        playing = [track["role"]]
        if track["fundamental_hz"] is not None:
            playing.append(f"{shown(track['fundamental_hz'])} Hz" + (f" ({track['note']})" if track["note"] else ""))
        if track["tail_ms"] is not None:
            playing.append(f"tail {track['tail_ms']:.0f} ms")
        if track["onsets_s"]:
            playing.append(f"{len(track['onsets_s'])} onsets")
        say(
            f"{Path(track['file']).name}: {track['duration_s']:.1f} s, "
            f"{shown(track['integrated_lufs'])} LUFS, peak {shown(track['true_peak_dbtp'])} dBTP, "
            + ", ".join(playing)
            + "".join(f"\n    {finding['severity']}: {finding['text']}" for finding in track["findings"])
        )
    for pair in result["pairs"]:
        a, b = Path(pair["a"]).name, Path(pair["b"]).name
        if pair["kind"] == "duplicate":
            say(f"{a} and {b} are the same sound.")
        elif pair["kind"] == "offset" and abs(pair["value"]) > 0.05:
            say(f"{b} comes {abs(pair['value']):.2f} ms {'later' if pair['value'] > 0 else 'earlier'} than {a}.")
        elif pair["kind"] == "polarity" and pair["value"] < 0:
            say(f"{b} is polarity inverted against {a}.")
    if result["tempo_bpm"] is not None:
        say(f"{result['tempo_bpm']:.2f} BPM" + ("" if result["tempo_steady"] else ", changing"))


TRACK_FIGURES = (
    "sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "integrated_lufs", "max_momentary_lufs",
    "max_short_term_lufs", "loudness_range_lu", "crest_db", "dc_offset", "clipped_runs",
    "noise_floor_dbfs", "active_share", "balance_db", "correlation", "third_octave_db",
)  # fmt: skip


def duck(options: argparse.Namespace) -> int:
    import soxr

    from all_even.audio import sound_file
    from all_even.moves.ducking import find_ducks
    from all_even.moves.ducking.fit import LONGEST_S

    sounds = []
    for path in (options.key, options.target):
        info = sound_file.inspect(path)
        if info.duration_s > LONGEST_S:
            raise UserError(f"{path.name} is longer than {LONGEST_S / 60:.0f} minutes: cut out a part for this.")
        reader = sound_file.Reader(info)
        try:
            samples = reader.read(0, info.frames)
        finally:
            reader.close()
        sound_file.make_finite(samples)
        sounds.append((samples, info.sample_rate))
    (key, rate), (target, target_rate) = sounds
    if target_rate != rate:
        target = soxr.resample(target, target_rate, rate, quality="HQ")
    found = find_ducks(key, target, rate, kbr_db=options.depth)
    rows: list[dict[str, Any]] = [
        {
            "name": one.name, "control": one.control, "effect_only": one.effect_only, "feasible": one.feasible,
            "parameters": one.parameters, "gap_db": one.low.gap_db, "gap_ms": one.low.gap_ms,
            "pile_up_db": one.low.pile_up_db, "ripple_db": one.sound.ripple_db, "ripples": one.sound.ripples,
            "click_db": one.sound.click_db, "click_re_key_db": one.sound.click_re_key_db, "clicks": one.sound.clicks,
            "depth_db": one.low.depth_db, "depth_spread_db": one.low.depth_spread_db,
            "recovery_margin_ms": one.low.recovery_margin_ms, "unrecovered_hits": one.low.unrecovered_hits,
            "sum_peak_db": one.sound.sum_peak_db, "cost": one.low.cost,
        }
        for one in found.methods
    ]  # fmt: skip
    result = {
        "key": {
            "onsets_s": list(found.meeting.hits_s),
            "fundamental_hz": found.key_hz,
            "tail_ms": found.meeting.tail_ms,
        },
        "beat_s": found.beat_s,
        "methods": rows,
        "duck_needed": found.needed,
        "infeasible": found.infeasible,
    }
    if options.json:
        print_json(result)
        return 0
    if not found.needed:
        say("No duck needed: kick and bass hardly meet.")
    if found.infeasible:
        say(found.infeasible)
    for row in rows:
        settings = ", ".join(f"{name} {value:.4g}" for name, value in row["parameters"].items())
        say(
            f"{row['name']}: dip {shown(row['gap_db'])} dB, peak {shown(row['pile_up_db'])} dB, depth "
            f"{shown(row['depth_db'])} dB, {row['unrecovered_hits']} not recovered, cost {row['cost']:.2f}"
            + (f" ({settings})" if settings else "")
        )
    return 0


def new(options: argparse.Namespace) -> int:
    from all_even.session.file import store
    from all_even.session.file.lock import holding
    from all_even.session.file.new import inspect_all, new_session, sound_paths

    infos, bad = inspect_all(sound_paths(options.folder))
    if infos:
        for _, error in bad:
            warn(str(error))
    else:
        raise UserError(f"{options.folder.name or options.folder} holds no sound file that can be read.")
    session = new_session(options.folder, infos)
    if options.tempo_from is not None:
        from all_even.audio import midi
        from all_even.session.song import song_map

        found = midi.tempo(options.tempo_from)
        session = song_map.set_song(session, tempo_bpm=found.bpm, beats_per_bar=found.beats_per_bar, bar_s=0.0)
    with holding(options.output, "the command new"):
        store.save(session, options.output)
    say(f"{options.output.name}: {len(session.lanes)} tracks at {session.sample_rate} Hz")
    return 0


def bench(options: argparse.Namespace) -> int:
    from all_even.cli.benchmarks import run_benchmarks

    results = []
    for result in run_benchmarks(options.only or ()):
        results.append(result)
        if result.failed:
            warn(f"{result.name}: {result.note}")
        elif not options.json:
            say(_as_line(result))
            sys.stdout.flush()  # who pipes it sees each figure as well
    if options.json:
        print_json([dataclasses.asdict(result) for result in results])
    return 1 if any(result.failed for result in results) else 0


def _as_line(result: "Benchmark") -> str:
    if result.milliseconds is not None:
        return f"{result.name}: {result.milliseconds:.1f} ms ({result.note})"
    if result.realtime_factor is None:
        return f"{result.name}: {result.note}"
    peer = f", {result.peer} {shown(result.peer_factor)}×" if result.peer else ""
    return f"{result.name}: {shown(result.realtime_factor)}× real time{peer} ({result.note})"
