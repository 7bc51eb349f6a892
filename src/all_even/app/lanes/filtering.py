"""Which rows a typed filter shows: by name, file, role, family, group, finding, state or figure; all its terms have to
fit.

    drums              any word that stands in its name, file, role, family, groups, findings or state
    in:Guitars         of a group whose name begins so: folder or bus, at any depth
    masked>80          a figure over or under a number: masked (%), loudness (LUFS), level (dB)
    no role            what has no role yet
"""

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from all_even.app.lanes.rows import Row
from all_even.session.model import routing
from all_even.session.model.strips import Lane, Strip
from all_even.session.tracks.roles import family_of

if TYPE_CHECKING:
    from all_even.app.desk import Desk

STATES = {"muted": "mute", "soloed": "solo", "hidden": "hidden", "inverted": "polarity_inverted"}
FIGURE = re.compile(r"(masked|hidden|loudness|level)\s*([<>])\s*([-−]?\d+(?:[.,]\d+)?)")
GROUP = re.compile(r'in:\s*(?:"([^"]*)"|(\S+))')
NO_ROLE = re.compile(r"\bno role\b")
UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Bound:
    """figure: masked, loudness or level. over: whether it has to be over the number, else under it."""

    figure: str
    over: bool
    number: float


@dataclass(frozen=True, slots=True)
class Terms:
    """What was typed, taken apart."""

    words: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    bounds: tuple[Bound, ...] = ()
    no_role: bool = False


def terms(text: str) -> Terms:
    """Reads what was typed."""
    left = text.lower()
    bounds = tuple(
        Bound(
            "masked" if name == "hidden" else name, sign == ">", float(number.replace("−", "-").replace(",", "."))
        )
        for name, sign, number in FIGURE.findall(left)
    )  # fmt: skip
    left = FIGURE.sub(" ", left)
    groups = tuple(quoted or plain for quoted, plain in GROUP.findall(left))
    left = GROUP.sub(" ", left)
    no_role = NO_ROLE.search(left) is not None
    return Terms(tuple(NO_ROLE.sub(" ", left).split()), groups, bounds, no_role)


class Filter:
    """A filter as it was typed, on the desk's session."""

    def __init__(self, text: str, desk: "Desk") -> None:
        self._terms = terms(text)
        self._empty = not text.strip()
        self._desk = desk

    def fits(self, row: Row) -> bool:
        if self._empty:
            return True
        wanted = self._terms
        if wanted.no_role and not (isinstance(row.lane, Lane) and row.lane.role == UNKNOWN):
            return False
        groups = self._groups(row) if wanted.words or wanted.groups else []
        if not all(any(name.startswith(group) for name in groups) for group in wanted.groups):
            return False
        known = " ".join((words_of(row), *groups)) if wanted.words else ""
        return all(word in known for word in wanted.words) and all(self._holds(row, item) for item in wanted.bounds)

    def _groups(self, row: Row) -> list[str]:
        """Names of the groups it is in, small letters."""
        session, lane = self._desk.session, row.lane
        if not isinstance(lane, Strip):
            return []
        above = [bus.name for bus in routing.buses_behind(session, lane)]
        return [name.lower() for name in (*above, *(folder.name for folder in routing.folders_above(session, lane)))]

    def _holds(self, row: Row, bound: Bound) -> bool:
        found = self._figure(row, bound.figure)
        return found is not None and (found > bound.number if bound.over else found < bound.number)

    def _figure(self, row: Row, name: str) -> float | None:
        if name == "level":
            return row.lane.level_db
        if name == "loudness":
            return row.arrival.integrated_lufs if row.arrival is not None else None
        from all_even.app.stages.share.shown import Shown

        shown = self._desk.shared(Shown)
        shown.refresh()
        share = shown.share_of(row.lane.id)
        return None if share is None else 100.0 * share


def words_of(row: Row) -> str:
    """All that a row by itself can be found by, in small letters."""
    lane = row.lane
    found = [lane.name, lane.role, family_of(lane.role)]
    if isinstance(lane, Lane):
        found.append(lane.file)
        if lane.alternative is not None:
            found.append("candidate alternative alternate take")
    found += [word for word, field in STATES.items() if getattr(lane, field, False)]
    for finding in row.findings:
        found += [finding.kind.replace("_", " "), finding.label, finding.severity]
    return " ".join(found).lower()
