"""Broken sessions: a full one of every kind of part, and structure-aware ways to break it."""

import json
import random
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import soundfile

from all_even.dsp.ducking.shaped import DuckShape
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.file import store
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, HitChanges, Lane
from tests.engine.sessions import stations

RATE = 48_000
FRAMES = 4_800
NUMBERS = (0, -1, 1, 0.5, -0.0, 1e-320, 1e6, -1e6, 1e9, 1e18, 1e308, -1e308, 2**31, 2**53, 2**64, 48_000.5, 3)
WORDS = (
    "", "x", "mix", "nowhere", "now", "../secret/secret.wav", "/etc/passwd", "linkdir/secret.wav", "loop/a.wav",
    "a\x00b.wav", "ab" * 150, "<b>bold</b>", "=SUM(A1)", "\x1b[31mred", "lane-1", "bus1", "s1", "send:bus1",
    "s1.delay_ms", "s1.bands.-1.gain_db", "s1.bands.x.q", "level_db", "..", "NaN", "é" * 90, "\u202etxt.wav",
)  # fmt: skip
AUTOMATED = ("delay_ms", "lookahead_ms", "ratio", "drive_db", "frequency_hz", "bands.0.q", "bands.9.gain_db", "kind")


def make_folder(folder: Path) -> None:
    """Four short recordings, and links that lead to what is not in the folder."""
    folder.mkdir(parents=True, exist_ok=True)
    secret = folder.parent / "secret"
    secret.mkdir(exist_ok=True)
    rng = np.random.default_rng(1)
    for number in range(4):
        sound = 0.2 * rng.standard_normal((FRAMES, 1 + number % 2))
        soundfile.write(folder / f"{number}.wav", sound, RATE, subtype="PCM_24")
    soundfile.write(secret / "secret.wav", np.full((FRAMES, 1), 0.5), RATE, subtype="PCM_24")
    for name, target in (("linkdir", secret), ("link.wav", secret / "secret.wav"), ("loop", folder / "loop")):
        if not (folder / name).is_symlink():
            (folder / name).symlink_to(target)


def full_session(folder: Path) -> Session:
    """Lanes, buses, folders, sends, keys, one of each station, automation, shapes, snapshots, notes, ledger."""
    session = Session(
        name="Attack",
        sample_rate=RATE,
        folders=(Folder(path=str(folder)),),
        lanes=tuple(Lane(id=f"lane-{n + 1}", name=f"Track {n + 1}", file=f"{n}.wav", role="kick") for n in range(4)),
        shapes=(DuckShape(id="shape", name="Shape", hits_s=(0.0, 0.02, 0.05)),),
    )
    session, _ = routing_edits.group_strips(session, ["lane-1", "lane-2"], "Group")
    session, parallel = routing_edits.add_bus(session, "Parallel", "parallel")
    session, _ = routing_edits.folder_strips(session, ["lane-3"], "Folder")
    session = routing_edits.set_send(session, ["lane-2"], parallel, level_db=-6.0)
    for number, station in enumerate(stations()):
        target = ("lane-1", "lane-2", "lane-3", parallel, MIX)[number % 5]
        session = chain_edits.add_station(session, target, station)
    session, trigger = routing_edits.silent_trigger(session, "lane-4")
    for strip in (*session.strips, None):
        strip_id = MIX if strip is None else strip.id
        for station in session.chain(strip_id)[:1]:
            for name in ("gain_db", "threshold_db", "frequency_hz"):
                if hasattr(station, name):
                    points = [(0.0, getattr(station, name)), (0.05, getattr(station, name) * 0.9)]
                    session = chain_edits.automate(session, strip_id, f"{station.id}.{name}", points)
    session = chain_edits.automate(session, "lane-1", "pan", [(0.0, -1.0), (0.08, 1.0)])
    session = chain_edits.automate(session, "lane-2", f"send:{parallel}", [(0.01, -20.0), (0.09, 0.0)])
    session = edits.take_snapshot(session, "rough")
    session = edits.change_strips(session, [trigger], start_s=0.01)
    session = edits.take_snapshot(edits.set_trim(session, -3.0), "later")
    session = edits.add_note(session, "louder here", 0.03)
    lane = msgspec.structs.replace(session.lanes[0], hits=HitChanges(added_s=(0.01,), removed_s=(0.02,)))
    session = msgspec.structs.replace(session, lanes=(lane, *session.lanes[1:]))
    move = Proposal(
        id="balance.trim", kind="balance.trim", stage="balance", targets=(MIX,), title="Trim", reason="Too loud",
        metric="mix-peak", parameters={"trim_db": -3.0}, evidence={"trim_db": 0.0}, before=-1.5, expected=-4.5,
        rests_on={"mix": "0" * 32},
    )  # fmt: skip
    session = edits.record(session, "Trim", move=move, audible=True)
    return edits.record(edits.record(session, "Undone: Trim", undoes=1), "made for breaking")


def plain(session: Session) -> dict[str, Any]:
    return json.loads(store.encode(session))


def places(value: Any, way: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """The way to every value inside."""
    found = [way] if way else []
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        found += places(inner, (*way, key))
    return found


def at(value: Any, way: tuple[Any, ...]) -> Any:
    for key in way:
        value = value[key]
    return value


def broken(whole: dict[str, Any], rng: random.Random) -> bytes:
    """One broken file: one to three wounds to the structure, sometimes one to the text as well."""
    data = json.loads(json.dumps(whole))
    if rng.random() < 0.5:
        for _ in range(rng.randint(1, 8)):
            bend(data, rng)
        return json.dumps(data).encode()
    for _ in range(rng.randint(1, 3)):
        wound(data, rng)
    text = json.dumps(data, allow_nan=True).encode()
    if rng.random() < 0.2:
        text = wounded_text(text, rng)
    return text


def bend(data: dict[str, Any], rng: random.Random) -> None:
    """Something that may still be a session: another number, another name, another route."""
    kind = rng.random()
    if kind < 0.1:
        automate(data, rng)
    elif kind < 0.2:
        reroute(data, rng)
    else:
        way = rng.choice(places(data))
        holder, key, old = at(data, way[:-1]), way[-1], at(data, way)
        if isinstance(old, bool):
            holder[key] = not old
        elif isinstance(old, int | float):
            holder[key] = rng.choice((0, 1, old * 0.5, old * 1.01, old * 2, -old, old + 1))
        elif key in ("name", "text", "reason"):
            holder[key] = rng.choice(WORDS) or "x"
        elif key == "file":
            holder[key] = rng.choice((*WORDS, "link.wav", "linkdir", "1.wav"))
        elif isinstance(old, list) and old:
            holder[key] = old[: rng.randrange(len(old) + 1)]


def wound(data: dict[str, Any], rng: random.Random) -> None:
    kind = rng.random()
    if kind < 0.15:
        automate(data, rng)
        return
    if kind < 0.25:
        reroute(data, rng)
        return
    way = rng.choice(places(data))
    holder, key, old = at(data, way[:-1]), way[-1], at(data, way)
    match rng.randrange(8):
        case 0 | 1:
            holder[key] = rng.choice(NUMBERS)
        case 2:
            holder[key] = rng.choice(WORDS)
        case 3 if isinstance(holder, dict):
            del holder[key]
        case 4 if isinstance(old, list):
            holder[key] = old * rng.choice((2, 3, 20))
        case 5:
            holder[key] = rng.choice((None, True, [], {}, [[]], [5], {"kind": "reverb"}))
        case 6:
            other = rng.choice(places(data))
            holder[key] = json.loads(json.dumps(at(data, other)))
        case _:
            if isinstance(old, int | float) and not isinstance(old, bool):
                holder[key] = old * rng.choice((-1, 1e3, 1e-9, 1e12)) + rng.choice((0, 1, -1))
            elif isinstance(old, dict):
                old[rng.choice(WORDS)] = rng.choice(NUMBERS)


def automate(data: dict[str, Any], rng: random.Random) -> None:
    """Automation of whatever a station has, or has not."""
    strips = [strip for strip in (*data["lanes"], *data["buses"], data["mix"]) if strip.get("chain")]
    strip = rng.choice(strips)
    station = rng.choice(strip["chain"])
    name = rng.choice((*AUTOMATED, *station))
    points = [{"time_s": rng.choice((0.0, 0.01, 1e6)), "value": rng.choice((1e6, -1e6, 0.0, 1.0))} for _ in range(2)]
    strip["automation"] = [*strip.get("automation", []), {"parameter": f"{station.get('id')}.{name}", "points": points}]


def reroute(data: dict[str, Any], rng: random.Random) -> None:
    """A destination, send, key or folder that may close a loop; in the session or in a snapshot."""
    state = rng.choice((data, *data["snapshots"]))
    strips = [strip for strip in (*state.get("lanes", []), *state.get("buses", [])) if isinstance(strip, dict)]
    if not strips:
        return
    strip, goal = rng.choice(strips), rng.choice(strips).get("id", "x")
    match rng.randrange(4):
        case 0:
            strip["destination"] = goal
        case 1:
            strip["sends"] = [{"to": goal}]
        case 2:
            strip["chain"] = [{"kind": "compressor", "id": rng.choice(("k", "s1")), "key": {"source": goal}}]
        case _:
            strip["id"] = goal


def wounded_text(text: bytes, rng: random.Random) -> bytes:
    place = rng.randrange(len(text))
    match rng.randrange(5):
        case 0:
            return text[:place]
        case 1:
            return text[:place] + bytes([rng.randrange(256)]) + text[place + 1 :]
        case 2:
            return text[:place] + text[place:] * 2
        case 3:
            return text[:place] + rng.choice((b"[" * 5000, b'\\"' * 5000, b"{" * 40, b"\x00", b"\xff")) + text[place:]
        case _:
            return text.replace(b"0.0", rng.choice((b"NaN", b"1e999", b"Infinity", b"-1e400")), 3)
