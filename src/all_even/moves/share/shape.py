"""Yield and shape: a few bands on a few tracks, found by search over the whole session, as one card that opens.

It is the small lever: placing and leaving out do more, so it comes after them. Where a set of bands gains next to
nothing the card is not there.
"""

import numpy as np
from msgspec.structs import replace

from all_even import texts
from all_even.dsp.parameter import number
from all_even.dsp.tone.equaliser import Band
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import Sharing, sharing
from all_even.figures.sources.stereo_placement import alike, stand
from all_even.measure.sharing.scene import TIMBRE, Trial
from all_even.moves.kind import Kind, per_strip
from all_even.moves.share import bands, search
from all_even.moves.share.bands import Placed
from all_even.moves.share.figures import DEPENDS_ON, HIDDEN, bottom, is_true_alone
from all_even.moves.share.present import present
from all_even.moves.share.remarks import bands_of, raised
from all_even.session.model.ledger import Proposal
from all_even.session.model.settings import WorkSettings
from all_even.session.tracks.importance import weight_of

LEAST_GAIN = 0.003
"""How much less of the session has to be hidden (our own rule: three times what a rendered promise is beside)."""
LEAST_OF_ONE = 0.015
"""...and so much less of at least one source."""
ROUNDS, STEP_DB = 8, 0.5
MOST_PEAK_DB, BOTTOM_PEAK_DB = 0.8, 0.3
"""How much a source's peak may rise at the same loudness: a little under what is warned of; less where it is a drum or
a bass, whose sum decides how loud a master may be."""
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
    standing = [(place, band) for place, unit in enumerate(found.units) for band in bands_of(unit.head)]
    return search.find_set(
        found.bare, bottom=bottom(found), school=the_school, untouched=guides, present=there.gains,
        counts=there.counts, standing=standing, alike=_alike(look, found), cancelled=look.cancelled,
    )  # fmt: skip


def _alike(look: Look, found: Sharing) -> list[tuple[int, int]]:
    """Sources that sound alike, by their places in the scene."""
    standing = stand(look)
    if standing is None:
        return []
    places = {unit.id: place for place, unit in enumerate(found.units)}
    ids = [unit.id for unit in standing.units]
    return [(places[ids[a]], places[ids[b]]) for a, b in alike(standing, range(len(ids)))
            if ids[a] in places and ids[b] in places]  # fmt: skip


def propose(look: Look) -> list[Proposal]:
    found = sharing(look)
    if found is None or len(found.units) < 2:
        return []
    chosen = found_set(look, found)
    if not chosen:
        return []
    placed = [Placed(found.scene.names[one.track], one.band) for one in chosen]
    placed.sort(key=lambda one: found.scene.names.index(one.unit))
    touched = {one.unit for one in placed}
    proposal = KIND.move(
        targets=tuple(lane.id for unit in found.units if unit.id in touched for lane in unit.lanes),
        title="",
        reason="",
        parameters=bands.parameters(found.units, placed),
        metric=HIDDEN,
        before=100.0 * found.mean,
        weight=5.0,
    )
    proposal = _within(look, found, bands.measured(look, proposal))
    if proposal.expected is None or not _is_worth_it(found, proposal):
        return []
    if raised(look, bands.edit(look.session, proposal)):
        return []
    return [_told(look, found, proposal)]


def _is_worth_it(found: Sharing, proposal: Proposal) -> bool:
    trial = bands.tried(found, bands.bands_of(proposal), per_strip(proposal, bands.OUTPUTS))
    fall = found.mean - trial.mean()
    return fall >= LEAST_GAIN and float(np.nanmax(found.shares - trial.shares)) >= LEAST_OF_ONE


def _told(look: Look, found: Sharing, proposal: Proposal) -> Proposal:
    """With its words: what it brings, what it costs, and what each band is worth."""
    its, outputs = bands.bands_of(proposal), per_strip(proposal, bands.OUTPUTS)
    trial = bands.tried(found, its, outputs)
    gained, lost = found.shares - trial.shares, trial.shares - found.shares
    best, worst = int(np.nanargmax(gained)), int(np.nanargmax(lost))
    names = [unit.name for unit in found.units]
    every = [band for of_unit in its.values() for band in of_unit]
    lifts = sum(band.gain_db > 0.0 for band in every)
    how = f"{texts.count(len(every) - lifts, 'cut')}" + (f" and {texts.count(lifts, 'lift')}" if lifts else "")
    worth = _worth(found, proposal)
    reason = (
        f"{number(100.0 * (found.mean - trial.mean()))} % less of the session is masked, "
        f"{number(100.0 * min(worth.values()), 2)} to {number(100.0 * max(worth.values()), 2)} % by each band. "
        f"{names[best]} comes out most: {_change(found.shares[best], trial.shares[best])} masked. "
        f"It costs {names[worst]} most: {_change(found.shares[worst], trial.shares[worst])}. "
        f"Every track keeps its loudness; no band moves by more than {number(_most(every), 1)} dB. Placing and "
        "leaving out do more: do that first. Nobody has listened to it."
    )
    given = {**proposal.parameters, "worth": worth}
    return replace(
        proposal, title=f"{how} on {texts.count(len(its), 'source')}", parameters=given,
        reason=reason + bands.peak_words(proposal, {unit.id: unit for unit in found.units}),
        evidence={
            "hidden": found.mean, "hidden_then": trial.mean(), "most_gained": names[best],
            "gained": float(gained[best]), "most_lost": names[worst], "lost": float(lost[worst]), "lifts": lifts,
            "cuts_only_gain": _cuts_only(look, found) if lifts else found.mean - trial.mean(),
        },
    )  # fmt: skip


def _worth(found: Sharing, proposal: Proposal) -> dict[str, float]:
    """By how much less is masked with each band than without it."""
    few = Trial(found.scene.thinned(search.SHARE_OF_FRAMES))
    rate, worth = found.scene.sample_rate, {}
    for unit, its in bands.bands_of(proposal).items():
        track = found.scene.names.index(unit)
        few.put(track, few.kept(track, search.gains_of(its, rate)))
    whole = few.mean()
    for unit, its in bands.bands_of(proposal).items():
        track = found.scene.names.index(unit)
        for place in range(len(its)):
            few.put(track, few.kept(track, search.gains_of(its[:place] + its[place + 1 :], rate)))
            worth[f"{unit}/{place + 1}"] = few.mean() - whole
        few.put(track, few.kept(track, search.gains_of(its, rate)))
    return worth


def _within(look: Look, found: Sharing, proposal: Proposal) -> Proposal:
    """With smaller bands where the measured output brings a curve over its limits, or a peak over what would be warned
    of: on struck sounds it is up to 0.8 dB beside what the bands predict."""
    limits = search.limits_db(found.bare, bottom(found), school(look.session.settings))
    there, low = present(look.session, found).gains, bottom(found)
    for _ in range(ROUNDS):
        outputs, gains = per_strip(proposal, bands.OUTPUTS), dict(per_strip(proposal, "gain_db"))
        peaks, over = per_strip(proposal, bands.PEAKS), []
        for unit, its in bands.bands_of(proposal).items():
            place = found.scene.names.index(unit)
            curve = there[place] * search.gains_of(its, look.session.sample_rate)
            kept = curve * 10.0 ** (outputs.get(unit, 0.0) / 10.0)
            most_peak_db = BOTTOM_PEAK_DB if unit in low else MOST_PEAK_DB
            if not search.inside(curve, kept, limits[place]) or peaks.get(unit, 0.0) > most_peak_db:
                over.append(unit)
        if not over:
            break
        for i, gain in gains.items():
            if i.partition("/")[0] in over:
                gains[i] = float(np.sign(gain) * max(0.0, abs(gain) - STEP_DB))
        again = {**proposal.parameters, "gain_db": gains, bands.MEASURED: None}
        proposal = bands.measured(look, _without_nothing(replace(proposal, parameters=again)))
    return proposal


def _without_nothing(proposal: Proposal) -> Proposal:
    """Without bands that were made so small that they do nothing."""
    gains = per_strip(proposal, "gain_db")
    gone = {i for i, gain in gains.items() if abs(gain) < STEP_DB}
    kept: dict[str, object] = {}
    for name, value in proposal.parameters.items():
        if name in ("frequency_hz", "gain_db", "q", "worth") and isinstance(value, dict):
            kept[name] = {i: number_ for i, number_ in value.items() if i not in gone}
        elif name in bands.SHELVES and isinstance(value, tuple):
            kept[name] = tuple(i for i in value if i not in gone)
        else:
            kept[name] = value
    return replace(proposal, parameters=kept)


def _change(before: float, after: float) -> str:
    return f"{number(100.0 * before, 0)} to {number(100.0 * after, 0)} %"


def _most(every: list[Band]) -> float:
    return max(abs(band.gain_db) for band in every)


def _cuts_only(look: Look, found: Sharing) -> float:
    """What the same search gains where nothing may be lifted: the plain alternative."""
    plain = search.School(True, TIMBRE)
    cuts = _searched(look, found, plain)
    return found.mean - search.with_bands(found.scene, cuts).mean() if cuts else 0.0


KIND = Kind(
    "share.shape", DEPENDS_ON, propose, bands.edit, prepare=bands.measured, parts=bands.parts, changed=bands.changed
)
