"""Complement: two alike tracks that play at once get different centres, one up where the other goes down.

Both keep their loudness. Where they have come apart already, or a pair of bells gains next to nothing, there is no
card; nor where it would be warned of afterwards.
"""

import numpy as np

from all_even.dsp.parameter import number
from all_even.dsp.tone.equaliser import Band
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.figures.sources.stereo_placement import alike, stand
from all_even.measure.sharing.scene import Trial
from all_even.moves.kind import Kind
from all_even.moves.share import bands, search
from all_even.moves.share.bands import Placed
from all_even.moves.share.figures import DEPENDS_ON, HIDDEN, bottom
from all_even.moves.share.present import present
from all_even.moves.share.remarks import is_warned_of
from all_even.moves.share.shape import school
from all_even.session.model.ledger import Proposal

SIZES_DB = (2.0, 3.0)
LEAST_OF_PAIR, MOST_LOSS = 0.01, 0.02
APART_OCTAVES = 0.6
MOST = 3


def propose(look: Look) -> list[Proposal]:
    found, standing = sharing(look), stand(look)
    if found is None or standing is None:
        return []
    trial = Trial(found.scene.thinned(search.SHARE_OF_FRAMES))
    limits = search.limits_db(found.scene, bottom(found), school(look.session.settings))
    pairs = alike(standing, range(len(found.units)))
    counts = present(look.session, found).counts
    rows = []
    for a, b in pairs:
        if counts[a] or counts[b]:
            continue  # they have centres of their own already
        best = _best(trial, a, b, limits)
        if best is not None:
            rows.append((best[0], a, b, best[1]))
    rows.sort(key=lambda row: -row[0])
    made = [_proposal(look, found, *row[1:]) for row in rows[:MOST]]
    return [move for move in made if not is_warned_of(look, bands.edit(look.session, move))]


def _best(trial: Trial, a: int, b: int, limits: np.ndarray) -> tuple[float, list[search.Placed]] | None:
    """What the pair gains, and the two bells on each; None where it is not worth it."""
    rate = trial.scene.sample_rate
    bells = [n for n, (shape, _, q) in enumerate(search.ATOMS) if shape == "bell" and q > 1.0]
    shapes = np.stack([10.0 * np.log10(search.atom_gains(n, 3.0, rate)) / 3.0 for n in bells])
    slopes = trial.slope()
    better_a = -(slopes[a] - slopes[b]) @ shapes.T  # what is gained by lifting it in a and cutting it in b
    up, down = int(np.argmax(better_a)), int(np.argmin(better_a))
    apart = abs(np.log2(search.ATOMS[bells[up]][1] / search.ATOMS[bells[down]][1]))
    if apart < APART_OCTAVES or better_a[up] <= 0.0 or better_a[down] >= 0.0:
        return None
    cost, before = trial.cost(), trial.shares.copy()
    best: tuple[float, list[search.Placed]] | None = None
    for size in SIZES_DB:
        placed = [search.Placed(track, bells[place], sign * size)
                  for track, sign in ((a, 1.0), (b, -1.0)) for place, sign in ((up, sign), (down, -sign))]  # fmt: skip
        there = search.with_bands(trial.scene, placed)
        fine = all(search.inside(_curve(placed, track, rate), there.gains[track], limits[track]) for track in (a, b))
        each = [float(before[i] - there.shares[i]) for i in (a, b)]
        gained = float(np.mean(each))
        fine = fine and min(each) >= -MOST_LOSS
        if fine and gained >= LEAST_OF_PAIR and there.cost() < cost and (best is None or gained > best[0]):
            best = gained, placed
    return best


def _curve(placed: list[search.Placed], track: int, rate: int) -> np.ndarray:
    return search.gains_of(tuple(one.band for one in placed if one.track == track), rate)


def _proposal(look: Look, found: Sharing, a: int, b: int, chosen: list[search.Placed]) -> Proposal:
    trial = search.with_bands(found.scene, chosen)
    first, second = found.units[a], found.units[b]
    lifts = {one.track: one.band for one in chosen if one.gain_db > 0.0}
    placed = [Placed(found.scene.names[one.track], one.band) for one in chosen]
    gains = [f"{unit.name} {100.0 * found.shares[i]:.0f} to {100.0 * trial.shares[i]:.0f} %"
             for i, unit in ((a, first), (b, second))]  # fmt: skip
    proposal = KIND.move(
        of=f"{first.id}-{second.id}",
        targets=(first.id, second.id),
        title=f"{first.name} and {second.name}: opposite EQ",
        reason=f"They are alike and play at once. {first.name} comes up at {_at(lifts[a])} where {second.name} goes "
        f"down, and {second.name} at {_at(lifts[b])}. Masked: {', '.join(gains)}. Placing them apart does more.",
        parameters=bands.parameters(found.units, placed),
        evidence={"first_then": float(trial.shares[a]), "second_then": float(trial.shares[b])},
        metric=HIDDEN,
        before=100.0 * found.mean,
        weight=3.5,
    )
    return bands.measured(look, proposal)


def _at(band: Band) -> str:
    return f"{number(band.frequency_hz, 0)} Hz"


KIND = Kind(
    "share.complement",
    DEPENDS_ON,
    propose,
    bands.edit,
    prepare=bands.measured,
    parts=bands.parts,
    changed=bands.changed,
)
