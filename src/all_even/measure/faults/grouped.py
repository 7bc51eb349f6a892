"""Findings of many files together: one group a kind, worst first; what is true of most files is said once.

A folder cut out of a longer recording begins and ends in the middle of a sound in nearly every file. That is no
fault of each file but a fact about all of them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from all_even.measure.faults.findings import Finding

WORST_FIRST = (
    "unreadable", "truncated", "dead_channel", "inverted_channel", "clipped", "dropout", "not_finite", "hum",
    "cut_start", "cut_end", "dc_offset",
)  # fmt: skip
"""Common practice: first what can't be used at all, last what hardly matters."""
CUT = frozenset({"cut_start", "cut_end"})
WORDS = {
    "unreadable": "can't be read",
    "truncated": "cut short",
    "dead_channel": "one side is dead",
    "inverted_channel": "one side polarity inverted",
    "clipped": "clipped",
    "dropout": "drop out",
    "not_finite": "samples that are no numbers",
    "hum": "mains hum",
    "cut_start": "begin in the middle of a sound",
    "cut_end": "end in the middle of a sound",
    "dc_offset": "DC offset",
}


@dataclass(frozen=True, slots=True)
class Group:
    """Faults of one kind. lanes: whose, with the finding; the largest first where they have a size."""

    kind: str
    text: str
    lanes: tuple[tuple[str, Finding], ...]


@dataclass(frozen=True, slots=True)
class Grouped:
    """groups: faults, worst first. excerpt: a sentence where most files are cut out of something longer, else empty;
    their cut ends are then in no group."""

    groups: tuple[Group, ...]
    excerpt: str

    @property
    def count(self) -> int:
        return sum(len(group.lanes) for group in self.groups)


def grouped(found: Mapping[str, Sequence[Finding]]) -> Grouped:
    """found: all findings by lane id, of files that were looked at, in the order of lanes."""
    faults = [(lane, item) for lane, items in found.items() for item in items if item.severity == "fault"]
    cut = {lane for lane, item in faults if item.kind in CUT}
    excerpt = ""
    if len(cut) > 1 and 2 * len(cut) > len(found):
        excerpt = (
            f"{len(cut)} of {len(found)} files begin or end in the middle of a sound, without a fade: "
            "this is an excerpt of something longer."
        )
        faults = [(lane, item) for lane, item in faults if item.kind not in CUT]
    kinds = sorted({item.kind for _, item in faults}, key=_rank)
    groups = []
    for kind in kinds:
        own = [(lane, item) for lane, item in faults if item.kind == kind]
        own.sort(key=lambda pair: -abs(pair[1].size or 0.0) if kind in ("clipped", "dropout", "dc_offset") else 0.0)
        groups.append(Group(kind, WORDS.get(kind, kind.replace("_", " ")), tuple(own)))
    return Grouped(tuple(groups), excerpt)


def _rank(kind: str) -> int:
    return WORST_FIRST.index(kind) if kind in WORST_FIRST else len(WORST_FIRST)
