"""Room for the voice and under open microphones, by schools that cost others something.

- The voice's band: the instruments that mask it most give way there while it sings, also where both play most of the
  time. A standing cut would do nearly as much then; this one is gone where the voice pauses.
- Open microphones: a low shelf down on acoustic instruments that hear the room, under the lowest note each plays.
"""

from collections.abc import Iterator

import numpy as np

from all_even import texts
from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.parameter import Parameter, number
from all_even.dsp.processor import Key, numbers
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass
from all_even.figures.book.look import Look
from all_even.figures.sharing.sharing import pairs, sharing
from all_even.moves.approaches.figures import BAND, MASKED, arriving, band_of_all_db
from all_even.moves.approaches.trial import Draft, added, on_trial
from all_even.moves.kind import per_strip, text_of, value_of
from all_even.moves.share.keyed import threshold_db
from all_even.session.model import routing
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.tracks.classes import is_low_end
from all_even.session.tracks.roles import family_of

MOST_MASKERS, VOICE_HZ, VOICE_Q, RANGE_DB = 4, (800.0, 3500.0), 0.7, -3.0
RATIO, ATTACK_MS, RELEASE_MS = 4.0, 20.0, 200.0
OPEN_FAMILIES = frozenset({"strings", "winds & brass", "voices"})
OPEN_ROLES = frozenset({"acoustic guitar", "mandolin", "banjo", "ukulele", "accordion", "harmonium", "piano", "harp"})
UNDER_NOTE, SHELF_DB, USUAL_HZ, HIGHEST_HZ = 0.8, -4.0, 120.0, 300.0
UNDER_HZ, QUIET_DB = (20.0, 150.0), -40.0
"""Less than this under 150 Hz is no matter."""


def _voice(look: Look) -> Iterator[Draft]:
    found = sharing(look)
    if found is None:
        return
    leads = [
        i for i, unit in enumerate(found.units)
        if unit.standing == "lead" and family_of(unit.role) == "voices" and not np.isnan(found.shares[i])
    ]  # fmt: skip
    if not leads:
        return
    lead = max(leads, key=lambda i: float(found.scene.importance[i]))
    maskers: dict[int, float] = {}
    for pair in pairs(look):
        unit = found.units[pair.masker]
        keyed = any(isinstance(item, DynamicEqualiser) and item.key is not None for item in unit.head.chain)
        if pair.victim == lead and unit.standing != "lead" and not is_low_end(unit.role) and not keyed:
            maskers[pair.masker] = maskers.get(pair.masker, 0.0) + pair.cost
    worst = sorted(maskers, key=lambda i: -maskers[i])[:MOST_MASKERS]
    if not worst:
        return
    voice = found.units[lead]
    hz = round(float(np.sqrt(VOICE_HZ[0] * VOICE_HZ[1])))
    names = ", ".join(found.units[i].name for i in worst)
    yield Draft(
        tuple(lane.id for i in worst for lane in found.units[i].lanes),
        f"{names} {number(-RANGE_DB, 0)} dB back around {number(hz, 0)} Hz while {voice.name} sounds",
        "A school: they give way also where all play most of the time. Between phrases they are as they were.",
        {"frequency_hz": float(hz), "range_db": RANGE_DB, "threshold_db": threshold_db(look, voice.id, hz, VOICE_Q),
         "key": voice.id},
        arguments={"of": voice.id}, evidence={"maskers": len(worst)},
    )  # fmt: skip


def _edit_voice(session: Session, move: Proposal) -> Session:
    key = text_of(move, "key")
    if not session.is_lane(key):
        raise KeyError(key)
    band = DynamicBand(
        frequency_hz=value_of(move, "frequency_hz"), q=VOICE_Q, range_db=value_of(move, "range_db"),
        threshold_db=value_of(move, "threshold_db"), ratio=RATIO, attack_ms=ATTACK_MS, release_ms=RELEASE_MS,
    )  # fmt: skip
    return added(session, move.targets, (DynamicEqualiser(bands=(band,), key=Key(source=key)),))


def _open(look: Look) -> Iterator[Draft]:
    session = look.session
    places: dict[str, float] = {}
    for lane in session.lanes:
        acoustic = family_of(lane.role) in OPEN_FAMILIES or lane.role in OPEN_ROLES
        if lane.hidden or not acoustic or is_low_end(lane.role) or not routing.is_sounding(session, lane):
            continue
        if any(isinstance(item, HighPass | Equaliser) for item in lane.chain):
            continue
        report = look.reports.get(lane.id)
        notes = report.character.notes if report is not None and report.character is not None else ()
        lowest = float(np.percentile([note.frequency_hz for note in notes], 5)) if len(notes) >= 6 else 0.0
        places[lane.id] = round(min(HIGHEST_HZ, UNDER_NOTE * lowest) if lowest else USUAL_HZ)
    if places and (_low_db(look, tuple(places)) or QUIET_DB) > QUIET_DB:
        spread = f"{number(min(places.values()), 0)} to {number(max(places.values()), 0)} Hz"
        yield Draft(
            tuple(places), f"Low shelf {number(SHELF_DB, 0)} dB on {texts.count(len(places), 'open microphone')}",
            f"Under the lowest note of each ({spread}) they hear the room and the others. Some can be left out.",
            {"places_hz": places, "amount_db": SHELF_DB},
            arguments={"of": ",".join(places), "low_hz": UNDER_HZ[0], "high_hz": UNDER_HZ[1]},
        )  # fmt: skip


def _low_db(look: Look, lanes: tuple[str, ...]) -> float | None:
    sound = arriving(look, ",".join(lanes))
    return None if sound is None else band_of_all_db(sound, look.session.sample_rate, *UNDER_HZ)


def _edit_open(session: Session, move: Proposal) -> Session:
    amount_db, known = value_of(move, "amount_db"), {lane.id for lane in session.lanes}
    for lane_id, hz in per_strip(move, "places_hz").items():
        if lane_id in known:
            band = Band(shape="low shelf", frequency_hz=hz, gain_db=amount_db, q=0.7)
            session = added(session, (lane_id,), (Equaliser(bands=(band,)),))
    return session


def parts(session: Session, move: Proposal) -> list[tuple[str, str]]:
    """The tracks of a move, of which some may be left out."""
    return [(lane_id, session.strip_name(lane_id)) for lane_id in move.targets if session.is_lane(lane_id)]


AMOUNT = Parameter("Shelf", "dB", -12.0, -0.5, SHELF_DB, 0.5)
VOICE = on_trial("share.voice-band", "voice_band", MASKED, _voice, _edit_voice, weight=1.4, better=-1,
                 parameters={"range_db": numbers(DynamicBand)["range_db"]})  # fmt: skip
OPEN = on_trial("share.open-mics", "open_mics", BAND, _open, _edit_open, weight=1.3, better=-1,
                parameters={"amount_db": AMOUNT}, parts=parts)  # fmt: skip
KINDS = (VOICE, OPEN)
