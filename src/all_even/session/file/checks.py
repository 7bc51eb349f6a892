"""What a session has to fulfil before anything works with it: read from a file, or from a snapshot in it.

`scan` looks at the bytes before they are parsed, in one pass that stops at the first limit, so that no
file can take long or fill memory. `checked` looks at the values: the session and each of its snapshots as if
it had been brought back. Whatever is wrong is one sentence.
"""

import re
from typing import Any, TypeVar

from msgspec.structs import replace

from all_even.errors import UserError, short_name
from all_even.session.editing import automating, edits
from all_even.session.model import routing
from all_even.session.model.ledger import LedgerEntry
from all_even.session.model.session import Session, Snapshot
from all_even.session.model.strips import Automation, Bus, FolderGroup, Lane, MixSettings, Strip

LARGEST_BYTES = 64 << 20
DEEPEST = 32
MOST_OBJECTS = 1_000_000
MOST_VALUES = 4_000_000
MOST_QUOTES = 16_000_000
"""A session of a hundred lanes with thirty snapshots and long rides has about a quarter of each."""
_TOKENS = re.compile(rb'"(?:[^"\\]++|\\.)*+"?|[\[\]{}]', re.DOTALL)

S = TypeVar("S", Lane, Bus, MixSettings, FolderGroup)


class NotASession(UserError):
    """What is wrong with it, as the end of a sentence that begins with the file's name."""


def count(data: bytes) -> None:
    """Raises NotASession for bytes that are larger, or of more parts, than any session."""
    if len(data) > LARGEST_BYTES:
        raise NotASession(f"is too large to be a session: over {LARGEST_BYTES >> 20} MB.")
    counts = ((b"{", MOST_OBJECTS), (b",", MOST_VALUES), (b'"', MOST_QUOTES))
    if any(data.count(sign) > most for sign, most in counts):
        raise NotASession("is not a session: it has more parts than any session has.")


def scan(data: bytes) -> None:
    """`count`, and NotASession for bytes that are nested deeper than any session."""
    count(data)
    depth = 0
    for token in _TOKENS.finditer(data):
        first = data[token.start()]
        if first in b"[{":
            depth += 1
            if depth > DEEPEST:
                raise NotASession("is not a session: it is nested deeper than any session is.")
        elif first in b"]}":
            depth -= 1


def checked(session: Session, repairs: list[str] | None = None) -> Session:
    """The session with all automation in its ranges; NotASession where something can't be.

    repairs: takes a sentence for what is left out because it can't be brought back; without it that is refused too.
    """
    names = [snapshot.name for snapshot in session.snapshots]
    if len(set(names)) != len(names):
        raise _unusable("two snapshots have one name")
    snapshots = tuple(_checked_snapshot(session, snapshot) for snapshot in session.snapshots)
    session = _checked_state(session, "")
    if any(a is not b for a, b in zip(snapshots, session.snapshots, strict=True)):
        session = replace(session, snapshots=snapshots)
    return _checked_ledger(session, repairs)


def _checked_ledger(session: Session, repairs: list[str] | None) -> Session:
    """Lines numbered upwards, naming only earlier ones; the states that wait for a result as good as any session."""
    ledger, last = [], 0
    for entry in session.ledger:
        if entry.serial <= last:
            raise _unusable("the lines of its ledger are not numbered upwards")
        last = entry.serial
        if any((named or 0) >= last for named in (entry.undoes, entry.redoes, entry.back_to)):
            raise _unusable(f"line {last} of its ledger names one that is not before it")
        state = entry.state
        if state is not None:
            where = f" in the state after line {last} of the ledger"
            try:
                entry = _with_parts(entry, session, where)
            except NotASession as error:
                if repairs is None or state.folders is not None:
                    raise
                # Up to format 14 a state did not keep its folders: what lay in one that was undone is lost.
                reason = str(error).removeprefix("is not a usable session: ")
                repairs.append(f"What line {last} of the ledger did is not measured any more: {reason}")
                entry = replace(entry, state=None)
        ledger.append(entry)
    same = all(a is b for a, b in zip(ledger, session.ledger, strict=True))
    return session if same else replace(session, ledger=tuple(ledger))


def _with_parts(entry: LedgerEntry, session: Session, where: str) -> LedgerEntry:
    assert entry.state is not None
    state = entry.state
    good = _checked_state(edits.in_state(session, state), where)
    changed = {name: getattr(good, name) for name in ("lanes", "buses", "mix")
               if getattr(good, name) is not getattr(state, name)}  # fmt: skip
    return replace(entry, state=replace(state, **changed)) if changed else entry


def _checked_snapshot(session: Session, snapshot: Snapshot) -> Snapshot:
    parts: dict[str, Any] = {
        name: getattr(snapshot, name) for name in ("lanes", "buses", "folder_groups", "shapes", "mix")
    }
    state = _checked_state(replace(session, **parts), f" in the snapshot “{short_name(snapshot.name)}”")
    same = all(getattr(state, name) is value for name, value in parts.items())
    return snapshot if same else replace(snapshot, **{name: getattr(state, name) for name in parts})


def _checked_state(session: Session, where: str) -> Session:
    """where: empty, or which snapshot this is."""
    ids = [lane.id for lane in session.lanes]
    if len(set(ids)) != len(ids):
        raise _unusable(f"two tracks have one id{where}")
    for lane in session.lanes:
        if lane.folder >= len(session.folders):
            raise _unusable(f"{short_name(lane.name)} is in a folder it does not list{where}")
    for response in session.responses:
        if response.folder >= len(session.folders):
            raise _unusable(f"the response {short_name(response.name)} is in a folder it does not list{where}")
    for reference in session.references:
        if reference.folder >= len(session.folders):
            raise _unusable(f"the reference {short_name(reference.file)} is in a folder it does not list{where}")
    stations = [station.id for chain in (*(s.chain for s in session.strips), session.mix.chain) for station in chain]
    if len(set(stations)) != len(stations):
        raise _unusable(f"two processors have one id{where}")
    shapes = [shape.id for shape in session.shapes]
    if len(set(shapes)) != len(shapes):
        raise _unusable(f"two duck shapes have one id{where}")
    try:
        routing.check(session)
    except routing.RoutingError as error:
        raise _unusable(f"{str(error).rstrip('.')}{where}") from None
    lanes = tuple(_with_automation(lane, short_name(lane.name) + where) for lane in session.lanes)
    buses = tuple(_with_automation(bus, short_name(bus.name) + where) for bus in session.buses)
    mix = _with_automation(session.mix, "the mix" + where)
    changed: dict[str, Any] = {}
    folders = tuple(_with_automation(folder, short_name(folder.name) + where) for folder in session.folder_groups)
    for name, value in (("lanes", lanes), ("buses", buses), ("folder_groups", folders)):
        if any(new is not old for new, old in zip(value, getattr(session, name), strict=True)):
            changed[name] = value
    if mix is not session.mix:
        changed["mix"] = mix
    return replace(session, **changed) if changed else session


def _with_automation(strip: S, owner: str) -> S:
    """The strip with its automation checked and in range."""
    if not strip.automation:
        return strip
    automation: tuple[Automation, ...] = strip.automation
    if isinstance(strip, Strip):
        # Left behind by a bus that was removed, by versions that did not take it along.
        automation = automating.without_lost_sends(automation, {send.to for send in strip.sends})
    names = [item.parameter for item in automation]
    if len(set(names)) != len(names):
        raise _unusable(f"{owner} automates one setting twice")
    kept = []
    for item in automation:
        if any(a.time_s > b.time_s for a, b in zip(item.points, item.points[1:], strict=False)):
            raise _unusable(f"{owner} has automation whose points do not rise in time")
        try:
            kept.append(automating.clamped(strip, item))
        except KeyError:
            raise _unusable(f"{owner} automates “{short_name(item.parameter)}”, which is not there") from None
        except ValueError:
            raise _unusable(f"{owner} automates “{short_name(item.parameter)}”, which can't be automated") from None
    same = len(kept) == len(strip.automation) and all(a is b for a, b in zip(kept, strip.automation, strict=True))
    return strip if same else replace(strip, automation=tuple(kept))


def _unusable(what: str) -> NotASession:
    return NotASession(f"is not a usable session: {what}.")


_LANES = re.compile(r"\blanes\b")
_NUMBERED = re.compile(r"\[(\d+)\]")


def refusal(message: str) -> str:
    """A sentence's end from the parser's words, such as `Expected `float` >= 1.0 - at `$.lanes[3].pan``."""
    what, _, where = message.partition(" - at ")
    place = where.strip("`").removeprefix("key in ").strip("`").removeprefix("$").removeprefix(".")
    place = place.replace("[...]", "").strip(".")
    place = _NUMBERED.sub(lambda match: f" {int(match[1]) + 1}", place).replace(".", ", ").strip()
    place = _LANES.sub("tracks", place)  # as people call them; the file's key is older
    inside = f" in {short_name(place)}" if place else ""
    quoted = re.search(r"[`'](.*?)[`']", what)
    name = short_name(quoted[1]) if quoted else ""
    limit = what.rsplit(" ", 1)[-1].removesuffix(".0")
    if what.startswith("Object contains unknown field"):
        return f"unknown field “{name}”{inside}"
    if what.startswith("Object missing required field"):
        return f"missing required field “{name}”{inside}"
    if what.startswith("Invalid"):
        return f"unknown word “{name or short_name(limit)}”{inside}"
    if "matching regex" in what:
        return f"letters that can't be{inside}"
    if "of length" in what:
        most = "<=" in what
        return f"{'more' if most else 'less'} than {limit} {'letters' if 'str' in what else 'entries'}{inside}"
    if ">=" in what or "<=" in what:
        return f"a number {'under' if '>=' in what else 'over'} {limit}{inside}"
    if "got" in what:
        return f"the wrong kind of value{inside}"
    if what.startswith(("a ", "the ")):  # the words of one of our own values
        return f"{what}{inside}"
    return f"a value that can't be{inside}"
