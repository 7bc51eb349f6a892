"""How loud each lane arrives, and what flows into each sum, for the pictures: worked out off the interface thread.

While something is being worked out anew the old figure stays on the screen; it is never blank. What has not changed
is not worked out again: each figure is kept with the values it was made of.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Protocol

from all_even.app.work import Report
from all_even.errors import Cancelled
from all_even.session.model import routing
from all_even.session.model.session import Session
from all_even.session.model.strips import Bus, Lane

if TYPE_CHECKING:
    from all_even.app.desk.state import DeskState
    from all_even.figures.arriving.arrival import Arrival
    from all_even.figures.book.flow import Contribution, Flow
    from all_even.measure.recording.files import FileReport

Key = tuple[Any, ...]


class Measured(Protocol):
    """What pictures of what arrives rest on: measured files by lane id, and levels on the way."""

    @property
    def reports(self) -> "Mapping[str, FileReport]": ...
    @property
    def flow(self) -> "Flow | None": ...


class Arrivals:
    """arrivals: by id of lanes and buses. contributions: what each open edge gives to its target, with its changes."""

    def __init__(self, desk: "DeskState", measured: Measured) -> None:
        self._desk, self._measured = desk, measured
        self._arrivals: dict[str, tuple[Key, Arrival]] = {}
        self._sums: dict[str, tuple[Key, list[Contribution]]] = {}
        self._together: dict[tuple[str, ...], tuple[list[Arrival], Arrival | None]] = {}
        self._again = False

    def of(self, lane_id: str) -> "Arrival | None":
        """A lane's or bus', as it was worked out last."""
        known = self._arrivals.get(lane_id)
        return known[1] if known is not None else None

    def together(self, lane_ids: list[str]) -> "Arrival | None":
        """Several lanes as one, of what is known of each; worked out anew where one of them is."""
        known = [item for item in map(self.of, lane_ids) if item is not None]
        if not known:
            return None
        key = tuple(lane_ids)
        before = self._together.get(key)
        if before is None or not _same(tuple(before[0]), tuple(known)):
            from all_even.figures.arriving.arrival import together

            before = self._together[key] = (known, together(known))
        return before[1]

    def into(self, target: str) -> "list[Contribution]":
        """What flows into a bus or the mix, as it was worked out last."""
        known = self._sums.get(target)
        return known[1] if known is not None else []

    def by_edge(self) -> "dict[routing.Edge, Contribution]":
        return {item.edge: item for _, found in self._sums.values() for item in found}

    def clear(self) -> None:
        self._arrivals.clear()
        self._sums.clear()
        self._together.clear()
        self._again = False

    def renew(self) -> None:
        """Works out what changed. While that runs the next one waits, so that a long drag is followed."""
        desk = self._desk
        if not desk.is_open:
            return
        if desk.work.busy("arrivals"):
            self._again = True
            return
        self._again = False
        session, flow = desk.session, self._measured.flow
        reports = dict(self._measured.reports)
        selected = set(desk.selected)
        lanes = sorted(session.lanes, key=lambda lane: (lane.id not in selected, lane.hidden))
        known_arrivals, known_sums = dict(self._arrivals), dict(self._sums)

        def job(report: Report) -> None:
            from all_even.figures.arriving.arrival import arrival
            from all_even.figures.book.flow import contributions

            found: dict[str, tuple[Key, Arrival]] = {}
            for lane in lanes:
                measures = reports[lane.id].measures if lane.id in reports else None
                if measures is None:
                    continue
                key = _lane_key(session, lane, measures, flow)
                known = known_arrivals.get(lane.id)
                if known is None or not _same(known[0], key):
                    found[lane.id] = (key, arrival(session, lane, measures, flow))
                if len(found) % 8 == 1 or lane.id in selected:
                    report.send(("arrivals", found))
                    found = {}
                if report.cancelled.is_set():
                    raise Cancelled
            for bus in session.buses:
                key = _lane_key(session, bus, None, flow)
                known = known_arrivals.get(bus.id)
                if flow is not None and flow.strip(session, bus.id) and (known is None or not _same(known[0], key)):
                    found[bus.id] = (key, arrival(session, bus, None, flow))
            report.send(("arrivals", found))
            measured = {lane_id: item.measures for lane_id, item in reports.items() if item.measures is not None}
            for target, key in _sum_keys(session, measured, flow).items():
                known_sum = known_sums.get(target)
                if known_sum is None or not _same(known_sum[0], key):
                    report.send(("sums", {target: (key, contributions(session, target, measured, flow))}))
                if report.cancelled.is_set():
                    raise Cancelled

        def partial(part: tuple[str, dict[str, Any]]) -> None:
            name, found = part
            if found:
                (self._arrivals if name == "arrivals" else self._sums).update(found)
                desk.arrivals_changed.emit()

        def done(_none: None) -> None:
            if self._again:
                self.renew()

        desk.start("arrivals", job, done, partial, line="quick")


def _same(known: Key, key: Key) -> bool:
    return len(known) == len(key) and all(a is b or a == b for a, b in zip(known, key, strict=True))


def _lane_key(session: Session, lane: Lane | Bus, measures: object, flow: "Flow | None") -> Key:
    own = not isinstance(lane, Lane) or bool(lane.chain)
    measured = flow.strips.get(lane.id) if flow is not None and own else None
    return (
        (lane.level_db, lane.pan, lane.polarity_inverted, lane.destination, lane.group, lane.automation,
         lane.start_s if isinstance(lane, Lane) else 0.0),
        lane.chain, session.buses, session.folder_groups, session.mix.trim_db, session.pan_law,
        id(measures), id(measured),
    )  # fmt: skip


def _sum_keys(session: Session, measured: dict[str, Any], flow: "Flow | None") -> dict[str, Key]:
    """What the contributions to each bus and the mix are made of."""
    opened = routing.hearing(session).open_edges
    found: dict[str, list[Any]] = {}
    for edge in routing.edges(session):
        if edge.kind != "key" and edge in opened:
            strip = session.strip(edge.source)
            known = flow.strips.get(edge.source) if flow is not None else None
            found.setdefault(edge.target, []).extend(
                (edge, strip.level_db, strip.pan, strip.polarity_inverted, strip.group, strip.automation, strip.chain,
                 strip.sends if edge.kind == "send" else (), id(measured.get(edge.source)), id(known))
            )  # fmt: skip
    targets = {bus.id for bus in session.buses} | {"mix"}
    return {
        target: (
            *found.get(target, []), session.folder_groups, session.pan_law,
            id(flow.strips.get(target)) if flow is not None else 0,
        )
        for target in targets
    }  # fmt: skip
