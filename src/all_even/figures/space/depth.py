"""How far away each lane stands: its direct sound against what its returns make of it, dB. Near is much, far is little.

Predicted: the lane's K-weighted energy as it arrives; what it sends, by band of the ear, times the strength of each
return's response there, K-weighted too. Not gated: tails fill what a gate would leave out (tried: a room within 0.7 LU,
a snare 1.5). Measured: the lane alone through the whole session, with and without its sends to returns.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import decibels
from all_even.figures.arriving import spectra
from all_even.figures.arriving.arrival import arriving_energy
from all_even.figures.arriving.contribution import parts
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.space.space_response import response_of
from all_even.late import scipy
from all_even.measure.level.hops import k_weighting
from all_even.measure.sharing.scene import loudness_weights
from all_even.session.model import routing, space
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Lane

Array = NDArray[np.float64]
DRY_DB = 60.0
"""A lane with less room than this has none."""


@dataclass(frozen=True, slots=True, eq=False)
class Depth:
    """Of one lane. direct: K-weighted power; returned: by return, the same unit."""

    direct: float
    returned: Mapping[str, float]

    @property
    def ratio_db(self) -> float | None:
        """Direct to return; None where nothing is returned."""
        total = sum(self.returned.values())
        if not (self.direct > 0.0 and total > 0.0):
            return None
        ratio = float(10.0 * np.log10(self.direct / total))
        return ratio if ratio < DRY_DB else None

    def to(self, bus_id: str) -> float | None:
        """Direct to one return, dB."""
        part = self.returned.get(bus_id, 0.0)
        return float(10.0 * np.log10(self.direct / part)) if part > 0.0 and self.direct > 0.0 else None


def depths(look: Look) -> Mapping[str, Depth]:
    """Of every lane that is heard, by id."""
    return look.get(DEPTHS)


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    session = look.session
    sends = [(lane.id, prints.strips.get(lane.id), lane.level_db, lane.pan, lane.sends, lane.destination, lane.group)
             for lane in session.lanes]  # fmt: skip
    buses = [(bus.id, bus.chain if space.makes_space(bus) else (), bus.level_db, bus.pan, bus.mute, bus.destination)
             for bus in session.buses]  # fmt: skip
    folders = [(group.id, group.level_db, group.mute, group.automation) for group in session.folder_groups]
    automated = [(strip.id, strip.automation) for strip in session.strips if strip.automation]
    heard = sorted(routing.hearing(session).sounding)
    return digest((sends, buses, folders, automated, heard, session.pan_law, [item.id for item in session.responses]))


def _compute(look: Look, _target: str) -> Mapping[str, Depth]:
    session, book = look.session, look.book
    prints = book.fingerprints(session)
    heard = routing.hearing(session).sounding
    lanes = [lane for lane in session.lanes if lane.id in prints.opened and lane.id in heard]
    look.hear(*[("powers", lane.id) for lane in lanes])
    loud = loudness_weights(session.sample_rate)
    strengths = {
        bus.id: response_of(look, bus.id).strength * _behind(session, bus.id)
        for bus in space.returns(session)
        if bus.id in heard
    }
    found = {}
    for lane in lanes:
        look.stop_if_cancelled()
        direct = _direct(look, lane)
        if direct is None:
            continue
        returned = {}
        for send in space.space_sends(session, lane):
            sent = spectra.sent_power(look, lane.id, send.to)
            if sent is not None and send.to in strengths:
                bands = sent.mean(axis=0, dtype=np.float64)
                returned[send.to] = float(bands @ (loud * strengths[send.to]))
        found[lane.id] = Depth(direct, returned)
    return found


def _direct(look: Look, lane: Lane) -> float | None:
    """K-weighted power of a lane at the mix, the mean of both sides, of its whole spectrum."""
    known = look.strip_flow(lane.id) if lane.chain else None
    energy = arriving_energy(look.session, lane, look.measures(lane.id), known)
    if energy is None or not len(energy):
        return None
    return 0.5 * float(energy.sum(axis=1).mean()) / decibels.gain(look.session.mix.trim_db) ** 2


def _behind(session: Session, bus_id: str) -> float:
    """Power gain from behind a return's chain to the mix, chains of other buses left aside."""
    gain, current, seen = 1.0, session.bus(bus_id), {bus_id}
    while True:
        gain *= decibels.gain(routing.level_db(session, current)) ** 2
        if current.destination == MIX:
            return gain
        following = next((bus for bus in session.buses if bus.id == current.destination), None)
        if following is None or following.id in seen:
            return 0.0
        seen.add(following.id)
        current = following


DEPTHS = Figure("depth of the tracks", 1, "session", _rests_on, _compute)


def ratio_db(look: Look, lane_id: str) -> float | None:
    """Of one lane; None where it has no room, or is not heard."""
    found = depths(look).get(lane_id)
    return found.ratio_db if found is not None else None


def measured_db(look: Look, lane_id: str) -> float | None:
    """The same of the lane alone, rendered through all it flows through; slow. None where nothing comes back."""
    session = look.session
    if not space.space_sends(session, session.lane(lane_id)):
        return None
    rooms = {bus.id for bus in space.returns(session)}
    lanes = tuple(
        replace(lane, sends=tuple(send for send in lane.sends if send.to not in rooms)) if lane.id == lane_id else lane
        for lane in session.lanes
    )
    wanted = {"lane": [lane_id]}
    whole = parts(look, wanted, dynamics=False)
    plain = parts(look.at(replace(session, lanes=lanes)), wanted, dynamics=False)
    if "lane" not in whole or "lane" not in plain:
        return None
    direct = plain["lane"].astype(np.float64)
    returned = whole["lane"].astype(np.float64) - direct
    powers = [_k_power(sound, session.sample_rate) for sound in (direct, returned)]
    return float(10.0 * np.log10(powers[0] / powers[1])) if min(powers) > 1e-14 else None


def _k_power(sound: Array, sample_rate: int) -> float:
    """Mean K-weighted power of both sides."""
    sections = np.insert(k_weighting(sample_rate), 3, 1.0, axis=1)
    return float(np.mean(scipy.signal.sosfilt(sections, sound, axis=0) ** 2))
