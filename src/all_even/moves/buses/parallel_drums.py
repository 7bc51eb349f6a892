"""Parallel drums: a crushed copy of the drums under the dry ones."""

import numpy as np
from msgspec.structs import replace

from all_even.dsp.compressor import Compressor
from all_even.dsp.parameter import LEVEL, number
from all_even.engine import flow as flows
from all_even.engine.figures.look import Look
from all_even.measure.level import loudness
from all_even.moves.buses.tracks import bus_named, has_parallel_copy, ids, of_family, present
from all_even.moves.kind import Kind
from all_even.moves.metric import Arguments, Metric
from all_even.session import chain_edits, edits, routing, routing_edits
from all_even.session.model import Proposal, Session

NAME = "Drums crushed"
UNKNOWN_DB = -20.0
"""The level of a copy that could not be tried out."""


def propose(look: Look) -> list[Proposal]:
    session, drums = look.session, of_family(look.session, "drums")
    under_lu = session.settings.parallel_under_lu
    if len(drums) < 2 or any(has_parallel_copy(session, lane) for lane in drums):
        return []
    if bus_named(session, NAME) is not None:
        return []
    return [
        Proposal(
            id=KIND.id,
            kind=KIND.id,
            stage="buses",
            targets=ids(drums),
            title="Parallel drums: a crushed copy under the dry ones",
            reason="Drums that stay small however loud get their body from a copy that is compressed far too much and "
            f"kept some {number(under_lu, 0)} LU under the dry sound. It is sent after fader and pan, so the copy "
            "is the same mix of drums; peaks hardly rise. Mute the bus to compare.",
            evidence={"drum_tracks": len(drums), "aim_under_dry_lu": under_lu},
            metric=METRIC.id,
            arguments={"bus": NAME},
            expected=-under_lu,
            tolerance=METRIC.tolerance,
            source="trial",
            weight=6.0,
        )
    ]


def prepare(look: Look, proposal: Proposal) -> Proposal:
    trial = look.at(edit(look.session, replace(proposal, parameters={"level_db": 0.0})))
    under = under_dry_lu(trial, {"bus": NAME})
    level_db = UNKNOWN_DB if under is None else -look.session.settings.parallel_under_lu - under
    return replace(proposal, parameters={"level_db": LEVEL.clamped(level_db)})


def edit(session: Session, proposal: Proposal) -> Session:
    session, bus = routing_edits.add_bus(session, NAME, "parallel")
    session = routing_edits.set_send(session, present(session, proposal.targets), bus)
    crush = Compressor(threshold_db=-40.0, ratio=12.0, knee_db=6.0, attack_ms=0.5, release_ms=80.0)
    session = chain_edits.add_station(session, bus, crush)
    level_db = proposal.parameters.get("level_db", UNKNOWN_DB)
    return edits.change_strips(session, [bus], level_db=float(level_db))  # type: ignore[arg-type]


def changed(proposal: Proposal) -> Proposal:
    """Another level of the copy is another distance: it is not known before it is tried."""
    return replace(proposal, expected=None)


def under_dry_lu(look: Look, arguments: Arguments) -> float | None:
    """Loudness of a parallel bus behind its fader against the sends' sources behind theirs."""
    session = look.session
    strip = bus_named(session, str(arguments["bus"]))
    flow = look.flow
    copied = flow.strip(session, strip.id) if flow is not None and strip is not None else None
    if strip is None or copied is None:
        return None
    out = flows.feed_energy(session, strip, routing.Edge(strip.id, strip.destination, "destination"), copied.weighted)
    dry = np.zeros((0, 2))
    for source in routing.senders(session, strip.id):
        energy = flows.energy_at_fader(session, source, look.measures(source.id), flow)
        if energy is None:
            continue
        energy = flows.feed_energy(session, source, routing.Edge(source.id, source.destination, "destination"), energy)
        longer, shorter = (energy, dry) if len(energy) > len(dry) else (dry, energy)
        dry = longer.copy()
        dry[: len(shorter)] += shorter
    copy_lufs, dry_lufs = loudness.integrated_lufs(out), loudness.integrated_lufs(dry)
    return copy_lufs - dry_lufs if copy_lufs is not None and dry_lufs is not None else None


KIND = Kind(
    "buses.parallel-drums", ("order", "names", "routing", "levels", "strips", "settings"), propose, edit, prepare,
    parameters={"level_db": LEVEL}, changed=changed,
)  # fmt: skip
METRIC = Metric(
    "under-dry", "crushed copy against the dry drums", "LU", 1, 0.5, ("strips", "levels", "routing", "files"),
    under_dry_lu,
)  # fmt: skip
