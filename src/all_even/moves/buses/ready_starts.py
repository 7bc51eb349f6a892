"""Ready starts: routings that engineers build in every song, built at once, with their one number found.

Each is a normal set of buses, sends and stations that can be changed like any other. What has to be found
by ear otherwise - a threshold, a ceiling, the level of a copy - is found on the sound itself when the move is
made: the loudest twenty seconds that reach the place are played through the real processor until the aim
is met. Aims are common practice: about 1.5 dB of glue, a crushed copy some 22 dB under the dry drums, a
limiter that the kick alone does not touch.
"""

import dataclasses
from collections.abc import Callable, Iterable

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.compressor import Compressor
from all_even.dsp.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.dsp.passes import HighPass
from all_even.dsp.processor import Key, Processor, Single
from all_even.engine import flow as flows
from all_even.measure import levels, loudness
from all_even.measure.true_peak import true_peak
from all_even.moves.move import Move, Situation
from all_even.session import chain_edits, edits, routing, routing_edits
from all_even.session.model import MIX, Lane, Session
from all_even.session.roles import family_of

Array = NDArray[np.float64]

GLUE_DB = 1.5
PARALLEL_LU = -22.0
DUCK_DB = 4.0
SUM_OVER_KICK_DB = 0.3
"""How far over the kick's own peak the safety ceiling stands."""
LOUD_PART = 90
"""Percentile of the hops while playing that stands for the loud passages."""

CLICK_FIRST = ("kick in", "kick", "kick out")
"""Kick roles, the one with the clearest click first (common practice: the microphone inside)."""
KICKS = frozenset(CLICK_FIRST)
GROUP_NAMES = {
    "drums": "Drums", "percussion": "Percussion", "bass": "Basses", "guitars": "Guitars", "keys": "Keys",
    "winds & brass": "Winds & brass", "strings": "Strings", "voices": "Voices",
}  # fmt: skip


def moves(situation: Situation) -> list[Move]:
    """All ready starts that the session has the tracks for and does not have yet."""
    rules = (_sections, _parallel_drums, _kick_and_bass, _silent_trigger, _glue)
    return [move for rule in rules if (move := rule(situation)) is not None]


def _lanes(session: Session, wanted: Callable[[Lane], bool]) -> list[Lane]:
    return [lane for lane in session.lanes if not lane.hidden and routing.is_sounding(session, lane) and wanted(lane)]


def _ids(lanes: Iterable[Lane]) -> list[str]:
    return [lane.id for lane in lanes]


def _sections(situation: Situation) -> Move | None:
    """One summing group for each family that goes straight to the mix."""
    families: dict[str, list[Lane]] = {}
    for lane in _lanes(situation.session, lambda lane: lane.destination == MIX):
        families.setdefault(family_of(lane.role), []).append(lane)
    families = {name: lanes for name, lanes in families.items() if name in GROUP_NAMES and len(lanes) > 1}
    if len(families) < 2:
        return None

    def edit(session: Session) -> Session:
        for name, lanes in families.items():
            present = [lane.id for lane in lanes if lane.id in {item.id for item in session.lanes}]
            session, _ = routing_edits.group_strips(session, present, GROUP_NAMES[name])
        return session

    before = situation.mix.integrated_lufs if situation.mix else None
    return Move(
        id="buses.sections",
        stage="buses",
        target="session",
        title=f"Sections as groups: {', '.join(GROUP_NAMES[name].lower() for name in families)}",
        reason="Parts that will be treated as one get one fader and one chain. A group adds up to its members: "
        "the mix stays as it is.",
        evidence={f"{name}_tracks": len(lanes) for name, lanes in families.items()},
        edit=edit,
        metric="mix loudness, LUFS",
        before=before,
        expected=before,
        expected_from="predicted",
        measure=lambda after: after.mix.integrated_lufs if after.mix else None,
        weight=9.0,
    )


def _parallel_drums(situation: Situation) -> Move | None:
    """A crushed copy of the drums under the dry ones."""
    name = "Drums crushed"
    drums = _lanes(situation.session, lambda lane: family_of(lane.role) == "drums")
    if len(drums) < 2 or any(bus.name == name for bus in situation.session.buses):
        return None

    def routed(session: Session, level_db: float) -> tuple[Session, str]:
        session, bus = routing_edits.add_bus(session, name, "parallel")
        session = routing_edits.set_send(session, _ids(drums), bus)
        crush = Compressor(threshold_db=-40.0, ratio=12.0, knee_db=6.0, attack_ms=0.5, release_ms=80.0)
        session = chain_edits.add_station(session, bus, crush)
        return edits.change_strips(session, [bus], level_db=level_db), bus

    def prepare(now: Situation) -> Move:
        trial, bus = routed(now.session, 0.0)
        under = _under_dry(now, trial, bus) if now.measure_flow is not None else None
        level_db = PARALLEL_LU - under if under is not None else -20.0
        return replace_edit(move, lambda session: routed(session, level_db)[0])

    def measure(after: Situation) -> float | None:
        bus = next((item.id for item in after.session.buses if item.name == name), None)
        return _under_dry(after, after.session, bus) if bus is not None else None

    move = Move(
        id="buses.parallel-drums",
        stage="buses",
        target="session",
        title="Parallel drums: a crushed copy under the dry ones",
        reason="Drums that stay small however loud get their body from a copy that is compressed far too much and "
        f"kept some {number(-PARALLEL_LU, 0)} LU under the dry sound. It is sent after fader and pan, so the copy is "
        "the same mix of drums; peaks hardly rise. Mute the bus to compare.",
        evidence={"drum_tracks": len(drums), "aim_under_dry_lu": -PARALLEL_LU},
        edit=lambda session: routed(session, -20.0)[0],
        metric="crushed copy against the dry drums, LU",
        before=None,
        expected=PARALLEL_LU,
        expected_from="trial",
        measure=measure,
        weight=6.0,
        prepare=prepare,
    )
    return move


def _under_dry(situation: Situation, session: Session, bus: str | None) -> float | None:
    """Loudness of a parallel bus behind its fader against the sends' sources behind theirs."""
    if bus is None:
        return None
    flow = situation.flow if session is situation.session else None
    if flow is None or flow.strip(session, bus) is None:
        if situation.measure_flow is None:
            return None
        flow = situation.measure_flow(session)
    copied = flow.strip(session, bus)
    if copied is None:
        return None
    strip = session.bus(bus)
    out = flows.feed_energy(session, strip, routing.Edge(bus, strip.destination, "destination"), copied.weighted)
    dry = np.zeros((0, 2))
    for source in routing.senders(session, bus):
        energy = flows.energy_at_fader(session, source, situation.measures(source.id), flow)
        if energy is None:
            continue
        energy = flows.feed_energy(session, source, routing.Edge(source.id, source.destination, "destination"), energy)
        longer, shorter = (energy, dry) if len(energy) > len(dry) else (dry, energy)
        dry = longer.copy()
        dry[: len(shorter)] += shorter
    copy_lufs, dry_lufs = loudness.integrated_lufs(out), loudness.integrated_lufs(dry)
    return copy_lufs - dry_lufs if copy_lufs is not None and dry_lufs is not None else None


def _kick_and_bass(situation: Situation) -> Move | None:
    """One group for both, with a limiter that only their sum reaches."""
    name = "Kick & bass"
    session = situation.session
    kicks = _lanes(session, lambda lane: lane.role in KICKS)
    basses = _lanes(session, lambda lane: family_of(lane.role) == "bass")
    if not kicks or not basses or any(bus.name == name for bus in session.buses):
        return None

    def routed(now: Session, ceiling_db: float) -> tuple[Session, str]:
        left = {strip.destination for strip in (*kicks, *basses)} - {MIX}
        now, bus = routing_edits.group_strips(now, _ids(kicks) + _ids(basses), name)
        now = routing_edits.remove_strips(now, [item for item in left if _is_empty(now, item)])
        return chain_edits.add_station(now, bus, _safety(ceiling_db)), bus

    def prepare(now: Situation) -> Move:
        if now.hear is None:
            return move
        trial, bus = routed(now.session, 0.0)
        alone = edits.change_strips(trial, _ids(basses), mute=True)
        kick = now.hear(chain_edits.set_chain(alone, bus, []), bus)
        peak = true_peak(kick.astype(np.float32), session.sample_rate)
        ceiling = min(0.0, decibels.level_db(peak) + SUM_OVER_KICK_DB) if peak > 0.0 else 0.0
        both = now.hear(chain_edits.set_chain(trial, bus, []), bus)
        gain = np.zeros(len(both))
        Single(_safety(ceiling), now.session.sample_rate)(both, None, gain)
        found = replace_edit(move, lambda session: routed(session, ceiling)[0], ceiling_dbtp=round(ceiling, 2))
        return dataclasses.replace(found, expected=float(gain.min(initial=0.0)))

    def measure(after: Situation) -> float | None:
        bus = next((item.id for item in after.session.buses if item.name == name), None)
        return _loud_reduction(after, bus, Limiter) if bus is not None else None

    move = Move(
        id="buses.kick-and-bass",
        stage="buses",
        target="session",
        title="Kick and bass as one group with a safety limiter",
        reason="A tame sum of kick and bass is what allows a loud master. The ceiling stands just over the peak of "
        "the kick alone: the kick never touches it, only both together do.",
        evidence={"kick_tracks": len(kicks), "bass_tracks": len(basses)},
        edit=lambda session: routed(session, 0.0)[0],
        metric="strongest gain of the limiter, dB",
        before=0.0,
        expected=None,
        expected_from="trial",
        measure=measure,
        weight=5.0,
        prepare=prepare,
    )
    return move


def _safety(ceiling_db: float) -> Limiter:
    return Limiter(ceiling_db=ceiling_db, release_ms=60.0)


def _is_empty(session: Session, bus_id: str) -> bool:
    """Whether nothing leads to a group any more and nothing was done to it."""
    bus = next((bus for bus in session.buses if bus.id == bus_id), None)
    return bus is not None and not bus.chain and not bus.sends and not routing_edits.receives(session, bus_id)


def _silent_trigger(situation: Situation) -> Move | None:
    """The bass steps back at the kick's click, keyed by a copy of the kick that nobody hears."""
    session = situation.session
    kicks = _lanes(session, lambda lane: lane.role in KICKS)
    basses = _lanes(session, lambda lane: family_of(lane.role) == "bass")
    triggers = {lane.id for lane in session.lanes if lane.name.endswith(" trigger")}
    if not kicks or not basses or triggers:
        return None
    kick = min(kicks, key=lambda lane: CLICK_FIRST.index(lane.role))

    def routed(now: Session, threshold_db: float) -> Session:
        now, trigger = routing_edits.silent_trigger(now, kick.id)
        now = chain_edits.add_station(now, trigger, HighPass(frequency_hz=1500.0, slope=24))
        for bass in basses:
            now = chain_edits.add_station(now, bass.id, _duck(threshold_db, trigger))
        return now

    def prepare(now: Situation) -> Move:
        if now.hear is None:
            return move
        trial, trigger = routing_edits.silent_trigger(now.session, kick.id)
        trial = chain_edits.add_station(trial, trigger, HighPass(frequency_hz=1500.0, slope=24))
        click = now.hear(trial, trigger)
        threshold = find_threshold(
            lambda value: replace(_duck(value, trigger), key=None), click, session.sample_rate, DUCK_DB, strongest
        )
        return replace_edit(move, lambda session: routed(session, threshold), threshold_db=round(threshold, 1))

    move = Move(
        id="buses.silent-trigger",
        stage="buses",
        target=basses[0].id,
        title=f"Silent trigger from {kick.name} ducks {basses[0].name}" + (" and more" if len(basses) > 1 else ""),
        reason="A copy of the kick without output, high-passed to its click, keys the bass: depth and length can then "
        "be set nearly independently, and muting or turning the kick changes nothing. Threshold found for "
        f"{number(DUCK_DB, 0)} dB; set the release to the kick's tail.",
        evidence={"key": kick.name, "aim_db": DUCK_DB},
        edit=lambda session: routed(session, -30.0),
        metric="strongest gain of the duck, dB",
        before=0.0,
        expected=-DUCK_DB,
        expected_from="trial",
        measure=lambda after: _loud_reduction(after, basses[0].id, Compressor),
        weight=4.0,
        prepare=prepare,
    )
    return move


def _duck(threshold_db: float, trigger: str) -> Compressor:
    return Compressor(
        threshold_db=threshold_db, ratio=4.0, knee_db=0.0, attack_ms=2.0, hold_ms=30.0, release_ms=90.0,
        range_db=DUCK_DB + 2.0, key=Key(source=trigger),
    )  # fmt: skip


def _glue(situation: Situation) -> Move | None:
    """Gentle compression of the whole mix, so little that the display is almost still."""
    session = situation.session
    if session.mix.chain or situation.mix is None or situation.mix.integrated_lufs is None:
        return None

    def station(threshold_db: float) -> Compressor:
        return Compressor(
            threshold_db=threshold_db, ratio=2.0, knee_db=6.0, attack_ms=30.0, release_ms=120.0,
            programme_release=True, key_high_pass_hz=100.0,
        )  # fmt: skip

    def prepare(now: Situation) -> Move:
        if now.hear is None:
            return move
        sound = now.hear(now.session, MIX)
        threshold = find_threshold(station, sound, session.sample_rate, GLUE_DB, in_loud_passages)
        return replace_edit(
            move,
            lambda session: chain_edits.add_station(session, MIX, station(threshold)),
            threshold_db=round(threshold, 1),
        )

    move = Move(
        id="buses.glue",
        stage="buses",
        target=MIX,
        title="Gentle compression that holds the mix together",
        reason="2:1, an attack of 30 ms so that hits pass, release by programme, no make-up, both sides linked, the "
        "detector high-passed at 100 Hz so that the bass does not drive it. Threshold found so that "
        f"{number(GLUE_DB)} dB come off in loud passages. Judge it level-matched, and look at what it moves: "
        "none is a good answer too.",
        evidence={"mix_lufs": round(situation.mix.integrated_lufs, 1), "aim_db": GLUE_DB},
        edit=lambda session: chain_edits.add_station(session, MIX, station(-18.0)),
        metric="gain in loud passages, dB",
        before=0.0,
        expected=-GLUE_DB,
        expected_from="trial",
        measure=lambda after: _reduction(after, MIX, Compressor, LOUD_PART),
        weight=3.0,
        prepare=prepare,
    )
    return move


def replace_edit(move: Move, edit: Callable[[Session], Session], **evidence: float) -> Move:
    """The same move with the edit that was found, and what it was found to be."""
    return dataclasses.replace(move, edit=edit, evidence={**move.evidence, **evidence}, prepare=None)


def find_threshold(
    station: Callable[[float], Processor],
    sound: Array,
    sample_rate: int,
    aim_db: float,
    figure: Callable[[Array, Array], float],
) -> float:
    """The threshold in dB at which a processor takes `aim_db` off a sound, within 0.05 dB, by halving.

    figure: reads the reduction (positive dB) from gains per frame and the sound's power per frame.
    """
    low, high = -80.0, 12.0
    power = np.mean(sound**2, axis=1)
    for _ in range(14):
        middle = 0.5 * (low + high)
        gain = np.zeros(len(sound))
        Single(station(middle), sample_rate)(sound, None, gain)
        if figure(gain, power) > aim_db:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def strongest(gain_db: Array, power: Array) -> float:
    return -float(gain_db.min(initial=0.0))


def in_loud_passages(gain_db: Array, power: Array) -> float:
    """The reduction that a tenth of the playing time passes."""
    hop = 480
    count = len(gain_db) // hop
    if count == 0:
        return 0.0
    means = gain_db[: count * hop].reshape(count, hop).mean(axis=1)
    playing = levels.playing_hops(power[: count * hop].reshape(count, hop).mean(axis=1))
    return -float(np.percentile(means[playing], 100 - LOUD_PART)) if playing.any() else 0.0


def _reduction(situation: Situation, strip_id: str, kind: type[Processor], percentile: int) -> float | None:
    """Gain in dB that the first station of a kind applied in loud passages, as it was measured."""
    known = situation.flow.strip(situation.session, strip_id) if situation.flow else None
    for item in known.stations if known else ():
        if isinstance(item.station, kind) and len(item.gain_db):
            playing = levels.playing_hops(item.after[: len(item.gain_db), 0])
            if playing.any():
                return float(np.percentile(item.gain_db[: len(playing), 0][playing], 100 - percentile))
    return None


def _loud_reduction(situation: Situation, strip_id: str | None, kind: type[Processor]) -> float | None:
    """The strongest gain in dB that the last station of a kind applied."""
    known = situation.flow.strip(situation.session, strip_id) if situation.flow and strip_id else None
    for item in reversed(known.stations) if known else ():
        if isinstance(item.station, kind) and len(item.gain_db):
            return float(item.gain_db[:, 1].min(initial=0.0))
    return None
