"""Starting points of a balance: voice first, rhythm first, all even.

Each source (`figures.sources.units`) is brought to a loudness at the mix bus: its gated loudness while it plays, with
the pan it has; microphones of one source are even among themselves and count together, as the sum they make. *Voice
first* and *rhythm first* add an offset by what a track is in the arrangement, from the settings (common practice, from
memory); *all even* makes every source equally loud, for ears that go on from there. Which one comes first is a matter
of whether somebody leads, never of how loud the files came: voice first where there is a lead, else rhythm first; as
long as that one is not there, all three are offered, each with the whole as it would be.

All then move together so that the mix peaks in the middle of its window;
where the session has an anchor, so that this lane stays where it is. Muted, hidden and silent lanes, clicks, triggers
and references keep their level.
"""

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace

from all_even import decibels
from all_even.dsp.parameter import LEVEL, LOWEST_LEVEL_DB, number
from all_even.figures.arriving import arrival
from all_even.figures.book import flow as flows
from all_even.figures.book.look import Look
from all_even.figures.sources.units import Unit, unit_energy, unit_lufs, units
from all_even.figures.whole.whole import Whole, relations
from all_even.figures.whole.words import in_short
from all_even.measure.level import loudness
from all_even.moves.kind import Kind, left_out, per_strip, values_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.settings import WorkSettings
from all_even.session.model.strips import Lane
from all_even.session.tracks.classes import Class

EVEN_ENOUGH_LU = 1.0
USUAL_PEAK_LU = 15.0
"""About how far a mix peaks over its loudness; where faders are shown before they are tried."""
VIRTUAL_LUFS = -30.0
"""Where everything is brought first, to see what it adds up to."""
LEVELS = "levels_db"
Offset = Callable[[WorkSettings, Class], float]
"""LU against the loudest class, from the settings and what a source is in the arrangement."""


def none(_settings: WorkSettings, _standing: Class) -> float:
    return 0.0


def voice_first(settings: WorkSettings, standing: Class) -> float:
    return float(getattr(settings, f"{standing}_lu"))


def rhythm_first(settings: WorkSettings, standing: Class) -> float:
    """What carries the song on top, the lead just under it."""
    if standing == "carrying":
        return settings.lead_lu
    return settings.lead_lu - 1.0 if standing == "lead" else voice_first(settings, standing)


STARTS: dict[str, Offset] = {"voice-first": voice_first, "rhythm-first": rhythm_first, "all-even": none}
TITLES = {
    "all-even": "All even: every source equally loud",
    "voice-first": "Voice first: everything placed around the lead",
    "rhythm-first": "Rhythm first: kick, snare and bass on top",
}
REASONS = {
    "all-even": "A neutral start: from here, raise what matters.",
    "voice-first": "A start by what each track is: lead, core, support, background; the offsets are settings.",
    "rhythm-first": "A start by what each track is, with what carries the song on top; the offsets are settings.",
}


def first_choice(look: Look) -> str:
    """Voice first where somebody leads; else rhythm first."""
    return "voice-first" if any(unit.standing == "lead" for unit in units(look)) else "rhythm-first"


def spread_lu(look: Look, start: str = "all-even") -> float | None:
    """Loudest minus quietest source against its place; None with fewer than two."""
    settings, offset = look.session.settings, STARTS[start]
    arriving = [
        value - offset(settings, unit.standing) for unit in units(look) if (value := unit_lufs(look, unit)) is not None
    ]
    return max(arriving) - min(arriving) if len(arriving) > 1 else None


def even_levels(look: Look, start: str = "all-even") -> dict[str, float]:
    """A level per lane id that brings every source to its place, with the loudest class at -30 LUFS."""
    settings, offset = look.session.settings, STARTS[start]
    found = units(look)
    levels: dict[str, float] = {}
    for unit in found:
        for lane in unit.lanes:
            at_zero = _at_zero_lufs(look, lane)
            if at_zero is not None:
                levels[lane.id] = VIRTUAL_LUFS - at_zero
    there = look.at(
        edits.set_levels(look.session, {lane_id: LEVEL.clamped(level) for lane_id, level in levels.items()})
    )
    for unit in found:
        now = unit_lufs(there, Unit(tuple(there.session.lane(lane.id) for lane in unit.lanes)))
        for lane in unit.lanes:
            if lane.id in levels and now is not None:
                # Faders stop at their ends: what was asked of them is what counts.
                held = LEVEL.clamped(levels[lane.id])
                levels[lane.id] = held + VIRTUAL_LUFS + offset(settings, unit.standing) - now
    return levels


def _at_zero_lufs(look: Look, lane: Lane) -> float | None:
    """How loud a lane would arrive with its fader at 0 dB."""
    if lane.level_db > decibels.OFF_DB:
        value = _arriving(look, lane)
        return None if value is None else value - lane.level_db
    raised = look.at(edits.change_strips(look.session, (lane.id,), level_db=0.0))
    return _arriving(raised, raised.session.lane(lane.id))


def _arriving(look: Look, lane: Lane) -> float | None:
    measures = look.measures(lane.id)
    if measures is None:
        return None
    flow = look.strip_flow(lane.id) if lane.chain else None
    return arrival.arrival(look.session, lane, measures, flow).integrated_lufs


def propose(look: Look, start: str = "all-even") -> list[Proposal]:
    first = first_choice(look)
    due, spread = spread_lu(look, first), spread_lu(look, start)
    if due is None or spread is None or min(due, spread) < EVEN_ENOUGH_LU:
        return []
    if start == "voice-first" and first != start:
        return []
    levels = even_levels(look, start)
    if not levels:
        return []
    anchor = _anchor(look.session, levels)
    if anchor is not None:
        final = _around(levels, anchor)
        where = f"{anchor.name} stays where it is; the peak of the mix is then a matter of its trim."
    else:
        estimate = _summed_lufs(look, levels)
        final = _shifted(levels, look.session.settings.mix_peak_dbfs - estimate - USUAL_PEAK_LU)
        where = (
            f"The mix then peaks at {number(look.session.settings.mix_peak_dbfs)} dBFS: all faders move together "
            "until it does."
        )
    then, told = _whole(look, final)
    return [
        BY_START[start].move(
            title=TITLES[start],
            reason=f"{REASONS[start]} {where}{told}",
            parameters={LEVELS: final},
            evidence={
                "lanes": len(final),
                "sources": len(units(look)),
                "spread_lu": round(spread, 2),
                "lead_db": then.lead_db,
                "mix_peak_aimed_dbfs": None if anchor is not None else look.session.settings.mix_peak_dbfs,
            },
            metric=METRIC,
            arguments={"start": start},
            before=spread,
            expected=None if min(final.values()) <= LOWEST_LEVEL_DB else 0.0,
            weight=10.0 if start == first else 9.5 - list(STARTS).index(start) / 10.0,
        )
    ]


def _whole(look: Look, levels: dict[str, float]) -> tuple[Whole, str]:
    """What would stand out, and in words: to choose by."""
    there = look.at(edits.set_levels(look.session, {i: LEVEL.clamped(level) for i, level in levels.items()}))
    then = relations(there)
    told = in_short(relations(look), then)
    return then, f" {told}" if told else ""


def _anchor(session: Session, levels: dict[str, float]) -> Lane | None:
    """The lane that stays, where it takes part and is turned on."""
    if session.anchor not in levels:
        return None
    lane = session.lane(session.anchor)
    return lane if lane.level_db > decibels.OFF_DB else None


def _around(levels: dict[str, float], anchor: Lane) -> dict[str, float]:
    """All faders together, so that the anchor's is where it is."""
    return _shifted(levels, anchor.level_db - levels[anchor.id])


def _shifted(levels: dict[str, float], shift: float) -> dict[str, float]:
    """All faders together, the highest no higher than it can go."""
    shift = min(shift, LEVEL.high - max(levels.values()))
    return {lane_id: max(LOWEST_LEVEL_DB, level + shift) for lane_id, level in levels.items()}


def _summed_lufs(look: Look, levels: dict[str, float]) -> float:
    """About how loud the mix is at these levels: powers of the sources added."""
    there = look.at(edits.set_levels(look.session, {i: LEVEL.clamped(level) for i, level in levels.items()}))
    energies = [energy for unit in units(there) if (energy := unit_energy(there, unit)) is not None]
    found = loudness.integrated_lufs(flows.summed(energies)) if energies else None
    return found if found is not None else VIRTUAL_LUFS


def prepare(look: Look, proposal: Proposal) -> Proposal:
    """The common level of the faders, from the peak of the mix as it would be: a gain common to all its parts moves it
    exactly."""
    levels = per_strip(proposal, LEVELS)
    if not levels:
        return proposal
    anchor = _anchor(look.session, levels)
    if anchor is not None:
        return replace(proposal, parameters={**proposal.parameters, LEVELS: _around(levels, anchor)})
    # Far from the top of the faders, so that none is held there while the sum is looked at.
    lowered = _shifted(levels, LEVEL.high - 1.0 - max(levels.values())) if max(levels.values()) > LEVEL.high else levels
    trial = look.at(edits.set_levels(look.session, lowered)).mix
    if trial is None or trial.sample_peak_dbfs is None:
        return proposal
    final = _shifted(lowered, look.session.settings.mix_peak_dbfs - trial.sample_peak_dbfs)
    evidence = {**proposal.evidence, "lowest_db": min(final.values()), "highest_db": max(final.values())}
    return replace(proposal, parameters={**proposal.parameters, LEVELS: final}, evidence=evidence)


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Each fader."""
    levels = values_of(proposal, LEVELS)
    return [
        (i, f"{session.lane(i).name} {number(session.lane(i).level_db)} → {number(level)} dB")
        for i, level in levels.items()
        if session.is_lane(i)
    ]


def without_promise(proposal: Proposal) -> Proposal:
    """With faders left out nothing is promised of the others."""
    return replace(proposal, expected=None if left_out(proposal) else 0.0)


def edit(session: Session, proposal: Proposal) -> Session:
    """Lanes that are gone since are left out."""
    present = {lane.id for lane in session.lanes}
    levels = per_strip(proposal, LEVELS)
    return edits.set_levels(session, {lane_id: level for lane_id, level in levels.items() if lane_id in present})


def _spread(look: Look, arguments: Arguments) -> float | None:
    start = str(arguments.get("start") or "all-even")
    return spread_lu(look, start if start in STARTS else "all-even")


DEPENDS_ON = ("files", "order", "levels", "strips", "settings")
RIVALS = frozenset(f"balance.{start}" for start in STARTS)
KINDS = tuple(
    Kind(
        f"balance.{start}",
        DEPENDS_ON,
        partial(propose, start=start),
        edit,
        prepare,
        starting_point=True,
        rivals=RIVALS,
        parts=parts,
        changed=without_promise,
    )
    for start in STARTS
)
BY_START = dict(zip(STARTS, KINDS, strict=True))
METRIC = Metric("spread", "spread of loudness among sources", "LU", 1, 0.3, DEPENDS_ON, _spread)
