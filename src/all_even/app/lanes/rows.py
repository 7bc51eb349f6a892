"""What each row of the lanes shows: made from the session and from what is measured, never worked out here."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from all_even import stages
from all_even.app.desk import Desk
from all_even.app.lanes.entries import Entry, entries
from all_even.session.model import routing
from all_even.session.model.strips import Bus, Lane
from all_even.session.tracks.roles import is_held

if TYPE_CHECKING:
    from all_even.figures.arriving.arrival import Arrival
    from all_even.measure.faults.findings import Finding
    from all_even.measure.recording.files import FileReport


@dataclass(slots=True)
class Row:
    """report, arrival: None until measured; an arrival may be that of a moment ago. contribution_lu: the lane's
    loudness less that of the last measured mix. song_s: length of the whole song, to which waveforms are drawn.
    anchored: starting points place the others around this lane. depth: of how many heads it is under. members: of a
    head, the tracks below it; folded: whether they are not shown.
    """

    lane: Entry
    report: "FileReport | None"
    arrival: "Arrival | None"
    findings: "tuple[Finding, ...]"
    contribution_lu: float | None
    heard: bool
    song_s: float
    anchored: bool = False
    depth: int = 0
    members: "tuple[Row, ...]" = ()
    folded: bool = False

    @property
    def indent(self) -> float:
        """How far in its head stands, in steps; a row that can be folded leaves room for its triangle."""
        return self.depth + (0.8 if self.members else 0.0)


class Rows:
    """Makes the rows of the desk's stage; what was found in a file is kept."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._findings: dict[str, tuple[FileReport, str, tuple[Finding, ...]]] = {}

    def make(self, show_hidden: bool) -> list[Row]:
        desk = self._desk
        session, mix, song_s = desk.session, desk.mix, desk.song_s()
        sounding = routing.hearing(session).sounding
        mix_lufs = mix.integrated_lufs if mix is not None else None
        excerpt = bool(desk.reports) and bool(desk.figures.findings().excerpt)
        found = []
        for item in entries(session, stages.stage(desk.stage).rows):
            if item.hidden and not show_hidden:
                continue
            if not isinstance(item, Lane):
                found.append(Row(item, None, None, (), None, not isinstance(item, Bus) or item.id in sounding, song_s))
                continue
            arrival = desk.figures.arrivals.of(item.id)
            own = arrival.integrated_lufs if arrival is not None else None
            contribution = own - mix_lufs if own is not None and mix_lufs is not None else None
            report = desk.report(item.id)
            row = Row(
                item,
                report,
                arrival,
                self.findings(item.id, item.role, excerpt),
                contribution,
                item.id in sounding,
                song_s,
                item.id == session.anchor,
            )
            found.append(row)
        return found

    def head(self, item: Entry, members: tuple[Row, ...]) -> Row:
        """The row over others: their sum. What is worst of their findings comes first."""
        desk = self._desk
        arrival = desk.figures.arrivals.of(item.id) or desk.figures.arrivals.together(
            [row.lane.id for row in members if row.heard]
        )
        mix = desk.mix
        own, whole = (arrival.integrated_lufs if arrival else None), (mix.integrated_lufs if mix else None)
        findings = sorted(
            {(finding.kind, finding.label, finding.severity): finding for row in members for finding in row.findings}
            .values(),
            key=lambda finding: finding.severity != "fault",
        )  # fmt: skip
        return Row(
            item, None, arrival, tuple(findings), own - whole if own is not None and whole is not None else None,
            any(row.heard for row in members), max((row.song_s for row in members), default=0.0),
        )  # fmt: skip

    def findings(self, lane_id: str, role: str, excerpt: bool) -> "tuple[Finding, ...]":
        """What is wrong with a lane's file, as far as it is measured; of an excerpt cut ends are no news."""
        report = self._desk.report(lane_id)
        if report is None:
            return self._desk.figures.first_looks.get(lane_id, ())
        known = self._findings.get(lane_id)
        if known is None or known[0] is not report or known[1] != role:
            from all_even.measure.faults.findings import findings

            known = self._findings[lane_id] = (report, role, findings(report, held=is_held(role)))
        if not excerpt:
            return known[2]
        from all_even.measure.faults.grouped import CUT

        return tuple(finding for finding in known[2] if finding.kind not in CUT)

    def forget(self) -> None:
        self._findings.clear()
