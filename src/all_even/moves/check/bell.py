"""A bell for what vanishes: the part of a low sound that a small speaker still plays is lifted.

Tried on basses: 12 dB at 900 Hz helped as much as harmonics. The smallest lift is taken with which it is
there again, else the one that brings back most, 3 dB at least; its fader goes down by what it made louder, and where
that or anything else costs more than 2 dB it is not offered: a sound that has nothing up there gains noise.
"""

import numpy as np

from all_even.dsp.parameter import number, signed
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.elsewhere import systems
from all_even.figures.elsewhere.translation import translation
from all_even.measure.sharing.scene import band_gains, bins_hz
from all_even.moves.check.figures import DEPENDS_ON, LEFT, SMALL, Outcome, chosen, lost, outcome
from all_even.moves.kind import Kind, value_of
from all_even.session.editing import chain_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

FREQUENCIES_HZ = (700.0, 900.0, 1200.0)
GAINS_DB = (3.0, 6.0, 9.0, 12.0)
Q = 0.8
WEIGHT = 2.0


def _bell(hertz: float, gain_db: float) -> Band:
    return Band(frequency_hz=hertz, gain_db=gain_db, q=Q)


def tried(look: Look, place: int, hertz: float, gain_db: float) -> Outcome:
    """What a bell on a source would do everywhere."""
    stage, rate = translation(look).stage, look.session.sample_rate
    shape = Equaliser(bands=(_bell(hertz, gain_db),)).magnitude(bins_hz(rate), rate)
    gains = band_gains(np.asarray(shape), rate).astype(np.float32)
    return outcome(look, place, stage.both[place] * gains, stage.middle[place] * gains)


def propose(look: Look) -> list[Proposal]:
    made = []
    for place, key in lost(look, SMALL):
        each = [(hertz, gain_db) for gain_db in GAINS_DB for hertz in FREQUENCIES_HZ]
        found = chosen(((band, tried(look, place, *band)) for band in each), key)
        if found is not None:
            made.append(_proposal(look, place, key, *found[0], found[1]))
    return made


def _proposal(look: Look, place: int, key: str, hertz: float, gain_db: float, result: Outcome) -> Proposal:
    unit = translation(look).units[place]
    where = systems.system(key).name.lower()
    return KIND.move(
        targets=tuple(lane.id for lane in unit.lanes),
        of=unit.id,
        title=f"{unit.name} on a {where}: {signed(gain_db, 0)} dB at {number(hertz, 0)} Hz",
        reason=f"It vanishes there. {result.words(key)} Under the bell all stays, {number(-result.kept_db)} dB softer.",
        parameters={"frequency_hz": hertz, "gain_db": gain_db, "fader_db": result.kept_db},
        evidence=result.evidence(key),
        metric=LEFT,
        arguments={"lane": unit.id, "system": key},
        before=float(result.before[systems.KEYS.index(key)]),
        expected=float(result.after[systems.KEYS.index(key)]),
        weight=WEIGHT,
    )


def _edit(session: Session, proposal: Proposal) -> Session:
    band = _bell(value_of(proposal, "frequency_hz"), value_of(proposal, "gain_db"))
    station = Equaliser(bands=(band,), output_db=value_of(proposal, "fader_db"))
    for lane_id in proposal.targets:
        session = chain_edits.add_station(session, lane_id, station)
    return session


KIND = Kind("check.bell", DEPENDS_ON, propose, _edit)
