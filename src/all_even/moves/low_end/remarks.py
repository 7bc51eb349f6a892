"""What is to be said of the low end that no move puts right by itself: who owns it is open, pitches of kick and bass,
bells that take out single notes, a sub out of tune with its bass, and that there is nothing to gain.
"""

import numpy as np

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import follows_another
from all_even.dsp.filters.biquad import magnitude
from all_even.dsp.parameter import number, signed
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.kick_and_bass.verdict import Verdict, verdict
from all_even.figures.low_end.low_end import bass_notes, bass_strips, heard, kicks_and_basses, main_kick
from all_even.figures.song import SONG
from all_even.measure.level.third_octave import MIDBANDS_HZ
from all_even.measure.pitch.evenness import narrow_band
from all_even.measure.pitch.pitch import cents_between, hertz, named
from all_even.measure.sharing import phase
from all_even.moves.balance.bass_ceiling import WORTH_DB
from all_even.moves.low_end import fader
from all_even.moves.low_end.bass import single_notes
from all_even.moves.low_end.clearing import dynamic_clearing
from all_even.moves.low_end.ducks import duck
from all_even.moves.low_end.owner import question
from all_even.session.model import routing
from all_even.session.model.remark import Remark
from all_even.session.model.strips import Lane
from all_even.session.song.hits import struck

BEATING_CENTS = 10.0
HOLE_DB, KICK_TO_HZ, MEETS_SHARE = 3.0, 170.0, 0.05
RATE = 48_000
LOCKED_DB = 1.0
"""Under this it comes and goes with the next move."""
WAYS = ("A duck", "A cut while the kick sounds", "The bass's fader")
FAR_TOO_LOUD_DB = 6.0
"""From here on a collision is a matter of faders; half of them are (common practice)."""
LOCKED_MS = np.arange(-10.0, 10.01, 0.25)


def remarks(look: Look) -> tuple[Remark, ...]:
    """Most important first."""
    if heard(look) is None:
        return ()
    found = [_verdict(look), _open_owner(look), _in_tune(look), _locked(look)]
    return tuple([item for item in found if item is not None] + _narrow(look) + _sub(look) + _holes(look))


def _verdict(look: Look) -> Remark | None:
    """What there is to say where nothing is recommended: that nothing is needed, or what stops what would clear."""
    said = verdict(look)
    if said is None:
        return None
    percent = 100.0 * said.kick_audible
    if not said.collides:
        cleared = any(follows_another(item) for lane in look.session.lanes for item in lane.chain)
        done = "Nothing more to clear" if cleared else "No duck and no cut needed"
        return Remark((), "no-duck", percent, f"{done}. {said.figure()}{_level(said)}.")
    offers = [look.get(duck.OFFER), look.get(dynamic_clearing.OFFER), look.get(fader.OFFER)]
    cleared = any(follows_another(item) for strip in bass_strips(look.session) for item in strip.chain)
    if any(offer.move is not None for offer in offers) or (cleared and not said.kick_is_masked):
        if said.limit_db is not None and said.limit_db < -FAR_TOO_LOUD_DB:
            return Remark(
                (), "low-level", percent, f"{said.sentence()}: more than ducks are for. Levels first, at Balance."
            )
        return None
    stopped = [(what, offer) for what, offer in zip(WAYS, offers, strict=True) if offer.stopped is not None]
    if stopped:
        why = " ".join(f"{what} is not recommended: {offer.why}." for what, offer in stopped)
        text = f"{said.sentence()}. {why} It can be made all the same, under Optional."
        return Remark((), "low-stopped", percent, text)
    if said.kick_is_masked or said.bass_is_masked:
        return Remark((), "low-stopped", percent, f"{said.sentence()}. No duck and no cut does more here than a fader.")
    return None


def _level(said: Verdict) -> str:
    """What the bass's fader has to do with it."""
    if said.ceiling is not None and said.ceiling.change_db < -WORTH_DB:
        over = f"{number(-said.ceiling.change_db)} dB over its ceiling, which {said.ceiling.by} sets"
        return f". As a level the bass is {over}: that is for its fader, at Balance"
    return f"; {number(said.limit_db)} dB more bass would begin to mask it" if said.limit_db is not None else ""


def _open_owner(look: Look) -> Remark | None:
    text = question(look)
    return Remark((), "owner", 0.0, text) if text is not None else None


def _in_tune(look: Look) -> Remark | None:
    """Cents and cycles are told; nothing is proposed: in tune with a bass whose phase is free, hits come out most
    uneven (3.4 dB), and from about 1.2 cycles of drift they are within 1 dB."""
    main, found, notes = main_kick(look), heard(look), bass_notes(look)
    if main is None or found is None or not notes:
        return None
    lane, character = main
    kick = struck(character, lane.role).kick
    if kick.frequency_hz is None:
        return None
    lengths: dict[int, float] = {}
    for note in notes:
        midi = named(note.frequency_hz).midi
        lengths[midi] = lengths.get(midi, 0.0) + note.length_s
    settled = kick.frequency_hz
    nearest = min(lengths, key=lambda midi: abs(cents_between(settled, hertz(midi))))
    cents = cents_between(settled, hertz(nearest))
    cycles = abs(settled - hertz(nearest)) * found.tail_ms / 1000.0
    told = "So near, hits come out unevenly where phase is free" if cycles < 1.2 else "No beating is heard"
    text = (
        f"Settles at {number(settled)} Hz, {signed(cents, 0)} cents from {named(hertz(nearest)).name} of the bass, "
        f"{number(cycles)} cycles apart over its tail. {told}. Nothing to tune, unless the bass began with the same "
        "wave at each hit."
    )
    return Remark((lane.id,), "in-tune", cents, text, aside=True)


def _locked(look: Look) -> Remark | None:
    """Whether a delay between kick and bass is worth anything on hits that did not choose it."""
    found, main = heard(look), main_kick(look)
    if found is None or main is None:
        return None
    summed = phase.low_sum(found.kick, found.bass, 4000, found.hits_s, found.tail_ms / 1000.0)
    if summed is None:
        return None
    best: tuple[float, float, int] | None = None
    for polarity in (1, -1):
        for delay in LOCKED_MS:
            gain = float(summed.gains(float(delay), polarity).gains_db[::2].mean())
            if best is None or gain > best[0]:
                best = (gain, float(delay), polarity)
    assert best is not None
    proven = summed.proven_db(best[1], best[2])
    if proven is None or proven < LOCKED_DB or (best[1] == 0.0 and best[2] == 1):
        return None
    turned = ", its polarity turned" if best[2] < 0 else ""
    way = "later" if best[1] > 0 else "earlier"
    text = (
        f"{number(abs(best[1]), 2)} ms {way}{turned}, its sum with the bass gains {number(proven)} dB, also on hits "
        "that did not choose it: their phase is locked. Try it by hand (Buses, Delay) and listen."
    )
    return Remark((main[0].id,), "phase", proven, text, aside=True)


def _narrow(look: Look) -> list[Remark]:
    """Bells on a bass that take out single notes, by name."""
    _, basses = kicks_and_basses(look.session)
    told = []
    for lane in look.session.lanes:
        if lane.id in basses and routing.is_sounding(look.session, lane):
            told += _bells(look, lane)
    return told


def _bells(look: Look, lane: Lane) -> list[Remark]:
    report = look.reports.get(lane.id)
    if report is None or report.character is None or not report.character.notes:
        return []
    pitches = sorted({named(note.frequency_hz).midi for note in report.character.notes})
    places = np.array([hertz(midi) for midi in pitches])
    told = []
    for item in lane.chain:
        for band in item.bands if isinstance(item, Equaliser) and not item.bypass else ():
            if not band.on or band.shape != "bell" or abs(band.gain_db) < 1.0 or _on_purpose(band):
                continue
            gains = 20.0 * np.log10(magnitude(np.array([band.section(RATE)]), places, RATE))
            found = narrow_band(list(gains), band.gain_db)
            if found.too_narrow and found.takes:
                names = [
                    named(hertz(midi)).name
                    for midi, gain in zip(pitches, gains, strict=True)
                    if gain / band.gain_db >= 0.5
                ]
                text = (
                    f"The bell at {number(band.frequency_hz, 0)} Hz changes {found.takes} of {found.notes} pitches by "
                    f"half of it or more ({', '.join(names[:6])}) and the others hardly: it takes out single notes. "
                    "Wider, or on purpose."
                )
                told.append(Remark((lane.id,), "narrow-bell", found.range_db, text))
    return told


def _on_purpose(band: Band) -> bool:
    """Whether a bell stands on a note as those of `single_notes` do."""
    return (
        band.q == single_notes.Q and abs(cents_between(band.frequency_hz, hertz(named(band.frequency_hz).midi))) < 5.0
    )


def _holes(look: Look) -> list[Remark]:
    """Lanes that give way to a kick they hardly meet."""
    _, basses = kicks_and_basses(look.session)
    told = []
    for lane in look.session.lanes:
        depths = [item.depth_db for item in lane.chain if isinstance(item, Ducker) and not item.bypass]
        measures = look.measures(lane.id)
        if lane.id in basses or not depths or measures is None or max(depths) < HOLE_DB:
            continue
        levels = np.array([np.nan if level is None else level for level in measures.third_octave_db])
        powers = np.nan_to_num(10.0 ** (levels / 10.0))
        share = float(powers[MIDBANDS_HZ <= KICK_TO_HZ].sum() / max(float(powers.sum()), 1e-20))
        if share < MEETS_SHARE:
            text = (
                f"Gives way {number(max(depths))} dB at each hit, with only {100.0 * share:.0f} % of its sound where "
                "the kick is: a dip, unless it is meant as an effect."
            )
            told.append(Remark((lane.id,), "duck-hole", max(depths), text))
    return told


def _sub(look: Look) -> list[Remark]:
    """A sub layered under a bass beats with it where the two are out of tune."""
    lanes = [lane for lane in look.session.lanes if lane.role == "sub bass" and routing.is_sounding(look.session, lane)]
    others = kicks_and_basses(look.session)[1] - {lane.id for lane in lanes}
    if not lanes or not any(routing.is_sounding(look.session, look.session.lane(lane_id)) for lane_id in others):
        return []
    cents = look.get(SONG).tuning_cents
    told = []
    for lane in lanes:
        beside = [cents[other] for other in others if other in cents]
        if lane.id in cents and beside and abs(cents[lane.id] - float(np.median(beside))) >= BEATING_CENTS:
            apart = cents[lane.id] - float(np.median(beside))
            text = f"{signed(apart, 0)} cents from the bass it lies under: the two beat. Retune the layer at Gather."
            told.append(Remark((lane.id,), "sub-tuning", apart, text, aside=True))
    return told
