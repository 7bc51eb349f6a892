"""Colour: saturation in five voicings at equal loudness, on all tracks each with its own drive, or on a group.

Odd harmonics, tighter odd ones, even ones, hard, tape-like (`dsp.tone.saturation`): each is a card, so that they can be
heard one after the other. The drive goes by the track's own level: its loud moments pass the curve's bend by as much
on each. How much is added is what no short filter of the sound explains. What it does besides (quiet sound that comes
up) is told as for a compressor.
"""

from collections.abc import Callable, Collection, Iterator
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from all_even import texts
from all_even.dsp.parameter import Parameter, number
from all_even.dsp.tone.saturation import CURVES, Curve, Saturation
from all_even.figures.book.look import Look
from all_even.figures.dynamics.coloured import without_saturation
from all_even.figures.dynamics.dynamics import strip_samples, strip_signal
from all_even.measure.dynamics import side_effects
from all_even.measure.dynamics.signal import Signal
from all_even.moves.approaches.single_track import loud_as
from all_even.moves.approaches.trial import Draft, on_trial
from all_even.moves.dynamics.glue import placed
from all_even.moves.dynamics.trying import through
from all_even.moves.kind import Kind, per_strip
from all_even.moves.metric import Arguments, Metric
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import takes_part

WORDS: dict[Curve, str] = {
    "round": "odd harmonics, round", "firm": "odd harmonics, firm", "uneven": "even harmonics", "hard": "hard",
    "tape": "tape-like",
}  # fmt: skip
PERCENTILE = 99.0
CLEAN_DB = -60.0
TAPS, BLOCK = 9, 1 << 16
DRIVE = Parameter("Drive", "dB", 0.0, 48.0, 6.0, 0.5)


def station(signal: Signal, curve: Curve, over_db: float) -> Saturation:
    """A voicing driven by a sound's own level, as loud as the sound."""
    loud = float(np.percentile(np.abs(signal.samples), PERCENTILE))
    drive_db = DRIVE.clamped(round(over_db - 20.0 * float(np.log10(max(loud, 1e-6))), 1))
    return loud_as(signal, signal, Saturation(curve=curve, drive_db=drive_db))


def added_db(before: NDArray[np.floating], after: NDArray[np.floating]) -> float:
    """What no short filter explains of a version of a sound, dB of it; at least -60. Both (frames, channels).

    The filter of nine taps that fits best, one for all channels, takes scaling and a slightly other bandwidth out of
    it. Solved from sums of products, block by block: nothing of a song's length is kept nine times."""
    half, frames = TAPS // 2, min(len(before), len(after))
    if frames < TAPS:
        return CLEAN_DB
    sums = np.zeros((TAPS + 1, TAPS + 1))
    for one, other in zip(before[:frames].T, after[:frames].T, strict=True):
        late, made = np.lib.stride_tricks.sliding_window_view(one, TAPS), other[half : frames - half]
        for start in range(0, len(made), BLOCK):
            block = np.column_stack((late[start : start + BLOCK], made[start : start + BLOCK])).astype(np.float64)
            sums += block.T @ block
    likeness, answer, whole = sums[:TAPS, :TAPS], sums[:TAPS, TAPS], sums[TAPS, TAPS]
    if whole <= 0.0:
        return CLEAN_DB
    taps = np.linalg.lstsq(likeness, answer, rcond=None)[0]
    rest = whole - 2.0 * float(taps @ answer) + float(taps @ likeness @ taps)
    return max(CLEAN_DB, 10.0 * float(np.log10(max(rest / whole, 1e-9))))


def _added(look: Look, arguments: Arguments) -> float | None:
    """Of the saturations of one strip, or the mean of all that have one; None where none has."""
    session, wanted = look.session, arguments.get("strip")
    found = []
    for strip in session.strips:
        if wanted is not None and strip.id != wanted:
            continue
        plain = without_saturation(session, strip.id)
        if plain is session or look.book.fingerprints(session).strips.get(strip.id) is None:
            continue
        before, after = (strip_samples(look, one, strip.id) for one in (plain, session))
        found.append(added_db(before, after))
    return float(np.mean(found)) if found else None


ADDED = Metric("harmonics-added", "harmonics added, of the sound", "dB", 1, 1.0, ("strips", "files"), _added)


def _tracks(look: Look) -> Iterator[str]:
    """Those that are heard and measured."""
    for lane in look.session.lanes:
        heard = not lane.hidden and takes_part(lane.role) and routing.is_sounding(look.session, lane)
        if heard and look.measures(lane.id) is not None:
            yield lane.id


def _groups(look: Look) -> Iterator[str]:
    heard = look.book.fingerprints(look.session).strips
    return (bus.id for bus in look.session.buses if bus.use == "group" and heard.get(bus.id) is not None)


def _drafts(look: Look, curve: Curve, strips: Callable[[Look], Iterator[str]], over_db: float, what: str,
            fewest: int) -> Iterator[Draft]:  # fmt: skip
    """One move on all strips that are not coloured yet, where there are enough. what: one of them in words."""
    drives, outputs, rises = {}, {}, []
    for strip_id in strips(look):
        if any(isinstance(item, Saturation) for item in look.session.chain(strip_id)):
            continue
        look.stop_if_cancelled()
        signal = strip_signal(look, look.session, strip_id)
        if signal.lufs is None:
            continue
        made = station(signal, curve, over_db)
        drives[strip_id], outputs[strip_id] = made.drive_db, made.output_db
        rise = side_effects.noise_rise_db(signal.power, through(signal, (made,))[0].power)
        rises += [] if rise is None else [rise]
    if len(drives) < fewest:
        return
    noise = f" Quiet sound comes up by {number(float(np.median(rises)))} dB." if rises else ""
    each = f" Single {what}s can be left out." if len(drives) > 1 else ""
    yield Draft(
        tuple(drives), f"Colour on {texts.count(len(drives), what)}: {WORDS[curve]}",
        f"Driven by its own level ({_from_to(drives.values())} dB), as loud as before.{noise}{each}",
        {"drive_db": drives, "output_db": outputs},
    )  # fmt: skip


def _from_to(values: Collection[float]) -> str:
    """The lowest and the highest; one where they are the same."""
    first, last = number(min(values)), number(max(values))
    return first if first == last else f"{first} to {last}"


def _edit(session: Session, move: Proposal, curve: Curve) -> Session:
    """Behind a track's chain; on a group before a limiter."""
    outputs = per_strip(move, "output_db")
    known = {strip.id for strip in session.strips}
    for strip_id, drive_db in per_strip(move, "drive_db").items():
        if strip_id in known:
            session = placed(session, strip_id, Saturation(curve=curve, drive_db=drive_db, output_db=outputs[strip_id]))
    return session


def _parts(session: Session, move: Proposal) -> list[tuple[str, str]]:
    known = {strip.id for strip in session.strips}
    return [(strip_id, session.strip_name(strip_id)) for strip_id in move.targets if strip_id in known]


def _kind(curve: Curve, kind_id: str, weight: float, **where: Any) -> Kind:
    return on_trial(
        f"dynamics.{kind_id}-{curve}", "colour", ADDED, partial(_drafts, curve=curve, **where),
        partial(_edit, curve=curve), parts=_parts, weight=weight, before=CLEAN_DB,
    )  # fmt: skip


ALL = tuple(_kind(curve, "colour", 0.9, strips=_tracks, over_db=0.0, what="track", fewest=2) for curve in CURVES)
GROUPS = tuple(
    _kind(curve, "colour-group", 0.8, strips=_groups, over_db=3.0, what="group", fewest=1) for curve in CURVES
)
"""Over: by how much loud moments pass the bend of the curve, gently where all tracks are coloured."""
KINDS = (*ALL, *GROUPS)
