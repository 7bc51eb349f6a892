"""Space by other schools: a room that is meant to be heard, percussion with one side late, loose echoes, a tone under a
drum.

- Heard: a return is raised until the dry sound covers 90 % of it instead of 97; one that hides too much of the lead
  already is left alone.
- One side late: mono percussion in the middle through a group, its right side 10 to 20 ms late, as far as mono bears.
- Loose echoes: note values a little off the beat on each side, slowly moving, the loop's filter ringing softly.
- Tone: a sine at each hit of a drum that has next to nothing under 100 Hz: 60 Hz for a kick, 120 for others, to be set
  to the song.
"""

from collections.abc import Iterator

import numpy as np

from all_even.dsp.ducking.hit_tone import HitTone
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.parameter import LEVEL, Parameter, number, signed
from all_even.dsp.processor import numbers
from all_even.dsp.space.echo import Echo, note_ms
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import hits_of
from all_even.figures.song import SONG
from all_even.figures.space import spaces
from all_even.moves.approaches.figures import BAND, SIDES, arriving, band_of_all_db
from all_even.moves.approaches.trial import Draft, on_trial
from all_even.moves.buses.tracks import free_bus_name
from all_even.moves.kind import name_of, per_strip, value_of
from all_even.moves.space import who, wider
from all_even.moves.space.figures import COVERED
from all_even.moves.space.level import heard_returns
from all_even.moves.space.short_and_long import MOST_LEAD_HIDDEN, tried, with_return
from all_even.session.editing import chain_edits, edits
from all_even.session.model import space
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX
from all_even.session.song.hits import is_kick, is_struck
from all_even.session.tracks.roles import family_of

HEARD_AT, LEAST_DB = 0.90, 1.0
OFF_PERCENT = (-2.0, 3.0)
MOVES_MS, RATE_HZ, RESONANCE_DB, FEEDBACK = 2.0, 0.25, 4.0, 35.0
BOTTOM_HZ, NO_BOTTOM_DB = (25.0, 100.0), -14.0
TONE_HZ, TONE_MS, UNDER_DB = 60.0, 220.0, 10.0
AFTER_S = 0.15
BY = Parameter("By", "dB", -12.0, 18.0, 3.0, 0.5)


# A room that is meant to be heard.


def _heard(look: Look) -> Iterator[Draft]:
    for bus in heard_returns(look.session):
        look.stop_if_cancelled()
        found = spaces.figures_of(look, bus.id)
        by_db = spaces.placing_db(look, bus.id, HEARD_AT) if found.covered is not None else None
        if by_db is None or by_db < LEAST_DB or (found.lead_hidden or 0.0) > MOST_LEAD_HIDDEN:
            continue
        yield Draft(
            (bus.id,), f"{bus.name} {signed(by_db, 1)} dB: a room to be heard",
            f"The dry sound covers {number(100.0 * (found.covered or 0.0), 0)} % of it; at {100 * HEARD_AT:.0f} % it "
            "is heard as a place of its own.",
            {"by_db": round(by_db, 1), "aim": HEARD_AT, "name": (bus.name,)}, of=bus.id, arguments={"bus": bus.name},
        )  # fmt: skip


def _edit_heard(session: Session, move: Proposal) -> Session:
    bus = session.bus(move.target)
    level_db = LEVEL.clamped(round(bus.level_db + value_of(move, "by_db"), 1))
    return edits.change_strips(session, (bus.id,), level_db=level_db)


# One side late.


def _late(look: Look) -> Iterator[Draft]:
    for unit in who.candidates(look):
        lane = unit.head
        percussion = family_of(lane.role) == "percussion"
        mono_file = look.book.fingerprints(look.session).channels(lane.id) == 1
        if not percussion or len(unit.lanes) > 1 or not mono_file or lane.destination != MIX:
            continue
        if abs(lane.pan) > wider.CENTRAL:
            continue
        found = wider.proposal_for(look, lane)
        if found is not None:
            name = name_of(found)
            yield Draft((lane.id,), found.title, found.reason.removesuffix(" Optional."),
                        {"late_ms": value_of(found, "late_ms"), "name": (name,)}, of=lane.id,
                        arguments={"of": lane.id}, evidence=found.evidence)  # fmt: skip


# Loose echoes.


def echo(bpm: float) -> Echo:
    left, right = (1.0 + off / 100.0 for off in OFF_PERCENT)
    return Echo(
        left_ms=round(note_ms("1/8", bpm) * left, 1), right_ms=round(note_ms("1/8 dotted", bpm) * right, 1),
        feedback_percent=FEEDBACK, order="in turn", moves_ms=MOVES_MS, rate_hz=RATE_HZ, resonance_db=RESONANCE_DB,
        low_pass_hz=2500.0,
    )  # fmt: skip


def _loose(look: Look) -> Iterator[Draft]:
    tempo = look.get(SONG).tempo
    leads = [unit.id for unit in who.candidates(look) if who.leads(look, [unit.id])]
    if tempo is None or not 40.0 <= tempo.bpm <= 300.0 or not leads or any(
        isinstance(item, Echo) for bus in space.returns(look.session) for item in bus.chain
    ):  # fmt: skip
        return
    made = echo(tempo.bpm)
    found = tried(look, (made,), dict.fromkeys(leads, 0.0), spaces.JUST_MISSED)
    if found is None:
        return
    name = free_bus_name(look.session, "Loose echo")
    yield Draft(
        tuple(found[0]), "Loose echoes behind the lead, slightly off the beat",
        f"1/8 is {number(made.left_ms, 0)} ms on the left, {number(-OFF_PERCENT[0], 0)} % early; 1/8 dotted "
        f"{number(made.right_ms, 0)} ms on the right, {number(OFF_PERCENT[1], 0)} % late. They move slowly by "
        f"{number(MOVES_MS, 0)} ms; the filter rings softly. Just audible when muted.",
        {"sends": dict(found[0]), "level_db": found[1], "bpm": tempo.bpm, "name": (name,)}, arguments={"bus": name},
    )  # fmt: skip


def _edit_loose(session: Session, move: Proposal) -> Session:
    made = echo(value_of(move, "bpm"))
    return with_return(session, name_of(move), (made,), per_strip(move, "sends"), value_of(move, "level_db"))[0]


# A tone under a drum without bottom.


def _tone(look: Look) -> Iterator[Draft]:
    session, rate = look.session, look.session.sample_rate
    for lane in session.lanes:
        drum = family_of(lane.role) == "drums" and is_struck(lane.role) and (is_kick(lane.role) or "tom" in lane.role
                                                                             or "snare" in lane.role)  # fmt: skip
        hits = hits_of(look, lane.id) if drum and not lane.hidden else ()
        sound = arriving(look, lane.id) if len(hits) >= 4 else None
        low = None if sound is None else band_of_all_db(sound, rate, *BOTTOM_HZ)
        if sound is None or low is None or low > NO_BOTTOM_DB or lane.role == "snare bottom":
            continue
        kept = look.sound(lane.id)
        own = kept.read(0, kept.frames).astype(np.float64)
        levels = [float(np.sqrt(np.mean(own[round(hit * rate) : round((hit + AFTER_S) * rate)] ** 2) + 1e-12))
                  for hit in hits]  # fmt: skip
        level_db = round(float(np.clip(20.0 * np.log10(np.median(levels)) - UNDER_DB + 9.0, -60.0, 0.0)), 1)
        hz = TONE_HZ if is_kick(lane.role) else 2.0 * TONE_HZ
        yield Draft(
            (lane.id,), f"A tone under {lane.name}: {number(hz, 0)} Hz at each hit",
            f"Under {BOTTOM_HZ[1]:.0f} Hz it has {number(low)} dB of its sound. {len(hits)} hits each get a tone of "
            f"{TONE_MS:.0f} ms that falls to its pitch; set it to the song.",
            {"frequency_hz": hz, "level_db": level_db, "hits": tuple(f"{hit:.4f}" for hit in hits)}, of=lane.id,
            arguments={"of": lane.id, "low_hz": BOTTOM_HZ[0], "high_hz": max(BOTTOM_HZ[1], 1.5 * hz)},
        )  # fmt: skip


def _edit_tone(session: Session, move: Proposal) -> Session:
    lane = session.lane(move.targets[0])
    hits = move.parameters["hits"]
    times = tuple(float(hit) for hit in hits) if isinstance(hits, tuple) else ()
    shape_id = edits.free_id(session, "shape")
    told = f"hits of {lane.name}"[:400]
    shape = DuckShape(id=shape_id, name=f"Tone of {lane.name}"[:200], hits_s=times, hits_from=told)
    session = chain_edits.set_shape(session, shape)
    tone = HitTone(shape=shape_id, frequency_hz=value_of(move, "frequency_hz"), length_ms=TONE_MS,
                   level_db=value_of(move, "level_db"))  # fmt: skip
    return chain_edits.add_station(session, lane.id, tone)


HEARD = on_trial("space.heard-room", "heard_room", COVERED, _heard, _edit_heard, parameters={"by_db": BY}, weight=1.2)
LATE = on_trial("space.one-side-late", "one_side_late", SIDES, _late, wider.edit, weight=1.0, better=1,
                parameters={"late_ms": wider.LATER})  # fmt: skip
LOOSE = on_trial("space.loose-echo", "loose_echo", COVERED, _loose, _edit_loose, parameters={"level_db": LEVEL},
                 weight=1.0, before=1.0)  # fmt: skip
TONE = on_trial("space.tone-on-hits", "tone_on_hits", BAND, _tone, _edit_tone, weight=0.9, better=1,
                parameters={name: numbers(HitTone)[name] for name in ("frequency_hz", "level_db")})  # fmt: skip
KINDS = (HEARD, LATE, LOOSE, TONE)
