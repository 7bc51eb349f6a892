"""Yield and shape: a few bands on a few tracks, found by search over the whole session, as one card that opens.

It is the small lever: placing and leaving out do more, so it comes after them. Where a set of bands gains next to
nothing the card is not there.
"""

import numpy as np
from msgspec.structs import replace

from all_even import texts
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.measure.sharing.scene import TIMBRE
from all_even.moves.kind import Kind, per_strip
from all_even.moves.share import bands, search
from all_even.moves.share.bands import Placed
from all_even.moves.share.figures import DEPENDS_ON, HIDDEN, bottom, is_true_alone
from all_even.moves.share.present import present
from all_even.session.model.ledger import Proposal
from all_even.session.model.settings import WorkSettings
from all_even.session.tracks.importance import weight_of

LEAST_GAIN = 0.003
"""How much less of the session has to be hidden (our own rule: three times what a rendered promise is beside)."""
LEAST_OF_ONE = 0.015
ROUNDS, STEP_DB = 6, 0.5
"""...and so much less of at least one source."""
TRUE_TIMBRE, TRUE_MOST_DB, TRUE_HOME_DB = 0.05, 3.0, 2.0


def school(work: WorkSettings) -> search.School:
    """As the settings say."""
    if is_true_alone(work):
        return search.School(work.shaping == "cut only", TRUE_TIMBRE, TRUE_MOST_DB, TRUE_HOME_DB)
    return search.School(work.shaping == "cut only", TIMBRE)


def found_set(look: Look, found: Sharing) -> list[search.Placed]:
    """The bands for a session as it is."""
    return _searched(look, found, school(look.session.settings))


def _searched(look: Look, found: Sharing, the_school: search.School) -> list[search.Placed]:
    guides = [unit.id for unit in found.units if weight_of(unit.head) == "guide"]
    there = present(look.session, found)
    return search.find_set(
        found.bare, bottom=bottom(found), school=the_school, untouched=guides, present=there.gains,
        counts=there.counts, cancelled=look.cancelled,
    )  # fmt: skip


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    if found is None or len(found.units) < 2:
        return []
    chosen = found_set(look, found)
    if not chosen:
        return []
    trial = search.with_bands(found.scene, chosen)
    fall = found.mean - trial.mean()
    if fall < LEAST_GAIN or float(np.nanmax(found.shares - trial.shares)) < LEAST_OF_ONE:
        return []
    few = found.scene.thinned(search.SHARE_OF_FRAMES)
    all_of_them = search.with_bands(few, chosen).mean()
    worth = [search.with_bands(few, [other for other in chosen if other is not one]).mean() - all_of_them
             for one in chosen]  # fmt: skip
    placed = [Placed(found.scene.names[one.track], one.band, gain) for one, gain in zip(chosen, worth, strict=True)]
    placed.sort(key=lambda one: found.scene.names.index(one.unit))
    tracks = {one.track for one in chosen}
    gained, lost = found.shares - trial.shares, trial.shares - found.shares
    best, worst = int(np.nanargmax(gained)), int(np.nanargmax(lost))
    names = [unit.name for unit in found.units]
    told = (
        f"{names[best]} comes out most: {_change(found.shares[best], trial.shares[best])} hidden. "
        f"It costs {names[worst]} most: {_change(found.shares[worst], trial.shares[worst])}. "
        f"Every track keeps its loudness; no curve moves by more than {number(_most(chosen), 0)} dB. Placing and "
        "leaving out do more: do that first. Nobody has listened to it."
    )
    proposal = KIND.move(
        targets=tuple(lane.id for i in sorted(tracks) for lane in found.units[i].lanes),
        title=f"{texts.count(len(placed), 'band')} on {texts.count(len(tracks), 'source')}",
        reason=told,
        parameters=bands.parameters(found.units, placed),
        evidence={
            "hidden": found.mean,
            "hidden_then": trial.mean(),
            "most_gained": names[best],
            "gained": float(gained[best]),
            "most_lost": names[worst],
            "lost": float(lost[worst]),
            "cuts_only_gain": _cuts_only(look, found),
        },
        metric=HIDDEN,
        before=100.0 * found.mean,
        weight=5.0,
    )
    return [_within(look, found, bands.measured(look, proposal))]


def _within(look: Look, found: Sharing, proposal: Proposal) -> Proposal:
    """With smaller bands where the measured output brings a curve over its limits: on struck sounds it is up to 0.8 dB
    beside what the bands predict."""
    limits = search.limits_db(found.bare, bottom(found), school(look.session.settings))
    there = present(look.session, found).gains
    for _ in range(ROUNDS):
        outputs, gains = per_strip(proposal, bands.OUTPUTS), dict(per_strip(proposal, "gain_db"))
        over = []
        for unit, its in bands.bands_of(proposal).items():
            place = found.scene.names.index(unit)
            curve = there[place] * search.gains_of(its, look.session.sample_rate)
            kept = curve * 10.0 ** (outputs.get(unit, 0.0) / 10.0)
            if not search.inside(curve, kept, limits[place]):
                over.append(unit)
        if not over:
            break
        for i, gain in gains.items():
            if i.partition("/")[0] in over:
                gains[i] = float(np.sign(gain) * max(STEP_DB, abs(gain) - STEP_DB))
        again = {**proposal.parameters, "gain_db": gains, bands.MEASURED: None}
        proposal = bands.measured(look, replace(proposal, parameters=again))
    return proposal


def _change(before: float, after: float) -> str:
    return f"{number(100.0 * before, 0)} to {number(100.0 * after, 0)} %"


def _most(chosen: list[search.Placed]) -> float:
    return max(abs(one.gain_db) for one in chosen)


def _cuts_only(look: Look, found: Sharing) -> float:
    """What the same search gains where nothing may be lifted: the plain alternative."""
    plain = search.School(True, TIMBRE)
    cuts = _searched(look, found, plain)
    return found.mean - search.with_bands(found.scene, cuts).mean() if cuts else 0.0


KIND = Kind(
    "share.shape", DEPENDS_ON, propose, bands.edit, prepare=bands.measured, parts=bands.parts, changed=bands.changed
)
