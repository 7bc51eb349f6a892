"""Keyed: a band that steps back only while somebody more important plays there.

Where a track is covered by one that plays on without it for more than half of the time, a standing cut costs that track
far more than it gains: a band keyed by the victim gains nearly the same and costs only while both play. Also the way a
voice makes room in the middle of the instruments. Tried on the sound before it is proposed.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.parameter import number
from all_even.dsp.processor import Key, numbers
from all_even.dsp.tone.equaliser import Band
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Hiding, Sharing, pairs, sharing
from all_even.late import scipy
from all_even.measure.sharing import masking
from all_even.moves.kind import Kind, measured_later
from all_even.moves.share import bands
from all_even.moves.share.figures import DEPENDS_ON, HIDDEN
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.importance import importance

LEAST_COST = 0.03
"""Share of the victim that the masker alone has to hide."""
MOST_OVERLAP = 0.5
"""Of the masker's time in which the victim plays too; above, a standing band costs no more."""
LEAST_FOR_VICTIM, LEAST_GAIN = 0.01, 0.0003
RANGES_DB = (-4.0, -6.0)
RATIO, ATTACK_MS, RELEASE_MS = 4.0, 15.0, 160.0
UNDER_USUAL_DB = 9.0
LOWEST_HZ, HIGHEST_HZ = 150.0, 8000.0
CANDIDATES, MOST = 4, 2


@dataclass(frozen=True, slots=True)
class Keyed:
    """A band on one source, keyed by another; places in the scene."""

    victim: int
    masker: int
    hz: float
    q: float
    overlap: float


def candidates(look: Look, found: Sharing) -> list[Keyed]:
    """Pairs worth a try, the dearest first."""
    weight = importance(look.session)
    told = []
    for pair in pairs(look):
        victim, masker = found.units[pair.victim], found.units[pair.masker]
        if pair.cost < LEAST_COST or is_low_end(victim.role) or is_low_end(masker.role):
            continue
        if weight[victim.id] <= weight[masker.id] or weight[victim.id] <= 0.0:
            continue
        hz, q = _place(pair)
        shared = overlap(found, pair)
        if shared < MOST_OVERLAP:
            told.append(Keyed(pair.victim, pair.masker, hz, q, shared))
    return told[:CANDIDATES]


def _place(pair: Hiding) -> tuple[float, float]:
    low, high = max(LOWEST_HZ, pair.low_hz), min(HIGHEST_HZ, pair.high_hz)
    hz = float(np.sqrt(low * max(high, low * 1.2)))
    octaves = max(0.5, min(2.0, float(np.log2(max(high, low * 1.2) / low))))
    # Half the octaves of the zone: bandwidth to Q of a bell (audio EQ cookbook).
    return round(hz, 0), round(float(np.clip(1.0 / (2.0 * np.sinh(0.5 * np.log(2.0) * octaves)), 0.7, 3.0)), 2)


def overlap(found: Sharing, pair: Hiding) -> float:
    """Of what counts of the masker where the pair meets, the part in whose moments the victim counts there too."""
    centres = masking.centres_hz()
    zone = (centres >= pair.low_hz) & (centres <= pair.high_hz)
    own = found.scene.weight[pair.masker][:, zone].sum(axis=1, dtype=np.float64)
    there = found.scene.weight[pair.victim][:, zone].sum(axis=1, dtype=np.float64) > 0.0
    return float(own[there].sum() / max(float(own.sum()), 1e-30))


def threshold_db(look: Look, lane_id: str, hz: float, q: float) -> float:
    """Under the usual peak level of the key in the band, as the detector hears it."""
    session = look.session
    sound = look.sound(lane_id)
    rate = session.sample_rate
    b, a = scipy.signal.iirpeak(min(hz, 0.45 * rate), q, fs=rate)
    state = np.zeros((max(len(a), len(b)) - 1, sound.channels))
    peaks = []
    size = rate // 20
    block = size * 40
    for start in range(0, sound.frames, block):
        look.stop_if_cancelled()
        heard, state = scipy.signal.lfilter(b, a, sound.read(start, min(block, sound.frames - start)), axis=0, zi=state)
        count = len(heard) // size
        peaks.append(np.abs(heard[: count * size]).reshape(count, size * sound.channels).max(axis=1))
    levels = np.concatenate(peaks) if peaks else np.zeros(0)
    playing = levels[levels > max(1e-5, float(levels.max(initial=0.0)) * 0.03)]
    usual = float(np.median(playing)) if len(playing) else 0.0
    return round(float(np.clip(20.0 * np.log10(max(usual, 1e-4)) - UNDER_USUAL_DB, -80.0, 0.0)), 1)


def station(one: Keyed, key: str, range_db: float, at_db: float) -> DynamicEqualiser:
    band = DynamicBand(
        frequency_hz=one.hz, q=one.q, threshold_db=at_db, range_db=range_db, ratio=RATIO, attack_ms=ATTACK_MS,
        release_ms=RELEASE_MS,
    )  # fmt: skip
    return DynamicEqualiser(bands=(band,), key=Key(source=key))


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    if found is None:
        return []
    told: list[Proposal] = []
    for one in candidates(look, found):
        victim, masker = found.units[one.victim], found.units[one.masker]
        if any(isinstance(item, DynamicEqualiser) and item.key is not None for item in masker.head.chain):
            continue
        at_db = threshold_db(look, victim.id, one.hz, one.q)
        best: tuple[float, float, Sharing] | None = None
        for range_db in RANGES_DB:
            tried = sharing(look.at(_with(look.session, tuple(lane.id for lane in masker.lanes),
                                          station(one, victim.id, range_db, at_db))))  # fmt: skip
            if tried is None or tried.scene.names != found.scene.names:
                continue
            gained = float(found.shares[one.victim] - tried.shares[one.victim])
            fall = found.mean - tried.mean
            if gained >= LEAST_FOR_VICTIM and fall >= LEAST_GAIN and (best is None or fall > best[0]):
                best = fall, range_db, tried
        if best is not None:
            told.append(_proposal(found, one, best[1], at_db, best[2]))
        if len(told) == MOST:
            break
    return told


def _proposal(found: Sharing, one: Keyed, range_db: float, at_db: float, tried: Sharing) -> Proposal:
    victim, masker = found.units[one.victim], found.units[one.masker]
    standing = (Band(frequency_hz=one.hz, q=one.q, gain_db=range_db),)
    static = bands.tried(found, {masker.id: standing}, {masker.id: 0.0})
    own = float(tried.shares[one.masker] - found.shares[one.masker])
    own_static = float(static.shares[one.masker] - found.shares[one.masker])
    gain = float(found.shares[one.victim] - tried.shares[one.victim])
    gain_static = float(found.shares[one.victim] - static.shares[one.victim])
    return KIND.move(
        of=f"{victim.id}-{masker.id}",
        targets=tuple(lane.id for lane in masker.lanes),
        title=f"{masker.name} {number(-range_db, 0)} dB back at {number(one.hz, 0)} Hz while {victim.name} sounds",
        reason=f"{victim.name} is masked {100.0 * found.shares[one.victim]:.0f} %, then "
        f"{100.0 * tried.shares[one.victim]:.0f} %; it costs {masker.name} {number(100.0 * own)} %. They meet in "
        f"{100.0 * one.overlap:.0f} % of {masker.name}'s time, so a standing cut would gain "
        f"{number(100.0 * gain_static)} instead of {number(100.0 * gain)} % and cost {number(100.0 * own_static)} %, "
        "all the time.",
        parameters={"frequency_hz": one.hz, "q": one.q, "range_db": range_db, "threshold_db": at_db, "key": victim.id},
        evidence={
            "victim_gain": gain, "own_cost": own, "static_gain": gain_static, "static_cost": own_static,
            "overlap": one.overlap,
        },
        metric=HIDDEN,
        before=100.0 * found.mean,
        expected=100.0 * tried.mean,
        source="trial",
        weight=4.5,
    )  # fmt: skip


def _with(session: Session, lanes: tuple[str, ...], wanted: DynamicEqualiser) -> Session:
    for lane_id in lanes:
        if session.is_lane(lane_id):
            session = chain_edits.add_station(session, lane_id, wanted)
    return session


def edit(session: Session, proposal: Proposal) -> Session:
    values = dict(proposal.parameters)
    key = values["key"]
    if not isinstance(key, str) or not session.is_lane(key):
        raise KeyError(key)
    p: dict[str, Any] = values
    band = DynamicBand(
        frequency_hz=float(p["frequency_hz"]), q=float(p["q"]), range_db=float(p["range_db"]),
        threshold_db=float(p["threshold_db"]), ratio=RATIO, attack_ms=ATTACK_MS, release_ms=RELEASE_MS,
    )  # fmt: skip
    return _with(session, proposal.targets, DynamicEqualiser(bands=(band,), key=Key(source=key)))


KIND = Kind(
    "share.keyed", DEPENDS_ON, propose, edit,
    parameters={"range_db": numbers(DynamicBand)["range_db"]},
    changed=measured_later,
)  # fmt: skip
