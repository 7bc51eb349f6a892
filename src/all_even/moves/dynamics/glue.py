"""Glue: gentle compression of the mix or a group, one or two dB, so little that the display is almost still.

- Ratio 2:1 on the mix, 3:1 on a group of drums, or of drums and bass; an approach sets 2, 3 or 4:1 for all.
- Attack by the punch rule: opened from 10 ms on until the peaks of the hits, at equal loudness, stand within 0.3 dB
  of what 30 ms leave. Past that nothing changes.
- Release by the beat: the longest that leaves under 0.5 dB just before the next hit and does not pump; schools: as fast
  as can be without pumping, by programme, slow for classical music.
- The detector is high-passed so that the bass does not drive it, and opened again where there is little bass; what
  that changes is said.
- No make-up; what it does to each member is measured. Where loud and soft moments come no closer together, and the
  hits no further out, nothing is gained, and that is said instead.
"""

from collections.abc import Sequence

from msgspec.structs import replace

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor
from all_even.figures.book import flow as flows
from all_even.figures.book.fingerprint import Fingerprints, digest
from all_even.figures.book.look import Figure, Look
from all_even.figures.dynamics.dynamics import PART, is_dynamic, moving, outline, part, working
from all_even.measure.dynamics import side_effects
from all_even.measure.dynamics.movement import Movement
from all_even.moves.dynamics import effects, gentle
from all_even.moves.dynamics.figures import DEPENDS_ON, MEASURED_ON, movement_of
from all_even.moves.kind import Kind, measured_later, numbers_of, value_of
from all_even.moves.metric import Arguments, Metric
from all_even.moves.side_by_side import side_by_side
from all_even.session.editing import chain_edits
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX, Bus
from all_even.session.tracks.roles import family_of

TAKES = Parameter("Takes in loud passages", "dB", 0.5, 4.0, 1.5, 0.25, decimals=2)
LESS = (1.0, 0.7, 0.5)
"""How much is taken, one after the other, where the first would be warned of."""
LEFT_FOR_PEAKS_DB = 0.3
"""So much less than what is warned of may the mix pump: whatever holds its peaks afterwards pumps too. Without it five
of seventeen mixes had their peaks left as they were, for a glue that had used up all that may be heard."""
MIX_RATIO, GROUP_RATIO = 2.0, 3.0
RATIOS = {"2:1": 2.0, "3:1": 3.0, "4:1": 4.0}


def shifts(look: Look, strip_id: str, fit: gentle.Fit) -> list[tuple[str, float]]:
    """Members of a sum with what its compression would do to each against the whole, LU; most first."""
    session = look.session
    measures = {lane.id: found for lane in session.lanes if (found := look.measures(lane.id)) is not None}
    heard = look.book.fingerprints(session).strips
    members = {edge.source for edge in routing.edges(session) if edge.target == strip_id and edge.kind != "key"}
    chained = [
        strip.id for strip in session.strips if strip.id in members and (strip.chain or not session.is_lane(strip.id))
    ]
    chained += [strip_id] if session.chain(strip_id) else []
    flow = look.strip_flow(*[member_id for member_id in chained if member_id in heard])
    told = [
        (session.strip_name(item.edge.source), item.change_lu)
        for item in flows.contributions(session, strip_id, measures, flow, fit.movement.gain_db)
        if item.change_lu is not None
    ]
    return sorted(told, key=lambda item: -item[1])


def groups(session: Session) -> list[Bus]:
    """Summing groups of drums, or of drums and bass, with at least two members that are heard."""
    found = []
    for bus in session.buses:
        members = [lane for lane in session.lanes if lane.destination == bus.id and routing.is_sounding(session, lane)]
        families = {family_of(lane.role) for lane in members}
        if bus.use == "group" and len(members) > 1 and "drums" in families and families <= {"drums", "bass"}:
            found.append(bus)
    return found


def candidates(look: Look) -> list[tuple[str, str]]:
    """(id, name) of the sums that nothing holds yet and that are heard."""
    session = look.session
    sums = [(MIX, "the mix"), *((bus.id, bus.name) for bus in groups(session))]
    return [
        (strip_id, name)
        for strip_id, name in sums
        if outline(look, strip_id) is not None
        and not any(is_dynamic(item) and not isinstance(item, Limiter) for item in session.chain(strip_id))
    ]


def fit_of(look: Look, strip_id: str, share: float = 1.0) -> gentle.Fit:
    """The glue that fits a sum, by the session's settings. share: of what they say it takes."""
    return look.get(FIT, _target(strip_id, taken(look.session, share)))


def taken(session: Session, share: float = 1.0) -> float:
    """How much is taken in loud passages, dB."""
    return TAKES.clamped(share * session.settings.glue_db)


def _target(strip_id: str, takes_db: float) -> str:
    return f"{strip_id}:{takes_db}"


def _read(target: str) -> tuple[str, float]:
    strip_id, _, takes_db = target.rpartition(":")
    return strip_id, float(takes_db)


def _fit_rests_on(look: Look, prints: Fingerprints, target: str) -> str:
    strip_id, takes_db = _read(target)
    return digest((PART.rests_on(look, prints, strip_id), takes_db, look.session.settings.glue_release,
                   look.session.approaches.glue_ratio))  # fmt: skip


def _fit(look: Look, target: str) -> gentle.Fit:
    (strip_id, takes_db), release = _read(target), look.session.settings.glue_release
    found = part(look, strip_id)
    assert found is not None
    return gentle.fitted(found, takes_db, ratio=ratio_of(look.session, strip_id), release=release)


def _opened(look: Look, target: str) -> gentle.Opened | None:
    strip_id, takes_db = _read(target)
    found = part(look, strip_id)
    return None if found is None else gentle.without_key(found, look.get(FIT, target), takes_db)


FIT = Figure("glue", 2, "strip", _fit_rests_on, _fit)
OPENED = Figure("glue whose detector hears all", 1, "strip", _fit_rests_on, _opened)


def ratio_of(session: Session, strip_id: str) -> float:
    """As the approach says, else by what it is."""
    chosen = session.approaches.glue_ratio
    if chosen in RATIOS:
        return RATIOS[chosen]
    return MIX_RATIO if strip_id == MIX else GROUP_RATIO


def propose(look: Look) -> list[Proposal]:
    made = side_by_side(look, lambda place: _of_sum(look, *place), candidates(look))
    return [proposal for proposal in made if proposal is not None]


def _of_sum(look: Look, strip_id: str, name: str) -> Proposal | None:
    look.stop_if_cancelled()
    found = _harmless(look, strip_id) if fit_of(look, strip_id).gains else None
    return None if found is None else _proposal(look, strip_id, name, *found)


def _harmless(look: Look, strip_id: str) -> tuple[gentle.Fit, float] | None:
    """The glue that fits, and how much it takes; less where more would be warned of afterwards, or none."""
    for share in LESS:
        fit = fit_of(look, strip_id, share)
        if not fit.gains:
            return None
        if not _would_be_warned_of(look, strip_id, fit):
            return fit, taken(look.session, share)
    return None


def _would_be_warned_of(look: Look, strip_id: str, fit: gentle.Fit) -> bool:
    """By itself, or together with what works there already; on the mix, with what will hold its peaks."""
    side = fit.movement.side
    if effects.flags(side) or (
        strip_id == MIX and (side.pump_db or 0.0) > side_effects.PUMP_FLAG_DB - LEFT_FOR_PEAKS_DB
    ):
        return True
    if not working(look.session.chain(strip_id)):
        return False
    then = moving(look.at(placed(look.session, strip_id, fit.station)), strip_id)
    return then is not None and bool(effects.flags(then.side))


def nothing_gained(look: Look) -> list[tuple[str, str, float]]:
    """(id, name, dB closer) of sums where glue would do nothing."""
    told = []
    for strip_id, name in candidates(look):
        fit = fit_of(look, strip_id)
        if not fit.gains:
            now = fit.movement
            told.append((strip_id, name, (now.moments_before_db or 0.0) - (now.moments_now_db or 0.0)))
    return told


def _proposal(look: Look, strip_id: str, name: str, fit: gentle.Fit, takes_db: float) -> Proposal:
    now, station = fit.movement, fit.station
    moved = shifts(look, strip_id, fit)
    return KIND.move(
        targets=(strip_id,), of=strip_id, title=f"Gentle compression that holds {name} together",
        reason=f"{number(station.ratio)}:1, attack {number(station.attack_ms, 0)} ms by the hits, release "
        f"{_release(station, now)}, no make-up. Loud and soft moments come "
        f"{number((now.moments_before_db or 0.0) - (now.moments_now_db or 0.0))} dB closer."
        f"{_key(look, strip_id, fit, takes_db)}{_moved(moved)}"
        f"{effects.told(now.side, loudness=False)} Bypass is level-matched: judge it so. None is a good answer too.",
        parameters={"takes_db": takes_db, **_numbers(station)},
        evidence={"takes_db": takes_db, "left_db": now.side.left_db, **_shift_evidence(moved),
                  **effects.evidence(now.side)},
        metric=GAIN, arguments={"strip": strip_id}, before=0.0, expected=now.loud_gain_db, source="trial",
        weight=3.0 if strip_id == MIX else 2.5,
    )  # fmt: skip


def _numbers(station: Compressor) -> dict[str, float]:
    return {
        "threshold_db": station.threshold_db, "ratio": station.ratio, "attack_ms": station.attack_ms,
        "release_ms": station.release_ms, "programme": float(station.programme_release),
        "key_hz": station.key_high_pass_hz, "matched_db": station.matched_db,
    }  # fmt: skip


def _release(station: Compressor, now: Movement) -> str:
    if station.programme_release:
        return "by programme"
    left = now.side.left_db
    told = "" if left is None else f" ({number(left)} dB left before the next hit)"
    if left is not None and left >= side_effects.LEFT_FLAG_DB:
        told = f" ({number(left)} dB left before the next hit: a shorter one would pump)"
    return f"{number(station.release_ms, 0)} ms{told}"


def _key(look: Look, strip_id: str, fit: gentle.Fit, takes_db: float) -> str:
    """What the detector's high-pass changes."""
    opened = look.get(OPENED, _target(strip_id, takes_db))
    if opened is None:
        return " Little bass here, so the detector hears all of it."
    now = fit.movement
    pump = (now.side.pump_db or 0.0) - (opened.pump_db or 0.0)
    hits = (now.punch_now_db or 0.0) - (opened.hits_db or 0.0)
    return (
        f" The detector is high-passed at {number(gentle.KEY_HZ, 0)} Hz: that changes the pumping by "
        f"{signed(pump, 1)} dB and the hits by {signed(hits, 1)} dB."
    )


def _moved(moved: Sequence[tuple[str, float]]) -> str:
    up = [f"{name} {signed(lu, 1)}" for name, lu in moved if lu >= 0.1][:3]
    down = [f"{name} {signed(lu, 1)}" for name, lu in reversed(moved) if lu <= -0.1][:3]
    told = ""
    if up:
        told += f" Comes up: {', '.join(up)} LU."
    if down:
        told += f" Sinks: {', '.join(down)} LU."
    return told


def _shift_evidence(moved: Sequence[tuple[str, float]]) -> dict[str, float]:
    return {f"shift of {name[:40]}": lu for name, lu in moved}


def placed(session: Session, strip_id: str, station: Processor) -> Session:
    """With the station at the end of a chain, before a limiter."""
    chain = session.chain(strip_id)
    at = next((index for index, item in enumerate(chain) if isinstance(item, Limiter)), len(chain))
    return chain_edits.add_station(session, strip_id, station, at)


def _edit(session: Session, proposal: Proposal) -> Session:
    p = numbers_of(proposal)
    station = Compressor(
        threshold_db=p["threshold_db"], ratio=p["ratio"], knee_db=6.0, attack_ms=p["attack_ms"],
        release_ms=p["release_ms"], programme_release=bool(p["programme"]), key_high_pass_hz=p["key_hz"],
        matched_db=p["matched_db"],
    )  # fmt: skip
    return placed(session, proposal.targets[0], station)


def _refit(look: Look, proposal: Proposal) -> Proposal:
    """Another amount is fitted anew."""
    if proposal.expected is not None:
        return proposal
    takes_db = value_of(proposal, "takes_db")
    strip_id, name = proposal.targets[0], dict(candidates(look)).get(proposal.targets[0])
    if name is None:
        return proposal
    fit = look.get(FIT, _target(strip_id, takes_db))
    return replace(_proposal(look, strip_id, name, fit, takes_db), rests_on=proposal.rests_on)


def _gain(look: Look, arguments: Arguments) -> float | None:
    found = movement_of(look, arguments)
    return found.loud_gain_db if found is not None else None


GAIN = Metric("loud-gain", "gain in loud passages", "dB", 1, 0.3, (*MEASURED_ON, "mix"), _gain)
KIND = Kind(
    "dynamics.glue", (*DEPENDS_ON, "mix", "approaches"), propose, _edit, refit=_refit, parameters={"takes_db": TAKES},
    changed=measured_later, less=lambda move: {"takes_db": 0.6 * value_of(move, "takes_db")}, afterwards=True,
)  # fmt: skip
