"""Copy and paste of what is set on a strip: its chain, its sends, its level and pan, as JSON that may go anywhere.

What is pasted is checked like a session file: from the clipboard may come anything.
"""

from collections.abc import Collection
from typing import Annotated, Literal

import msgspec
from msgspec import Meta
from msgspec.structs import replace

from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.processor import Key, Processor, key_of
from all_even.errors import UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Send
from all_even.session.model.values import LevelDb, Pan, Value

Part = Literal["chain", "sends", "level"]
LONGEST = 1 << 20
"""Characters of a text that is looked into."""


class CopiedStrip(Value, frozen=True, kw_only=True):
    """What was set on a strip. level_db, pan: None where it has none of its own, as the mix bus."""

    copied: Literal["All Even strip"] = "All Even strip"
    name: Annotated[str, Meta(max_length=200)] = ""
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=64)] = ()
    sends: Annotated[tuple[Send, ...], Meta(max_length=64)] = ()
    level_db: LevelDb | None = None
    pan: Pan | None = None


def copied(session: Session, strip_id: str) -> str:
    """A strip's settings as text. KeyError where there is no such strip, as for a folder group."""
    if strip_id == MIX:
        found = CopiedStrip(name="Mix", chain=session.mix.chain)
    else:
        strip = session.strip(strip_id)
        found = CopiedStrip(
            name=strip.name, chain=strip.chain, sends=strip.sends, level_db=strip.level_db, pan=strip.pan
        )
    return msgspec.json.format(msgspec.json.encode(found)).decode("utf-8")


def read(text: str) -> CopiedStrip:
    """What was copied; a UserError for any other text."""
    try:
        if len(text) > LONGEST:
            raise msgspec.ValidationError
        return msgspec.json.decode(text.encode("utf-8", "replace"), type=CopiedStrip)
    except msgspec.MsgspecError:
        raise UserError("Nothing to paste: copy a strip first.") from None


def paste(session: Session, strip_ids: Collection[str], part: Part, found: CopiedStrip) -> Session:
    """Puts one part on these strips in place of what they have. A UserError where it would make a loop.

    Keys and sends to strips that this session has not are left out, and a strip never leads to itself.
    """
    known = {strip.id for strip in session.strips}
    for strip_id in strip_ids:
        if part == "chain":
            chain = [_without_stranger(station, known - {strip_id}) for station in found.chain]
            session = chain_edits.set_chain(session, strip_id, ())
            for station in chain:
                session = chain_edits.add_station(session, strip_id, station)
        elif strip_id == MIX:
            continue
        elif part == "sends":
            buses = {bus.id for bus in session.buses} - {strip_id}
            for send in session.strip(strip_id).sends:
                session = routing_edits.remove_send(session, (strip_id,), send.to)
            for send in found.sends:
                if send.to in buses:
                    session = routing_edits.set_send(
                        session, (strip_id,), send.to, level_db=send.level_db, pre_fader=send.pre_fader, on=send.on
                    )
        elif found.level_db is not None and found.pan is not None:
            session = edits.change_strips(session, (strip_id,), level_db=found.level_db, pan=found.pan)
    return session


def _without_stranger(station: Processor, known: Collection[str]) -> Processor:
    key: Key | None = key_of(station)
    return station if key is None or key.source in known else replace(station, key=None)
