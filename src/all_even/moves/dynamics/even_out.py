"""Even out: notes or words of a line that differ too much are brought together by a share of their spread.

The spread (`measure.dynamics.units`) is to fall to 0.6 of what it is; the highest threshold that gets there is found
with the real kernel. A ratio can't go under 1/ratio of the spread, so the ratio follows the aim. Make-up gives back the
loudness, so that the balance stays. Where that would be warned of afterwards (phrases that lose over 40 % of their
differences, pumping, breaths that come up, a gain that moves with the wave), less is aimed for, or nothing.

A voice may have two in series instead, one for peaks and one that always works at a low ratio. It is not more even; it
buys crest for more noise.
"""

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import Parameter, number
from all_even.dsp.processor import Processor
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import part, with_station
from all_even.measure.dynamics import units
from all_even.measure.dynamics.movement import Part
from all_even.moves.dynamics import effects
from all_even.moves.dynamics.figures import DEPENDS_ON, SPREAD
from all_even.moves.dynamics.linking import place_for, strip_for
from all_even.moves.dynamics.trying import Tried, matched, power_behind, solved, source_by_source
from all_even.moves.kind import Kind, measured_later
from all_even.session.model.ledger import Evidence, Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks.roles import family_of

AIM = Parameter("Aim: share of the spread", "", 0.3, 0.9, 0.6, 0.05, decimals=2)
GENTLER = (0.0, 0.1, 0.2)
"""How much less is aimed for, one after the other, where the first aim costs too much."""
KNEE_DB, RMS_MS, RATIO = 6.0, 10.0, 4.0
WITHIN_DB = 0.15
TIMES_MS = {"winds & brass": (5.0, 150.0)}
USUAL_MS = (10.0, 100.0)
"""Attack and release. Common practice: brass like a voice, fast attack and medium release."""
PEAKS = Compressor(ratio=4.0, knee_db=3.0, attack_ms=1.0, release_ms=60.0)
ALWAYS = Compressor(ratio=1.5, knee_db=KNEE_DB, attack_ms=15.0, release_ms=200.0, level="RMS", rms_ms=RMS_MS)
"""Two in series. Common practice: the second at about 1.5:1, always working."""
UNDER_SOFT_DB, OVER_LOUD_DB = 12.0, 8.0
WORDS = {"voices": "words", "bass": "notes"}


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """aim: share of the spread that was reached."""

    aim: float
    tried: Tried

    @property
    def stations(self) -> tuple[Compressor, ...]:
        return tuple(item for item in self.tried.stations if isinstance(item, Compressor))


def single(role: str, aim: float) -> Compressor:
    """One compressor, without its threshold."""
    attack_ms, release_ms = TIMES_MS.get(family_of(role), USUAL_MS)
    ratio = max(RATIO, round(1.6 / aim, 1))
    return Compressor(
        ratio=ratio, knee_db=KNEE_DB, attack_ms=attack_ms, release_ms=release_ms, level="RMS", rms_ms=RMS_MS
    )


def spread_behind(found: Part, stations: tuple[Processor, ...]) -> float:
    """Spread of the units behind some stations, dB."""
    return units.spread_db(found.units.levels_in(power_behind(found.signal, stations))) or 0.0


def fitted(found: Part, role: str, aim: float, *, twice: bool = False, asked: bool = False) -> Fit | None:
    """The compressor that reaches an aim, else a gentler one; None where all of them cost too much. asked: the aim was
    set by hand: only what flattens or shakes is too much then."""
    spread = found.units.spread_db
    if spread is None:
        return None
    for gentler in GENTLER:
        share = min(AIM.high, aim + gentler)
        threshold_db = _threshold_db(found, role, share, twice)
        if threshold_db is None:
            continue
        tried = matched(found, _stations(found, role, share, threshold_db, twice))
        side = tried.movement.side
        if not (side.flattens or side.shakes if twice or asked else effects.flags(side)):
            return Fit(share, tried)
    return None


def _stations(found: Part, role: str, aim: float, threshold_db: float, twice: bool) -> tuple[Compressor, ...]:
    if not twice:
        return (replace(single(role, aim), threshold_db=threshold_db),)
    soft_db = float(np.clip(np.percentile(found.units.levels_db, 10) - 3.0, -80.0, 12.0))
    return (replace(PEAKS, threshold_db=threshold_db), replace(ALWAYS, threshold_db=round(soft_db, 1)))


def _threshold_db(found: Part, role: str, aim: float, twice: bool) -> float | None:
    levels = found.units.levels_db
    low = float(np.clip(np.percentile(levels, 5) - UNDER_SOFT_DB, -80.0, 12.0))
    high = float(np.clip(np.percentile(levels, 95) + (20.0 if twice else OVER_LOUD_DB), -80.0, 12.0))
    spread = found.units.spread_db or 0.0
    threshold = solved(
        lambda db: spread_behind(found, _stations(found, role, aim, db, twice)), aim * spread, low, high,
        within=WITHIN_DB,
    )  # fmt: skip
    return round(threshold, 1) if threshold is not None else None


def _rule(look: Look, lane: Lane, found: Part) -> Proposal | None:
    fit = fitted(found, lane.role, look.session.settings.even_aim) if _is_uneven(look, found) else None
    return _proposal(look, KIND, lane, found, fit) if fit is not None else None


def _rule_twice(look: Look, lane: Lane, found: Part) -> Proposal | None:
    if family_of(lane.role) != "voices" or not _is_uneven(look, found):
        return None
    fit = fitted(found, lane.role, look.session.settings.even_aim, twice=True)
    single = next((move for move in SINGLE(look) if move.arguments["strip"] == lane.id), None)
    return _proposal(look, TWICE, lane, found, fit, single) if fit is not None else None


def _is_uneven(look: Look, found: Part) -> bool:
    return (found.units.spread_db or 0.0) >= look.session.settings.uneven_over_db


def _proposal(look: Look, kind: Kind, lane: Lane, found: Part, fit: Fit, single: Proposal | None = None) -> Proposal:
    spread, now = found.units.spread_db or 0.0, fit.tried.movement
    what = WORDS.get(family_of(lane.role), "notes")
    twice = len(fit.stations) == 2
    return kind.move(
        targets=(lane.id,), of=lane.id,
        title=f"Even out the {what} of {lane.name}{', two in series' if twice else ''}",
        reason=f"{len(found.units)} {what} lie {number(spread)} dB apart. {_how(fit)}{_gentler(look, fit)}"
        f"{_against(found, fit, single)}{effects.told(now.side)}",
        parameters={"aim": fit.aim, **_numbers(fit)},
        evidence={"units": len(found.units), "aim": fit.aim, "crest_change_db": now.crest_now_db - found.crest_db,
                  **effects.evidence(now.side)},
        metric=SPREAD, arguments={"strip": lane.id}, before=spread, expected=now.spread_now_db, source="trial",
        weight=5.0 + 0.1 * min(20.0, spread),
    )  # fmt: skip


def _numbers(fit: Fit) -> dict[str, float]:
    """What the edit is made with: thresholds, and the make-up of the last."""
    found = {f"threshold_{index}_db": station.threshold_db for index, station in enumerate(fit.stations)}
    return {**found, "makeup_db": fit.stations[-1].makeup_db}


def _how(fit: Fit) -> str:
    parts = [
        f"{number(one.ratio)}:1 from {number(one.threshold_db)} dB on, {number(one.attack_ms, 0)} ms attack, "
        f"{number(one.release_ms, 0)} ms release"
        for one in fit.stations
    ]
    joined = ", then ".join(parts)
    return f"{joined}; {number(fit.stations[-1].makeup_db)} dB give the loudness back."


def _gentler(look: Look, fit: Fit) -> str:
    if fit.aim <= look.session.settings.even_aim + 0.01:
        return ""
    return " Less is aimed for than usual: more would be heard by its side effects."


def _against(found: Part, fit: Fit, single: Proposal | None) -> str:
    """Two in series beside one, in figures."""
    if single is None:
        return ""
    now = fit.tried.movement
    one = {name: value for name, value in single.evidence.items() if isinstance(value, int | float)}
    crest = now.crest_now_db - found.crest_db - one.get("crest_change_db", 0.0)
    noise = (now.side.noise_rise_db or 0.0) - one.get("noise_rise_db", 0.0)
    return (
        f" Against a single one: {number(abs(crest))} dB {'less' if crest < 0.0 else 'more'} crest, breaths and noise "
        f"{number(abs(noise))} dB {'higher' if noise >= 0.0 else 'lower'}; it is not more even."
    )


def refit(look: Look, proposal: Proposal) -> Proposal:
    """Another aim is fitted anew."""
    aim = _number(proposal, "aim", AIM.default)
    if proposal.expected is not None or aim == proposal.evidence.get("aim"):
        return proposal
    at = place_for(look, proposal)
    found = part(at.look, at.lane.id)
    fit = None if found is None else fitted(found, at.lane.role, aim, twice=proposal.kind == TWICE.id, asked=True)
    if found is None or fit is None:
        return proposal
    now: Evidence = {**proposal.evidence, "aim": fit.aim, **effects.evidence(fit.tried.movement.side)}
    return replace(
        proposal, parameters={"aim": fit.aim, **_numbers(fit)}, evidence=now, expected=fit.tried.movement.spread_now_db
    )


def edit(session: Session, proposal: Proposal) -> Session:
    role = session.lane(proposal.targets[0]).role
    session, strip_id = strip_for(session, proposal.targets)
    makeup_db = _number(proposal, "makeup_db", 0.0)
    if proposal.kind == TWICE.id:
        first = replace(PEAKS, threshold_db=_number(proposal, "threshold_0_db", 0.0))
        second = replace(ALWAYS, threshold_db=_number(proposal, "threshold_1_db", 0.0), makeup_db=makeup_db)
        session = with_station(session, strip_id, first)
        return with_station(session, strip_id, second)
    station = single(role, _number(proposal, "aim", AIM.default))
    station = replace(station, threshold_db=_number(proposal, "threshold_0_db", 0.0), makeup_db=makeup_db)
    return with_station(session, strip_id, station)


def _number(proposal: Proposal, name: str, default: float) -> float:
    found = proposal.parameters.get(name, default)
    return float(found) if isinstance(found, int | float) else default


SINGLE = source_by_source("dynamics.even-out", _rule, struck=False)
KIND = Kind(
    "dynamics.even-out", DEPENDS_ON, SINGLE, edit, refit=refit, parameters={"aim": AIM}, changed=measured_later,
    less=lambda move: {"aim": 0.5 * (1.0 + _number(move, "aim", AIM.default))},
)  # fmt: skip
TWICE = Kind(
    "dynamics.even-out-twice", DEPENDS_ON, source_by_source("dynamics.even-out-twice", _rule_twice, struck=False), edit,
    refit=refit, parameters={"aim": AIM}, changed=measured_later, optional=True,
)  # fmt: skip
