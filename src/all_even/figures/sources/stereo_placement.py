"""Where the sources of a session stand, and what that does: how much of each is covered, left against right, mono.

Pans are arithmetic on what each source brings to its fader; stereo sources are taken to come from both sides alike.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp import pan as panning
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.sources.units import Table, Unit, table, unit_energy
from all_even.measure.level.hops import HOP_S
from all_even.measure.sharing import placing
from all_even.measure.sharing.placing import Covered, Stage
from all_even.session.model.session import Session
from all_even.session.tracks.classes import class_of
from all_even.session.tracks.importance import importance
from all_even.session.tracks.roles import family_of

Array = NDArray[np.float64]
WINDOW_S = 3.0
"""Left against right is judged over so long."""
ABSOLUTE = 1e-7
"""-70 LUFS."""


@dataclass(frozen=True, slots=True, eq=False)
class Stand:
    """table: who is covered. stage: the sources' bands, thinned. energy: (units, windows) K-weighted, both sides
    together. weights: importance by unit. mono: whether a source is one channel that can be placed."""

    table: Table
    stage: Stage
    energy: Array
    weights: Array
    mono: tuple[bool, ...]

    @property
    def units(self) -> tuple[Unit, ...]:
        return self.table.units


def _rests_on(look: Look, prints: Fingerprints, _target: str) -> str:
    """Faders and what is behind chains, but no pans of single channels: those are what is tried."""
    session = look.session
    pans = [(s.id, s.pan) for s in session.strips if not session.is_lane(s.id) or prints.channels(s.id) != 1]
    strips = [
        (s.id, prints.strips.get(s.id) if session.is_lane(s.id) else s.chain, s.level_db, s.mute, s.solo, s.destination,
         s.group, s.automation)
        for s in session.strips
    ]  # fmt: skip
    roles = [(lane.id, lane.role, lane.hidden, lane.importance, lane.id in look.reports) for lane in session.lanes]
    folders = [(g.id, g.level_db, g.mute, g.solo, g.automation) for g in session.folder_groups]
    return digest((strips, pans, roles, folders, session.settings))


def _compute(look: Look, _target: str) -> Stand | None:
    """At -3 dB in the centre a single channel brings the same power wherever it stands."""
    look = look.at(replace(look.session, pan_law="-3 dB"))
    shares = table(look)
    if not shares.units:
        return None
    session = look.session
    weights = importance(session)
    window = round(WINDOW_S / HOP_S)
    energies = []
    for unit in shares.units:
        energy = unit_energy(look, unit)
        total = energy.sum(axis=1) if energy is not None else np.zeros(0)
        energies.append(np.add.reduceat(total, np.arange(0, len(total), window)) / window if len(total) else total)
    longest = max(len(energy) for energy in energies)
    stacked = np.stack([np.pad(energy, (0, longest - len(energy))) for energy in energies])
    prints = look.book.fingerprints(session)
    tracks = [shares.tracks[unit.id] for unit in shares.units]
    return Stand(
        shares,
        placing.stage_of(tracks, shares.floor, session.sample_rate),
        stacked,
        np.array([weights[unit.id] for unit in shares.units]),
        tuple(all(prints.channels(lane.id) == 1 for lane in unit.lanes) for unit in shares.units),
    )


STAND = Figure("stand", 2, "session", _rests_on, _compute)


def stand(look: Look) -> Stand | None:
    """None where nothing is heard."""
    return look.get(STAND)


def pan_of(session: Session, unit: Unit) -> float:
    """Where a source stands now: the mean of its microphones."""
    return float(np.mean([session.lane(lane.id).pan for lane in unit.lanes]))


def gains_of(session: Session, found: Stand, pans: Mapping[str, float] | None = None) -> Array:
    """(units, 2) pan gains with constant power; a pair on both sides counts as in the middle. pans: by unit id, instead
    of those that are set."""
    rows = []
    for unit, mono in zip(found.units, found.mono, strict=True):
        place = (pans or {}).get(unit.id, pan_of(session, unit))
        rows.append(panning.mono_gains(place if mono else 0.5 * place, "-3 dB"))
    return np.array(rows)


ALIKE = 0.8
"""Likeness of two spectra (cosine of what counts of them), from where two parts are heard as one (our own rule)."""
AT_ONCE = 0.3
"""Of the time the rarer one plays."""


def alike(found: Stand, among: Sequence[int], across: frozenset[str] = frozenset()) -> dict[tuple[int, int], float]:
    """Pairs of sources of one family and class whose spectra are alike and that play at once: their likeness, by their
    places among the units, the smaller first. across: roles that count as one class."""
    weight = found.stage.weight
    playing = {index: weight[index].sum(axis=1) > 0.0 for index in among}
    mean = {index: weight[index].mean(axis=0, dtype=np.float64) for index in among}
    pairs = {}
    for a, b in combinations(sorted(among), 2):
        roles = found.units[a].role, found.units[b].role
        if len({(family_of(role), class_of(role)) for role in roles}) > 1 and not across >= set(roles):
            continue
        rarer = min(int(playing[a].sum()), int(playing[b].sum()))
        if rarer == 0 or int((playing[a] & playing[b]).sum()) < AT_ONCE * rarer:
            continue
        lengths = float(np.linalg.norm(mean[a]) * np.linalg.norm(mean[b]))
        likeness = float(mean[a] @ mean[b]) / max(lengths, 1e-30)
        if likeness >= ALIKE:
            pairs[a, b] = likeness
    return pairs


def covered_at(session: Session, found: Stand, pans: Mapping[str, float] | None = None) -> Covered:
    return placing.covered(found.stage, gains_of(session, found, pans))


def weighted(found: Stand, shares: Array) -> float:
    """The importance-weighted mean of shares."""
    known = ~np.isnan(shares)
    return float((shares[known] * found.weights[known]).sum() / max(float(found.weights[known].sum()), 1e-12))


def lopsided_lu(found: Stand, gains: Array) -> float:
    """Left against right, RMS over windows of 3 s, LU."""
    left, right = (gains[:, side] ** 2 @ found.energy for side in range(2))
    loud = left + right > ABSOLUTE
    if not loud.any():
        return 0.0
    ratio = 10.0 * np.log10(np.maximum(left[loud], 1e-12) / np.maximum(right[loud], 1e-12))
    return float(np.sqrt(np.mean(ratio**2)))


def mono_loss(found: Stand, gains: Array) -> dict[str, float]:
    """What low, mid and high lose in mono, dB."""
    return placing.mono_loss_db(found.stage, gains)
