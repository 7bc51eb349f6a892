"""Colour: saturation in five voicings at equal loudness, on all tracks each with its own drive, or on a group.

Odd harmonics, tighter odd ones, even ones, hard, tape-like (`dsp.tone.saturation`): each is a card, so that they can be
heard one after the other. The drive goes by the track's own level: its loud moments pass the curve's bend by as much
on each. How much is added is what no short filter of the sound explains. What it does besides (quiet sound that comes
up) is told as for a compressor.
"""

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray

from all_even import texts
from all_even.dsp.parameter import Parameter, number
from all_even.dsp.tone.saturation import CURVES, Curve, Saturation
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import strip_samples, strip_signal
from all_even.measure.dynamics import side_effects
from all_even.measure.dynamics.signal import Signal
from all_even.moves.approaches.single_track import loud_as
from all_even.moves.approaches.trial import Draft, added, on_trial
from all_even.moves.dynamics.glue import placed
from all_even.moves.dynamics.trying import through
from all_even.moves.kind import per_strip
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import takes_part

WORDS: dict[Curve, str] = {
    "round": "odd harmonics, round", "firm": "odd harmonics, firm", "uneven": "even harmonics", "hard": "hard",
    "tape": "tape-like",
}  # fmt: skip
OVER_DB = {"all": 0.0, "group": 3.0}
"""By how much loud moments pass the bend of the curve: gently where all tracks are coloured."""
PERCENTILE = 99.0
CLEAN_DB = -60.0
TAPS = 9
DRIVE = Parameter("Drive", "dB", 0.0, 48.0, 6.0, 0.5)


def station(signal: Signal, curve: Curve, over_db: float) -> Saturation:
    """A voicing driven by a sound's own level, as loud as the sound."""
    loud = float(np.percentile(np.abs(signal.samples), PERCENTILE))
    drive_db = DRIVE.clamped(round(over_db - 20.0 * float(np.log10(max(loud, 1e-6))), 1))
    return loud_as(signal, signal, Saturation(curve=curve, drive_db=drive_db))


def added_db(before: NDArray[np.floating], after: NDArray[np.floating]) -> float:
    """What no short filter explains of a version of a sound, dB of it; at least -60. Both (frames,).

    The filter of nine taps that fits best takes scaling and a slightly other bandwidth out of it."""
    one, other = (np.asarray(side, dtype=np.float64) for side in (before, after))
    whole = float(other @ other)
    if whole <= 0.0:
        return CLEAN_DB
    late = np.stack([np.roll(one, shift) for shift in range(-TAPS // 2 + 1, TAPS // 2 + 1)])
    taps = np.linalg.lstsq(late @ late.T, late @ other, rcond=None)[0]
    rest = other - taps @ late
    return max(CLEAN_DB, 10.0 * float(np.log10(max(float(rest @ rest) / whole, 1e-9))))


def _added(look: Look, arguments: Arguments) -> float | None:
    """Of the saturations of one strip, or the mean of all that have one; None where none has."""
    session, wanted = look.session, arguments.get("strip")
    found = []
    for strip in session.strips:
        colours = [item for item in strip.chain if isinstance(item, Saturation) and not item.bypass]
        if (wanted is not None and strip.id != wanted) or not colours:
            continue
        if look.book.fingerprints(session).strips.get(strip.id) is None:
            continue
        plain = session
        for item in colours:
            plain = chain_edits.change_station(plain, strip.id, item.id, bypass=True)
        before, after = (strip_samples(look, one, strip.id) for one in (plain, session))
        count = min(len(before), len(after))
        found.append(added_db(before[:count, 0], after[:count, 0]))
    return float(np.mean(found)) if found else None


ADDED = Metric("harmonics-added", "harmonics added, of the sound", "dB", 1, 1.0, ("strips", "files"), _added)


def _rises(signal: Signal, made: Saturation) -> float | None:
    return side_effects.noise_rise_db(signal.power, through(signal, (made,))[0].power)


def _on_all(look: Look, curve: Curve) -> Iterator[Draft]:
    session = look.session
    drives, outputs, rises = {}, {}, []
    for lane in session.lanes:
        if lane.hidden or not takes_part(lane.role) or not routing.is_sounding(session, lane):
            continue
        if any(isinstance(item, Saturation) for item in lane.chain) or look.measures(lane.id) is None:
            continue
        look.stop_if_cancelled()
        signal = strip_signal(look, session, lane.id)
        if signal.lufs is None:
            continue
        made = station(signal, curve, OVER_DB["all"])
        drives[lane.id], outputs[lane.id] = made.drive_db, made.output_db
        rise = _rises(signal, made)
        rises += [] if rise is None else [rise]
    if len(drives) > 1:
        noise = f" Quiet sound comes up by {number(float(np.median(rises)))} dB." if rises else ""
        yield Draft(
            tuple(drives), f"Colour on all {len(drives)} tracks: {WORDS[curve]}",
            f"Each driven by its own level, from {number(min(drives.values()))} to {number(max(drives.values()))} dB, "
            f"and as loud as before.{noise} Single tracks can be left out.",
            {"drive_db": drives, "output_db": outputs},
        )  # fmt: skip


def _edit_all(session: Session, move: Proposal, curve: Curve) -> Session:
    outputs = per_strip(move, "output_db")
    known = {lane.id for lane in session.lanes}
    for lane_id, drive_db in per_strip(move, "drive_db").items():
        if lane_id in known:
            made = Saturation(curve=curve, drive_db=drive_db, output_db=outputs[lane_id])
            session = added(session, (lane_id,), (made,))
    return session


def _parts(session: Session, move: Proposal) -> list[tuple[str, str]]:
    return [(lane_id, session.strip_name(lane_id)) for lane_id in move.targets
            if lane_id in {strip.id for strip in session.strips}]  # fmt: skip


def _on_groups(look: Look, curve: Curve) -> Iterator[Draft]:
    session = look.session
    drives, outputs, rises = {}, {}, []
    for bus in session.buses:
        if bus.use != "group" or any(isinstance(item, Saturation) for item in bus.chain):
            continue
        if look.book.fingerprints(session).strips.get(bus.id) is None:
            continue
        look.stop_if_cancelled()
        signal = strip_signal(look, session, bus.id)
        if signal.lufs is not None:
            made = station(signal, curve, OVER_DB["group"])
            drives[bus.id], outputs[bus.id] = made.drive_db, made.output_db
            rise = _rises(signal, made)
            rises += [] if rise is None else [rise]
    if drives:
        noise = f" Quiet sound comes up by {number(float(np.median(rises)))} dB." if rises else ""
        yield Draft(
            tuple(drives), f"Colour on {texts.count(len(drives), 'group')}: {WORDS[curve]}",
            f"Each driven by its own level, as loud as before.{noise} Single groups can be left out.",
            {"drive_db": drives, "output_db": outputs},
        )  # fmt: skip


def _edit_groups(session: Session, move: Proposal, curve: Curve) -> Session:
    outputs = per_strip(move, "output_db")
    known = {bus.id for bus in session.buses}
    for bus_id, drive_db in per_strip(move, "drive_db").items():
        if bus_id in known:
            session = placed(session, bus_id, Saturation(curve=curve, drive_db=drive_db, output_db=outputs[bus_id]))
    return session


def _for(curve: Curve, edit: Callable[[Session, Proposal, Curve], Session]) -> Callable[[Session, Proposal], Session]:
    return lambda session, move: edit(session, move, curve)


ALL = tuple(
    on_trial(f"dynamics.colour-{curve}", "colour", ADDED, partial(_on_all, curve=curve), _for(curve, _edit_all),
             parts=_parts, weight=0.9,
             before=CLEAN_DB)
    for curve in CURVES
)  # fmt: skip
GROUPS = tuple(
    on_trial(f"dynamics.colour-group-{curve}", "colour", ADDED, partial(_on_groups, curve=curve),
             _for(curve, _edit_groups), parts=_parts, weight=0.8,
             before=CLEAN_DB)
    for curve in CURVES
)  # fmt: skip
KINDS = (*ALL, *GROUPS)
