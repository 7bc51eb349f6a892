"""Harmonics for what vanishes on small speakers: from its lows, on a parallel bus, returned only where they play.

Lows up to 200 Hz, driven by 30 dB on an uneven curve, high-passed at 500 Hz (fourth order), from 18 dB under the
source up until it is there again, else as far as it pays. An inserted saturation does not do it (tried: the bass fell
from -15 to -16); parallel does, and costs some of the lows' share in a club: phone and club are both shown, and where
the fader would have to go down by more than 2 dB it is not offered. By trial: the bus is rendered once, its level is
arithmetic.
"""

import numpy as np

from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.arriving import spectra
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import Translation, translation
from all_even.measure.sharing.scene import loudness_weights
from all_even.moves.buses.tracks import free_bus_name, has_parallel_copy, present
from all_even.moves.check.figures import DEPENDS_ON, LEFT, SMALL, Bands, Outcome, chosen, lost, outcome
from all_even.moves.kind import Kind, name_of, value_of
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

LOW_HZ, HIGH_HZ, DRIVE_DB = 200.0, 500.0, 30.0
BACK_DB = 20.0
"""What is driven so hard comes out as much softer; most of it is given back behind the curve."""
STEPS_DB = tuple(range(-18, 1, 2))
"""Of the return against the source, both as loud as they are heard."""
WEIGHT = 2.5


def _made(session: Session, lane_id: str, name: str, level_db: float, fader_db: float = 0.0) -> tuple[Session, str]:
    """level_db: of the bus. fader_db: by which the source's fader will move: the send makes up for it, so that the
    curve is driven as it was tried, and the bus follows behind it."""
    session, bus = routing_edits.add_bus(session, name, "parallel")
    session = routing_edits.set_send(session, present(session, [lane_id]), bus, level_db=-fader_db)
    for station in (
        LowPass(frequency_hz=LOW_HZ, slope=24),
        Saturation(curve="uneven", drive_db=DRIVE_DB, low_cut_hz=0.0, output_db=BACK_DB),
        HighPass(frequency_hz=HIGH_HZ, slope=24),
    ):
        session = chain_edits.add_station(session, bus, station)
    return edits.change_strips(session, [bus], level_db=LEVEL.clamped(level_db + fader_db)), bus


def returned(look: Look, found: Translation, place: int) -> tuple[Bands, float] | None:
    """(frames, bands) power of the return with its fader at 0, and how loud that is against the source, dB; None where
    nothing comes back."""
    unit = found.units[place]
    trial, bus = _made(look.session, unit.id, "trial", 0.0)
    power = spectra.powers_of(look.at(trial), bus)
    if power is None:
        return None
    row = found.row(power)
    playing, weights = found.stage.playing[place], loudness_weights(look.session.sample_rate)
    own, back = (float((part[playing] @ weights).sum()) for part in (found.stage.both[place], row))
    return (row, float(10.0 * np.log10(back / own))) if own > 0.0 and back > 0.0 else None


def _tried(look: Look, place: int, back: Bands, level_db: float) -> Outcome:
    added = back * np.float32(10.0 ** (level_db / 10.0))
    stage = translation(look).stage
    return outcome(look, place, stage.both[place] + added, stage.middle[place] + added)


def propose(look: Look) -> list[Proposal]:
    found, made = translation(look), []
    for place, key in lost(look, SMALL):
        unit = found.units[place]
        back = None if has_parallel_copy(look.session, unit.head) else returned(look, found, place)
        if back is None:
            continue
        row, under_db = back
        levels = [(float(step), round(float(step) - under_db, 1)) for step in STEPS_DB]
        tries = ((one, _tried(look, place, row, one[1])) for one in levels if one[1] <= LEVEL.high)
        better = chosen(tries, key)
        if better is not None:
            made.append(_proposal(look, found, place, key, *better[0], better[1]))
    return made


def _proposal(
    look: Look, found: Translation, place: int, key: str, under_db: float, level_db: float, result: Outcome
) -> Proposal:
    unit = found.units[place]
    return KIND.move(
        targets=tuple(lane.id for lane in unit.lanes), of=unit.id,
        title=f"{unit.name} on a {systems.system(key).name.lower()}: harmonics, {number(-under_db, 0)} dB under it",
        reason=f"It vanishes there. {result.words(key)} Its lows are driven on a bus of their own; only what "
        f"is over {HIGH_HZ:.0f} Hz comes back. Mute the bus and all is as it was.",
        parameters={"level_db": level_db, "fader_db": result.kept_db,
                    "name": (free_bus_name(look.session, f"{unit.head.name} harmonics"),)},
        evidence=result.evidence(key), metric=LEFT, arguments={"lane": unit.id, "system": key},
        before=float(result.before[systems.KEYS.index(key)]), expected=float(result.after[systems.KEYS.index(key)]),
        source="trial", weight=WEIGHT,
    )  # fmt: skip


def _edit(session: Session, proposal: Proposal) -> Session:
    fader_db = value_of(proposal, "fader_db")
    session, _ = _made(session, proposal.targets[0], name_of(proposal), value_of(proposal, "level_db"), fader_db)
    return edits.nudge_levels(session, proposal.targets, fader_db)


KIND = Kind("check.harmonics", (*DEPENDS_ON, "names"), propose, _edit)
