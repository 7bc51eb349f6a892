"""Two places: a short room for nearly everything, and a long, darker one behind voice and snare.

Each is a return of its own: a reverb, a high-pass at 200 Hz and a low-pass at 7 kHz. Who sends how much follows from
the roles (`moves.space.who`). The return's fader is found on the sound, so that it is just missed when it is muted
(`figures.space.spaces.JUST_MISSED`). The long place ends when the next kick comes: its time follows from where snare
and kick fall, and is found on the snare's own sound around where the rule puts it.
"""

import dataclasses
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from msgspec.structs import replace

from all_even.dsp.parameter import LEVEL, Parameter, number
from all_even.dsp.processor import Processor
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.reverb_starts import STARTS
from all_even.dsp.space.room import Room
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.book.look import Look
from all_even.figures.space import spaces
from all_even.measure.space.ending import decay_for_drop_s
from all_even.moves.buses.tracks import free_bus_name, present
from all_even.moves.kind import Kind, left_out, measured_later, name_of, per_strip, value_of, values_of
from all_even.moves.space import who
from all_even.moves.space.figures import COVERED, DEPENDS_ON
from all_even.moves.space.snare import DROP_DB, ends_at_kick_s
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

LOW_CUT, HIGH_CUT = HighPass(frequency_hz=200.0), LowPass(frequency_hz=7000.0)
LOW_CUTS_HZ = (LOW_CUT.frequency_hz, 280.0, 400.0)
"""Higher where the return would still be mud: overheads and toms send a kick's body too."""
SHORT_UNDER_S = 1.0
"""A return that lasts shorter is a short place."""
SHORTEST_LONG_S, LONGEST_S = 1.2, 3.0
FEWEST = 2
SOUND_SHARE = 0.8
"""Of the time that the rule gives: about what is found on the sound of a snare, which lasts itself."""
MOST_LEAD_HIDDEN, MOST_LOW_DB = 0.02, 0.3
"""More is mud: of the lead's weight that a return hides, and of energy under 250 Hz (tried)."""
WITH_HATS_S = 0.68
"""Then a room is under half a second where hats are, at 4 to 8 kHz."""
LEAD_STEPS_DB = (0.0, 3.0, 6.0)
MISSED_UP_TO = 0.99
"""A return that is covered by more than this is not missed by anybody: then rather none."""
AIM = Parameter("Masked by the dry sound", "", 0.85, 0.995, spaces.JUST_MISSED, 0.005, decimals=3)


@dataclass(frozen=True, slots=True)
class Trial:
    """A return as it would be made. low_cut_hz: of its high-pass. until_s: from snare to kick; drop_db: what its room
    falls by."""

    reverb: Reverb
    low_cut_hz: float
    sends: Mapping[str, float]
    level_db: float
    figures: spaces.ReturnFigures
    until_s: float | None = None
    drop_db: float | None = None


def stations(reverb: Reverb, low_cut_hz: float = LOW_CUT.frequency_hz) -> tuple[Processor, ...]:
    """The chain of a return."""
    return reverb, replace(LOW_CUT, frequency_hz=low_cut_hz), HIGH_CUT


def _fitted(look: Look, reverb: Reverb, sends: Mapping[str, float], aim: float) -> Trial | None:
    """The return at its place, with the lowest high-pass that keeps it out of the low end."""
    found = None
    for low_cut_hz in LOW_CUTS_HZ:
        placed = tried(look, stations(reverb, low_cut_hz), sends, aim)
        if placed is None:
            break
        found = Trial(reverb, low_cut_hz, *placed)
        if (found.figures.low_added_db or 0.0) <= MOST_LOW_DB:
            break
    return found


def with_return(
    session: Session, name: str, chain: tuple[Processor, ...], sends: Mapping[str, float], level_db: float
) -> tuple[Session, str]:
    """The session with a return: its chain, its fader, and what lanes that are there send to it."""
    session, bus = routing_edits.add_bus(session, name, "return")
    for station in chain:
        session = chain_edits.add_station(session, bus, station)
    for lane_id in present(session, sends):
        session = routing_edits.set_send(session, (lane_id,), bus, level_db=sends[lane_id])
    return edits.change_strips(session, (bus,), level_db=LEVEL.clamped(level_db)), bus


def tried(
    look: Look, chain: tuple[Processor, ...], sends: Mapping[str, float], aim: float
) -> tuple[Mapping[str, float], float, spaces.ReturnFigures] | None:
    """What the lanes send, the fader at which the return is covered so far, and its figures there; None where nothing
    comes of it. Leads send less where the return would hide too much of them."""
    leads = who.leads(look, sends)
    found = None
    for less_db in LEAD_STEPS_DB:
        now = {lane_id: db - less_db * (lane_id in leads) for lane_id, db in sends.items()}
        placed = _placed(look, chain, now, aim)
        if placed is None:
            return found
        found = (now, *placed)
        if not leads or (placed[1].lead_hidden or 0.0) <= MOST_LEAD_HIDDEN:
            break
    return found


def _placed(
    look: Look, chain: tuple[Processor, ...], sends: Mapping[str, float], aim: float
) -> tuple[float, spaces.ReturnFigures] | None:
    session, bus = with_return(look.session, free_bus_name(look.session, "Trial"), chain, sends, 0.0)
    by_db = spaces.placing_db(look.at(session), bus, aim)
    if by_db is None:
        return None
    level_db = LEVEL.clamped(round(by_db, 1))
    placed = look.at(edits.change_strips(session, (bus,), level_db=level_db))
    return level_db, spaces.figures_of(placed, bus)


def fit_short(look: Look, sends: Mapping[str, float], aim: float) -> Trial | None:
    lanes = [look.session.lane(lane_id) for lane_id in sends]
    usual = STARTS["room"]
    reverb = replace(usual, modulation_ms=who.modulation_ms(lanes, usual.modulation_ms))
    if any(lane.role in who.HATS for lane in lanes):
        reverb = replace(reverb, decay_s=WITH_HATS_S)
    return _fitted(look, reverb, sends, aim)


def fit_long(look: Look, sends: Mapping[str, float], aim: float) -> Trial | None:
    lanes = [look.session.lane(lane_id) for lane_id in sends]
    usual = STARTS["hall"]
    reverb = replace(usual, modulation_ms=who.modulation_ms(lanes, usual.modulation_ms))
    found = spaces.wall(look)
    until = drop = None
    if found is not None and found.lane_id in sends:
        time_s = ends_at_kick_s(look, reverb, stations)
        reverb = replace(reverb, decay_s=min(LONGEST_S, max(SHORTEST_LONG_S, time_s)))
        until, drop = found.typical_s, spaces.drop_db(look, "", stations(reverb))
    placed = _fitted(look, reverb, sends, aim)
    return dataclasses.replace(placed, until_s=until, drop_db=drop) if placed is not None else None


def _has(look: Look, *, short: bool) -> bool:
    """Whether there is such a place already; a recorded or made room may be either."""
    for bus in space.returns(look.session):
        reverb = space.reverb_of(bus)
        if reverb is not None and (reverb.decay_s < SHORT_UNDER_S) is short:
            return True
        if any(isinstance(item, Convolution | Room) and not item.bypass for item in bus.chain):
            return True
    return False


def propose_short(look: Look) -> list[Proposal]:
    sends = who.to_short(look)
    if who.is_ensemble(look) or _has(look, short=True) or len(sends) < FEWEST:
        return []
    found = short_proposal(look, sends, spaces.JUST_MISSED)
    return [found] if found is not None else []


def propose_long(look: Look) -> list[Proposal]:
    sends = long_sends(look)
    if who.is_ensemble(look) or _has(look, short=False) or len(sends) < FEWEST:
        return []
    found = long_proposal(look, sends, spaces.JUST_MISSED)
    return [found] if found is not None else []


def long_sends(look: Look) -> dict[str, float]:
    """Without the snare where even the shortest of long places would outlast the next kick: the short one has it."""
    found = spaces.wall(look)
    if found is None:
        return who.to_long(look)
    rule_s = decay_for_drop_s(found.typical_s, STARTS["hall"].predelay_ms / 1000.0, DROP_DB)
    return who.to_long(look, snare=SOUND_SHARE * rule_s >= SHORTEST_LONG_S)


def short_proposal(look: Look, sends: Mapping[str, float], aim: float) -> Proposal | None:
    fit = fit_short(look, sends, aim)
    if fit is None:
        return None
    dry = who.left_dry(look)
    aside = ", ".join(f"{look.session.strip_name(lane_id)} {why}" for lane_id, why in dry.items())
    room = fit.reverb
    most = ", most from the snare" if max(fit.sends.values()) > who.OTHER_DB else ""
    reason = (
        f"A short space holds the parts together: {number(room.decay_s, 2)} s, {room.predelay_ms:.0f} ms of pre-delay, "
        f"{fit.low_cut_hz:.0f} Hz to 7 kHz. A trace on nearly everything{most}; nothing from kick and bass."
        + (f" Left dry: {aside}." if aside else "")
    )
    return _proposal(look, SHORT, "Short room", "A short room for nearly everything", reason, fit, aim, 6.0)


def long_proposal(look: Look, sends: Mapping[str, float], aim: float) -> Proposal | None:
    fit = fit_long(look, sends, aim)
    if fit is None:
        return None
    ends = ""
    if fit.until_s is None and spaces.wall(look) is not None:
        ends = " The snare stays out of it: it would reach under the next kick."
    if fit.until_s is not None and fit.drop_db is not None:
        ends = (
            f" The kick comes {1000.0 * fit.until_s:.0f} ms after the snare: in {number(fit.reverb.decay_s, 2)} s its "
            f"room has fallen by {number(fit.drop_db, 0)} dB until then."
        )
    reason = (
        f"One long, darker space carries what leads: {number(fit.reverb.decay_s, 2)} s, "
        f"{fit.reverb.predelay_ms:.0f} ms of pre-delay, {fit.low_cut_hz:.0f} Hz to 7 kHz.{ends}"
    )
    return _proposal(look, LONG, "Long hall", "A long, darker hall behind what leads", reason, fit, aim, 5.0)


def _proposal(
    look: Look, kind: Kind, name: str, title: str, reason: str, fit: Trial, aim: float, weight: float
) -> Proposal:
    found, name = fit.figures, free_bus_name(look.session, name)
    hidden = "" if found.lead_hidden is None else f", masks {number(100.0 * found.lead_hidden)} % more of the lead"
    low = "" if found.low_added_db is None else f" It adds {number(found.low_added_db, 2)} dB under 250 Hz{hidden}."
    return kind.move(
        targets=tuple(fit.sends),
        title=title,
        reason=f"{reason} Its fader is where it is just audible when muted.{low}",
        parameters={"sends": dict(fit.sends), "level_db": fit.level_db, "decay_s": fit.reverb.decay_s,
                    "low_cut_hz": fit.low_cut_hz,
                    "modulation_ms": fit.reverb.modulation_ms, "name": (name,), "aim": aim},
        evidence={"sends": len(fit.sends), "decay_s": fit.reverb.decay_s, "level_db": fit.level_db,
                  "low_added_db": found.low_added_db,
                  "lead_hidden_percent": None if found.lead_hidden is None else 100.0 * found.lead_hidden,
                  "snare_to_kick_s": fit.until_s, "drop_db": fit.drop_db},
        metric=COVERED,
        arguments={"bus": name},
        expected=found.covered,
        source="trial",
        weight=weight,
    )  # fmt: skip


def parts(session: Session, proposal: Proposal) -> list[tuple[str, str]]:
    """Its sends one by one; people may leave some out."""
    sends = proposal.parameters.get("sends")
    found = sends if isinstance(sends, dict) else {}
    known = {strip.id for strip in session.strips}
    return [(lane_id, f"{session.strip_name(lane_id)} at {LEVEL.text(db)}") for lane_id, db in found.items()
            if lane_id in known]  # fmt: skip


def _refit(fit: Callable[[Look, Mapping[str, float], float], Proposal | None]) -> Callable[[Look, Proposal], Proposal]:
    def refit(look: Look, proposal: Proposal) -> Proposal:
        if proposal.expected is not None:
            return proposal
        kept = per_strip(proposal, "sends")
        sends = {lane_id: kept[lane_id] for lane_id in present(look.session, kept)}
        anew = fit(look, sends, value_of(proposal, "aim"))
        if anew is None:
            return proposal
        # What was left out stays in the list, to be taken in again.
        given = values_of(proposal, "sends")
        parameters = {**anew.parameters, "sends": given, "left_out": left_out(proposal)}
        return replace(anew, parameters=parameters, rests_on=proposal.rests_on)

    return refit


def further_under(proposal: Proposal) -> dict[str, float]:
    """Half as much of it, further under what is just missed when muted; nothing where nobody would miss it any more."""
    aim = round(0.5 * (1.0 + value_of(proposal, "aim")), 3)
    return {"aim": aim} if aim <= MISSED_UP_TO else {}


def _edit(start: str) -> Callable[[Session, Proposal], Session]:
    def edit(session: Session, proposal: Proposal) -> Session:
        decay_s, modulation = value_of(proposal, "decay_s"), value_of(proposal, "modulation_ms")
        reverb = replace(STARTS[start], decay_s=decay_s, modulation_ms=modulation)
        sends, level_db = per_strip(proposal, "sends"), value_of(proposal, "level_db")
        low_cut_hz = value_of(proposal, "low_cut_hz") if "low_cut_hz" in proposal.parameters else LOW_CUTS_HZ[0]
        return with_return(session, name_of(proposal), stations(reverb, low_cut_hz), sends, level_db)[0]

    return edit


SHORT = Kind(
    "space.short", DEPENDS_ON, propose_short, _edit("room"), parameters={"aim": AIM}, changed=measured_later,
    starting_point=True, parts=parts, refit=_refit(short_proposal), less=further_under,
    rivals=frozenset({"space.one-room"}),
)  # fmt: skip
LONG = Kind(
    "space.long", DEPENDS_ON, propose_long, _edit("hall"), parameters={"aim": AIM}, changed=measured_later,
    starting_point=True, parts=parts, refit=_refit(long_proposal), less=further_under,
    rivals=frozenset({"space.one-room"}),
)  # fmt: skip
