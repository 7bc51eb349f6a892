"""What may stand in a row: lanes, and in the later stages buses, folder groups and the mix."""

from dataclasses import dataclass

from all_even.session.model import MIX, Bus, FolderGroup, Lane, Session


@dataclass(frozen=True, slots=True)
class MixEntry:
    """The mix bus as a row; it has no fader but its trim."""

    level_db: float
    id: str = MIX
    name: str = "Mix"
    role: str = "mix bus"
    hidden: bool = False


Entry = Lane | Bus | FolderGroup | MixEntry


def entries(session: Session, stage: str) -> list[Entry]:
    """The rows of a stage, in order."""
    found: list[Entry] = list(session.lanes)
    if stage in ("balance", "buses"):
        found += [*session.buses, *session.folder_groups]
    if stage == "buses":
        found.append(MixEntry(session.mix.trim_db))
    return found


def entry(session: Session, entry_id: str) -> Entry:
    """One row by id; KeyError where there is none."""
    return MixEntry(session.mix.trim_db) if entry_id == MIX else session.member(entry_id)  # type: ignore[return-value]
