"""Sessions of older formats, brought to the present form.

Formats 1, 2 and 4 to 6 lack what came later, which is as if it were empty. Up to format 3 a move was a record with its
metric in words, and undoing it was known by its sentence alone.
"""

from typing import Annotated, Literal

from msgspec import Meta
from msgspec.structs import asdict

from all_even.dsp.processor import Identifier
from all_even.session.model.ledger import Evidence, LedgerEntry, Proposal, Result
from all_even.session.model.session import FORMAT_VERSION, Session
from all_even.session.model.values import Name, Text, Value

LAST_WITHOUT_MOVES = 3
METRICS = {
    "spread of loudness among lanes, LU": "spread",
    "mix sample peak, dBFS": "mix-peak",
    "distance from the centre, %": "off-centre",
    "family breaks": "family-breaks",
    "lanes not named by their role": "unnamed",
    "silent lanes in sight": "silent-in-sight",
    "channels used": "channels-used",
    "mix loudness, LUFS": "mix-loudness",
    "crushed copy against the dry drums, LU": "under-dry",
    "strongest gain of the limiter, dB": "strongest-gain",
    "strongest gain of the duck, dB": "strongest-gain",
    "gain in loud passages, dB": "loud-gain",
}
"""What metrics were called, and what they are called now."""
UNDONE, REDONE = "Undone: ", "Redone: "


class _Move(Value, frozen=True, kw_only=True):
    id: Identifier
    stage: Name
    target: Name
    title: Text
    reason: Text
    evidence: Evidence
    metric: Name
    before: float | None
    expected: float | None
    expected_from: Literal["predicted", "trial"]
    after: float | None = None


class _Entry(Value, frozen=True, kw_only=True):
    when: Name
    text: Text
    reason: Text = ""
    move: _Move | None = None


class OlderSession(Session, frozen=True, kw_only=True):
    """A session up to format 3: all is as it is now but for the ledger."""

    ledger: Annotated[tuple[_Entry, ...], Meta(max_length=100_000)] = ()  # type: ignore[assignment]


def upgraded(session: OlderSession) -> Session:
    """The same in the present form; lines are numbered, and what was undone is known by number."""
    ledger = []
    made: dict[str, int] = {}
    entry: _Entry
    for serial, entry in enumerate(session.ledger, 1):
        undoes = made.get(entry.text.removeprefix(UNDONE)) if entry.text.startswith(UNDONE) else None
        redoes = made.get(entry.text.removeprefix(REDONE)) if entry.text.startswith(REDONE) else None
        move = _proposal(entry.move) if entry.move is not None else None
        after = entry.move.after if entry.move is not None else None
        ledger.append(
            LedgerEntry(
                when=entry.when, text=entry.text, reason=entry.reason, move=move, serial=serial, undoes=undoes,
                redoes=redoes, result=Result(value=after) if move is not None else None, audible=True,
            )
        )  # fmt: skip
        made[entry.text] = serial
    values = asdict(session) | {"ledger": tuple(ledger), "format_version": FORMAT_VERSION}
    return Session(**values)


def _proposal(record: _Move) -> Proposal:
    kind = record.id.removesuffix("." + record.target)
    return Proposal(
        id=record.id, kind=kind, stage=record.stage, title=record.title, reason=record.reason,
        metric=METRICS.get(record.metric, record.metric), evidence=record.evidence, before=record.before,
        targets=() if record.target == "session" else (record.target,), expected=record.expected,
        source=record.expected_from,
    )  # fmt: skip
