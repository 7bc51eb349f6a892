"""Chains kept under a name, with the role they were made for: offered first where a track of that role is selected."""

from typing import Annotated, Literal

from msgspec import Meta
from msgspec.structs import replace

from all_even.dsp.kinds import AnyProcessor
from all_even.dsp.processor import key_of
from all_even.errors import UserError
from all_even.session.editing import chain_edits
from all_even.session.machine.named_files import NamedFiles
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX
from all_even.session.model.values import Name, Value
from all_even.session.tracks.roles import family_of


class KeptChain(Value, frozen=True, kw_only=True):
    """role: of the track that it was made on. Keys and duck shapes stay out: they are of one session."""

    chain_of: Literal["All Even chain"] = "All Even chain"
    name: Name
    role: Name = "unknown"
    chain: Annotated[tuple[AnyProcessor, ...], Meta(max_length=64)] = ()


FILES = NamedFiles("chains", KeptChain, "chain")
find, forget = FILES.find, FILES.forget


def keep(session: Session, strip_id: str, name: str) -> KeptChain:
    """Keeps the chain of a strip, in place of one of the same name. A UserError where it is empty, or the disk
    refuses."""
    own = tuple(
        station if key_of(station) is None else replace(station, key=None)
        for station in session.chain(strip_id)
        if not getattr(station, "shape", "")
    )
    if not own:
        raise UserError("There is no processor in this chain to keep.")
    role = "mix bus" if strip_id == MIX else getattr(session.strip(strip_id), "role", "unknown")
    kept = KeptChain(name=" ".join(name.split())[:80] or "Chain", role=role, chain=own)
    FILES.keep(kept)
    return kept


def fitting(role: str) -> list[KeptChain]:
    """All that are kept: first those of this role, then of its family, then the rest."""
    return sorted(FILES.known(), key=lambda item: (item.role != role, family_of(item.role) != family_of(role)))


def put_on(session: Session, strip_ids: list[str], kept: KeptChain) -> Session:
    """A kept chain at the end of the chains of these strips."""
    for strip_id in strip_ids:
        for station in kept.chain:
            session = chain_edits.add_station(session, strip_id, station)
    return session
