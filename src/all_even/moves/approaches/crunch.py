"""Crunch: a copy of the drums, driven and crushed, under the dry ones; its release by the beat.

Post-fader copies go to a bus: tape-like saturation, then 8:1 at once, back just before the next hit. It is raised until
it lies 14 dB under the dry drums, where the body of their hits comes up by about 1 dB.
"""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.book.look import Look
from all_even.measure.dynamics import side_effects
from all_even.measure.dynamics.movement import part_of
from all_even.moves.approaches.punch import release_ms
from all_even.moves.approaches.trial import Draft, on_trial
from all_even.moves.buses.tracks import bus_named, has_parallel_copy, ids, of_family, present
from all_even.moves.dynamics.gentle import at_gain, stretch
from all_even.moves.dynamics.parallel import FEWEST_HITS, METRIC, dry_sum, hits_among
from all_even.moves.dynamics.trying import through
from all_even.moves.kind import value_of
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

NAME = "Drums crunch"
DRIVE_OVER_DB, TAKES_DB, UNDER_LU = 12.0, 12.0, 14.0
CRUSH = Compressor(ratio=8.0, knee_db=6.0, attack_ms=1.0)


def _stations(drive_db: float, threshold_db: float, release: float) -> tuple[Saturation, Compressor]:
    return (Saturation(curve="tape", drive_db=drive_db), replace(CRUSH, threshold_db=threshold_db, release_ms=release))


def _drafts(look: Look) -> Iterator[Draft]:
    drums = of_family(look.session, "drums")
    if len(drums) < 2 or bus_named(look.session, NAME) is not None or any(
        has_parallel_copy(look.session, lane) for lane in drums
    ):  # fmt: skip
        return
    dry, hits = dry_sum(look, look.session, drums), hits_among(look, drums)
    if dry.lufs is None or len(hits) < FEWEST_HITS:
        return
    loud = float(np.percentile(np.abs(dry.samples), 99.0))
    drive_db = float(np.clip(round(DRIVE_OVER_DB - 20.0 * np.log10(max(loud, 1e-6)), 1), 0.0, 48.0))
    back = release_ms(hits)
    driven, _ = through(dry, _stations(drive_db, 0.0, back)[:1])
    held = at_gain(stretch(part_of(driven, hits, is_sum=True)), replace(CRUSH, release_ms=back), TAKES_DB)
    copy, _ = through(driven, (held,))
    if copy.lufs is None:
        return
    level_db = LEVEL.clamped(round(dry.lufs - UNDER_LU - copy.lufs, 1))
    rise = side_effects.noise_rise_db(dry.power, copy.power)
    yield Draft(
        ids(drums), "A crunchy copy under the drums",
        f"Tape-like drive of {number(drive_db)} dB, then 8:1 from {number(held.threshold_db)} dB on, release "
        f"{number(back, 0)} ms: back before the next hit. {number(UNDER_LU, 0)} LU under the dry drums."
        + (f" In the copy itself quiet sound comes up by {number(rise)} dB." if rise is not None else ""),
        {"drive_db": drive_db, "threshold_db": held.threshold_db, "release_ms": back, "level_db": level_db},
        arguments={"bus": NAME}, evidence={"noise_rise_db": rise},
    )  # fmt: skip


def _edit(session: Session, move: Proposal) -> Session:
    session, bus = routing_edits.add_bus(session, NAME, "parallel")
    session = routing_edits.set_send(session, present(session, move.targets), bus)
    p = {name: value_of(move, name) for name in ("drive_db", "threshold_db", "release_ms", "level_db")}
    for station in _stations(p["drive_db"], p["threshold_db"], p["release_ms"]):
        session = chain_edits.add_station(session, bus, station)
    return edits.change_strips(session, [bus], level_db=p["level_db"])


KIND = on_trial("dynamics.crunch", "crunch", METRIC, _drafts, _edit, parameters={"level_db": LEVEL}, weight=1.3,
                before=0.0)  # fmt: skip
