"""What comes in and goes out beside sessions and sounds, attacked: curves, MIDI, templates, references and responses,
retuned copies, deliveries whose sources vanish, edits and their undo, a disk that is full.

Each takes a generator and a new folder, and returns `refused` or `opened`; what must never be is an AssertionError.
"""

import contextlib
import math
import os
import random
import resource
import time
import unicodedata
from collections.abc import Callable, Iterator
from itertools import pairwise
from pathlib import Path

import mido
import numpy as np
import soundfile
from msgspec.structs import replace

from all_even import outputs, path_list, places
from all_even.audio import midi, retune, sound_file
from all_even.deliver import automation_files, delivery, lacking, listening_copy
from all_even.deliver.lacking import SourcesLacking
from all_even.deliver.print_mix import PrintSettings, print_mix
from all_even.deliver.recall import Sheet
from all_even.deliver.recall_sheet import write_recall
from all_even.deliver.stems import print_stems
from all_even.deliver.triggers import write_triggers
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import LEVEL, PAN
from all_even.dsp.processor import Key
from all_even.engine.planning import make_plan
from all_even.engine.sources import Sources
from all_even.errors import UserError
from all_even.figures.book.book import Book
from all_even.figures.book.look import Look
from all_even.figures.of_session import lane_reports
from all_even.measure.recording.files import FileReport
from all_even.session.editing import chain_edits, edits, ride_edits
from all_even.session.file import store
from all_even.session.file.history import History
from all_even.session.file.new import add_from_anywhere, add_reference, add_response, inspect_all, new_session
from all_even.session.machine import references, template
from all_even.session.model.ledger import Proposal, Result
from all_even.session.model.session import Session
from all_even.session.model.strips import MixSettings

RATE = 48_000
LETTERS = "abz AZ09&.!-_éЖ鼓\u2028\x0b\x85\u202e💿"
Try = Callable[[random.Random, Path], str]


def name(rng: random.Random, most: int = 24) -> str:
    """A name that a file may have, whatever it looks like."""
    made = "".join(rng.choice(LETTERS) for _ in range(rng.randint(1, most))).strip(". ")
    return made or "x"


def read_as(text: str) -> str:
    """What people take for the same name."""
    return unicodedata.normalize("NFC", " ".join(text.split())).casefold()


def sound(path: Path, seed: int, seconds: float = 0.25, subtype: str = "PCM_16") -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    noise = np.random.default_rng(seed).standard_normal((round(seconds * RATE), 1)) * 0.1
    soundfile.write(path, noise, RATE, subtype=subtype)
    return path


def endless(rng: random.Random, path: Path) -> Path:
    """Something at a path that is no file, or never ends."""
    match rng.randrange(4):
        case 0:
            os.mkfifo(path)
        case 1:
            path.symlink_to("/dev/zero")
        case 2:
            path.symlink_to(path)
        case _:
            path.mkdir()
    return path


def curve(rng: random.Random, folder: Path) -> str:
    """A curve to a file and back; or a file that is none."""
    described = rng.choice((LEVEL, PAN))
    path = folder / f"c{rng.choice(('.csv', '.mid'))}"
    if rng.random() < 0.25:
        endless(rng, path)
    elif rng.random() < 0.4:
        rows = [rng.choice(("1,2", "", "x,y", "1", "nan,1", "1e999,0", "1," + "9" * rng.choice((1, 140_000)), "\x00,1",
                            '"open', "1e6,-3", "-1,0")) for _ in range(rng.randint(0, 6))]  # fmt: skip
        path.write_bytes("\n".join(["time_s,value", *rows]).encode() + rng.choice((b"", b"\xff\xfe")))
    else:
        count, longest = rng.choice((1, 2, 30, 2000)), rng.choice((5.0, 300.0, 1e5, 1e6))
        points = sorted((rng.random() * longest, rng.uniform(-60.0, 6.0)) for _ in range(count))
        if rng.random() < 0.5:
            points = [(at, -3.0) for at, _ in points]
        points = [(at, described.clamped(value)) for at, value in points]
        automation_files.write(points, described, name(rng), path)
        assert path.stat().st_size < 4 << 20, "a curve fills the disk"
    found = automation_files.read(path, described)
    assert all(before[0] <= after[0] for before, after in pairwise(found))
    assert all(math.isfinite(at) and math.isfinite(value) for at, value in found)
    return "opened"


def midi_file(rng: random.Random, folder: Path) -> str:
    """A MIDI file, small or large, whole or broken, or what is none; for hits, tempo or a controller."""
    path = folder / "m.mid"
    if rng.random() < 0.2:
        endless(rng, path)
    else:
        track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=rng.choice((1, 500_000, 16_777_215)))])
        for _ in range(rng.choice((0, 3, 200))):
            wait = rng.choice((0, 1, 480, 1 << 20, (1 << 28) - 1))
            message = rng.choice(("note_on", "control_change"))
            values = (
                {"note": 36, "velocity": rng.choice((0, 90))} if message == "note_on" else {"control": 11, "value": 9}
            )
            track.append(mido.Message(message, time=wait, **values))
        mido.MidiFile(tracks=[track], ticks_per_beat=rng.choice((1, 480, 32_000))).save(path)
        data = bytearray(path.read_bytes())
        if rng.random() < 0.3:  # more events than a song has
            events = b"\x00\xb0\x0b\x00" + b"\x01\x0b\x40" * (rng.choice((1, 5)) << 20)
            data = bytearray(b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk" + len(events).to_bytes(4, "big") + events)
        for _ in range(rng.choice((0, 0, 1, 3))):
            data[rng.randrange(len(data))] = rng.randrange(256)
        path.write_bytes(data[: rng.randrange(len(data))] if rng.random() < 0.1 else data)
    started = time.process_time()
    try:
        if (read := rng.choice((midi.hits_s, midi.tempo, midi.controller))) is midi.hits_s:
            assert all(0.0 <= hit <= midi.LONGEST_S for hit in read(path))
        else:
            read(path)
    finally:
        assert time.process_time() - started < 30.0, "a MIDI file keeps the program busy"
    return "opened"


def templates(rng: random.Random, folder: Path) -> str:
    """Templates of any names, kept and forgotten; broken files beside them."""
    kept: dict[str, float] = {}
    home = places.data_folder("templates")
    for number in range(rng.randint(2, 5)):
        wanted = rng.choice((name(rng), name(rng, 3), "Rock & Roll", "Rock Roll", "Рок", "Джаз", "鼓"))
        made = template.of_session(Session(name="x", sample_rate=RATE), wanted)
        made = replace(made, mix=MixSettings(trim_db=float(number)))
        template.keep(made)
        kept = {known: trim for known, trim in kept.items() if read_as(known) != read_as(made.name)}
        kept[made.name] = float(number)
    if rng.random() < 0.3:
        (home / f"{name(rng).replace('/', '')}.json").write_bytes(rng.randbytes(30))
    if rng.random() < 0.2:
        os.mkfifo(home / "pipe.json")
    try:
        assert {item.name: item.mix.trim_db for item in template.known()} == kept, "a template is another one, or gone"
        gone = rng.choice(sorted(kept))
        template.forget(gone)
        assert {item.name for item in template.known()} == set(kept) - {gone}, "forgetting one took another"
        with contextlib.suppress(KeyError):
            template.forget(name(rng))
            raise UserError("There was another.")
    finally:
        for path in home.iterdir():
            path.unlink()
    return "opened"


def listed(rng: random.Random, folder: Path) -> str:
    """References and responses of any name: what is said to be kept is there, in the list and in the session."""
    path = folder / f"{name(rng)}.wav"
    if rng.random() < 0.25:
        endless(rng, path)
    else:
        sound(path, 1)
    sound_file.inspect(path)
    references.add([path])
    assert path in path_list.read(references.FILE, references.MOST), "a reference is said to be kept and gone"
    session, _ = add_response(add_reference(Session(name="x", sample_rate=RATE), path), path)
    assert reopened(session, folder) == session
    return "opened"


def retuned(rng: random.Random, folder: Path) -> str:
    """Copies of recordings whose names collide, with foreign files and links in the way: each is of its recording."""
    stem = rng.choice(("gtr", "Ж" * 120, "x" * 246, name(rng)))
    recordings = [
        sound(folder / "music" / f"{stem}{ending}", number) for number, ending in enumerate((".wav", ".flac"))
    ]
    home, outside = folder / "music" / retune.FOLDER, folder / "outside"
    outside.mkdir()
    linked = rng.random() < 0.2
    if linked:
        home.symlink_to(outside)
    kept = retune.shifted
    retune.shifted = lambda samples, _rate, cents, _cancelled=None: (samples * (1.0 + cents / 1000.0)).astype(
        np.float32
    )
    try:
        if not linked and rng.random() < 0.3:
            foreign = retune.place_of(recordings[0], None, 20.0)
            foreign.parent.mkdir(exist_ok=True)
            before = sound(foreign, 9).read_bytes()
        else:
            foreign, before = None, b""
        try:
            for _ in range(4):
                recording, cents = rng.choice(recordings), rng.choice((20.0, 20.4, -20.0))
                if rng.random() < 0.3:  # another recording under this name, older than the copy
                    sound(recording, rng.randrange(100))
                    os.utime(recording, (1e9, 1e9))
                copy = soundfile.read(retune.retune(recording, None, cents))[0]
                whole = soundfile.read(recording)[0] * (1.0 + cents / 1000.0)
                assert np.allclose(copy, whole, atol=1e-6), "a copy is of another recording, or another pitch"
        finally:
            assert foreign is None or foreign.read_bytes() == before, "a foreign file was written over"
            assert not list(outside.iterdir()), "written through a link"
    finally:
        retune.shifted = kept
    return "opened"


def look_at(session: Session) -> Look:
    sources = Sources()
    sources.update(session)
    reports: dict[str, FileReport] = lane_reports(session, sources)
    return Look(session, Book(sources), reports)


def harm(rng: random.Random, path: Path) -> None:
    match rng.randrange(5):
        case 0:
            path.unlink()
        case 1:
            os.truncate(path, rng.randrange(path.stat().st_size - 1000))
        case 2:
            path.write_bytes(rng.randbytes(500))
        case 3:
            path.unlink()
            endless(rng, path)
        case _:
            samples, rate = soundfile.read(path)
            samples[rng.randrange(len(samples))] = np.nan
            soundfile.write(path, samples, rate, subtype="FLOAT")


def leaving(rng: random.Random, folder: Path) -> str:
    """Something is written of a session whose sources vanish: never without a word."""
    music, out = folder / "music", folder / "out"
    out.mkdir()
    for number, lane in enumerate(("kick", "bass", "keys", "unheard")):
        sound(music / f"{lane}.wav", number, 0.5, "FLOAT")
    session = new_session(music, inspect_all(sorted(music.iterdir()))[0], "Song")
    by_file = {lane.file.removesuffix(".wav"): lane.id for lane in session.lanes}
    session = chain_edits.add_station(session, by_file["bass"], Compressor(key=Key(source=by_file["kick"])))
    session = edits.change_strips(session, [by_file["unheard"]], mute=True)
    victim = rng.choice(("kick", "bass", "keys", "unheard", ""))
    if victim:
        harm(rng, music / f"{victim}.wav")
    even, way = rng.random() < 0.5, rng.choice(("mix", "stems", "copy", "recall", "triggers", "delivery"))
    settings, look = PrintSettings(bits="32f", even_without=even), look_at(session)
    plan, protected = make_plan(session, look.book.sources), store.recordings(session)
    lacks = victim not in ("", "unheard") and not (way == "triggers" and victim == "keys")
    said = refused = ""
    try:
        match way:
            case "mix":
                print_mix(plan, out / "mix.wav", settings, protected=protected)
                said = " ".join(plan.lacking())
            case "stems":
                print_stems(session, look.book.sources, out / "stems", settings, protected=protected)
                said = " ".join(make_plan(session, look.book.sources).lacking())
            case "copy":
                listening_copy.rendered(plan, even_without=even)
                said = " ".join(plan.lacking())
            case "recall":
                sheet = Sheet(session, look.reports, None, None, lacking.of_mix(look))
                write_recall(sheet, out / "sheet.json", even_without=even)
                said = (out / "sheet.json").read_text()
            case "triggers":
                said = " ".join(write_triggers(look, out / "duck", protected, even_without=even)[1])
            case _:
                found = delivery.deliver(look, out / "d", settings, protected=protected)
                said = found.text.read_text()
                again = edits.change_strips(session, [by_file["keys"]], name=name(rng))
                found = delivery.deliver(look.at(again), out / "d", settings, protected=protected)
                there = set((out / "d").rglob("*.wav"))
                assert there == {item.path for item in found.files} | set(found.strange), "an old stem lies beside"
    except SourcesLacking as error:
        refused = str(error)
    if refused:
        assert lacks, "refused for nothing"
        assert victim in refused
        assert not [path for path in out.rglob("*") if path.is_file()], "refused, and there all the same"
        return "refused"
    assert not lacks or (even and f"{victim}.wav" in said), f"{way} left without {victim}, and no word of it"
    return "opened"


def reopened(session: Session, folder: Path) -> Session:
    """Saved and opened; the folders are said by their way from the file now."""
    try:
        store.save(session, folder / "s.alleven", previous=False)
        again = store.read(folder / "s.alleven")
    except UserError as error:
        raise AssertionError(f"what edits made can't be saved, or not be opened again: {error}") from None
    assert again.repairs == (), f"what was just saved had to be repaired: {again.repairs[0]}"
    assert [item.path for item in again.session.folders] == [item.path for item in session.folders]
    return replace(again.session, folders=session.folders)


def history(rng: random.Random, folder: Path) -> str:
    """Files from many folders, moves, long words, long curves, undo and redo: whatever came of it opens again."""
    first = sound(folder / ("long" * 50) / "a.wav", 1)
    done = History(new_session(first.parent, inspect_all([first])[0], rng.choice((None, "x" * 300))))
    refused = 0
    for step in range(rng.randint(4, 14)):
        session = done.session
        lane = rng.choice(session.lanes).id
        try:
            match rng.randrange(9):
                case 0:
                    info = inspect_all([sound(folder / f"f{step}" / "b.wav", step)])[0]
                    done.apply(add_from_anywhere(session, info))
                case 1:
                    path = sound(folder / f"r{step}" / "m.wav", step)
                    done.apply(add_reference(session, path))
                case 2 | 3:
                    move = Proposal(
                        id=f"m{step}", kind="gather.order", stage="gather", title="t", reason="r", metric="m"
                    )
                    done.apply(edits.change_strips(session, [lane], level_db=-float(step) - 1.0), move=move)
                case 4:
                    done.apply(edits.change_strips(session, [lane], name=name(rng, rng.choice((10, 300)))))
                case 5:
                    done.apply(edits.add_note(session, name(rng, rng.choice((10, 5000))), 1.0))
                case 6:
                    points = [(0.01 * i, float(i % 2)) for i in range(rng.choice((3, 101_000)))]
                    done.apply(ride_edits.set_curve(session, lane, "level_db", points))
                case 7:
                    done.apply(edits.take_snapshot(session, name(rng, rng.choice((5, 250)))))
                case _:
                    entry = next((item for item in session.ledger if item.state is not None), None)
                    if entry is not None:
                        done.amend(edits.record_result(session, entry.serial, Result(value=1.0)))
        except UserError:
            refused += 1
        if rng.random() < 0.4:
            for _ in range(rng.randint(1, 4)):
                done.undo()
        if rng.random() < 0.15:
            done.redo()
        if rng.random() < 0.3:
            again = reopened(done.session, folder)
            assert again == done.session, "what was saved is not what was read"
            for entry in again.ledger:
                if entry.state is not None:
                    then = edits.in_state(again, entry.state)
                    assert all(store.lane_path(then, lane).is_file() for lane in then.lanes), "a state lost its files"
    assert reopened(done.session, folder) == done.session
    return "refused" if refused else "opened"


@contextlib.contextmanager
def small_disk(most_bytes: int) -> Iterator[None]:
    """No file of this process may grow over so many bytes."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (most_bytes, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


def full_disk(rng: random.Random, folder: Path) -> str:
    """The disk is full at any moment: a sentence, and what was there is there still."""
    path = sound(folder / "music" / "a.wav", 1, 0.5)
    session = new_session(path.parent, inspect_all([path])[0], "Song")
    for number in range(rng.randrange(30)):
        session = edits.record(session, f"line {number}")
    target, mix = folder / "s.alleven", folder / "mix.wav"
    store.save(session, target)
    look = look_at(session)
    plan = make_plan(session, look.book.sources)
    print_mix(plan, mix)
    before = {item: item.read_bytes() for item in (target, mix)}
    changed = replace(session, name="changed")
    ways: list[Callable[[], object]] = [
        lambda: store.save(changed, target),
        lambda: print_mix(plan, mix, PrintSettings(bits="32f")),
        lambda: print_stems(session, look.book.sources, folder / "stems"),
        lambda: write_recall(Sheet(session, {}, None), folder / "sheet.html"),
        lambda: automation_files.write([(0.0, 0.0), (900.0, -60.0)], LEVEL, "x", folder / "c.csv"),
    ]
    try:
        with small_disk(rng.choice((0, 100, 1000, 30_000))):
            rng.choice(ways)()
    finally:
        assert outputs.SESSION.is_one(target.read_bytes())
        assert store.load(target).name in ("Song", "changed")
        assert soundfile.info(mix).frames == soundfile.info(path).frames
        assert not list(folder.rglob("*.part")), "something unfinished is left"
        assert target.read_bytes() == before[target] or store.load(target) == replace(
            changed, folders=store.load(target).folders
        )
    return "opened"


SURFACES: dict[str, Try] = {
    "curve": curve, "midi": midi_file, "template": templates, "listed": listed, "retune": retuned, "leaving": leaving,
    "history": history, "full disk": full_disk,
}  # fmt: skip
