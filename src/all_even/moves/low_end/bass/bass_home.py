"""The bass at 100 to 200 Hz: a school. Thin it as puffy, lift it as its home, or leave it alone.

Thinning looks good and gives less than the fader (net -0.3 dB in the middle of what was tried), lifting gives 0.4 where
it is not in the kick's way. Only the school that was chosen in the settings is proposed, with its honest net.
"""

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.parameter import signed
from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.late import scipy
from all_even.moves.kind import Kind, value_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bass.harmonics import basses_heard
from all_even.moves.low_end.bottom import beside_a_fader, evidence, on_each, with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

HOME_HZ = (100.0, 200.0)
PLACE_HZ, Q = 145.0, 0.7
SPECTRUM_FRAMES, SILENCE = 8192, 1e-20
GAINS_DB = {"thin": -3.0, "lift": 3.0}


def station(gain_db: float) -> Equaliser:
    return Equaliser(bands=(Band(frequency_hz=PLACE_HZ, gain_db=gain_db, q=Q),))


def propose(look: Look) -> list[Proposal]:
    school = look.session.settings.bass_home
    found = copies(look)
    if school not in GAINS_DB or found is None:
        return []
    if any(_is_touched(station) for lane_id in found.basses for station in look.session.lane(lane_id).chain):
        return []
    gain_db = GAINS_DB[school]
    after = found.tried(on_each(found.basses, station(gain_db)))
    net = found.net_db(after)
    if net is None:
        return []
    bass, rate = basses_heard(look), look.session.sample_rate
    before = home_db(bass, rate) if bass is not None else None
    if bass is None or before is None:
        return []
    turned = Single(station(gain_db), rate)(bass.astype(np.float64))
    warning = "" if net > 0.0 else " Optional: it takes more from the bass than it gives the kick."
    return [
        KIND.move(
            targets=found.basses,
            title=f"Bass {signed(gain_db, 0)} dB around {PLACE_HZ:.0f} Hz: the approach chosen in Settings",
            reason=f"{beside_a_fader(found.before, after)}{warning}",
            parameters={"gain_db": gain_db},
            evidence=evidence(look, after, found.before),
            metric=METRIC,
            before=before,
            expected=home_db(turned.astype(np.float32), rate),
            weight=3.2,
        )
    ]


def home_db(bass: NDArray[np.float32], rate: int) -> float | None:
    """Power of (frames, channels) between 100 and 200 Hz against all of it, dB; None of silence."""
    hertz, power = scipy.signal.welch(bass, rate, nperseg=min(SPECTRUM_FRAMES, len(bass)), axis=0)
    whole = power.sum(axis=1)
    if not whole.sum() > SILENCE:
        return None
    return decibels.level_db(float(np.sqrt(whole[(hertz >= HOME_HZ[0]) & (hertz <= HOME_HZ[1])].sum() / whole.sum())))


def _as_heard(look: Look, _arguments: Arguments) -> float | None:
    bass = basses_heard(look)
    return home_db(bass, look.session.sample_rate) if bass is not None else None


def _is_touched(item: object) -> bool:
    return isinstance(item, Equaliser) and any(
        band.on and band.gain_db != 0.0 and HOME_HZ[0] <= band.frequency_hz <= HOME_HZ[1] for band in item.bands
    )


def edit(session: Session, proposal: Proposal) -> Session:
    gain_db = value_of(proposal, "gain_db")
    return with_stations(session, on_each(proposal.targets, station(gain_db)))


METRIC = Metric("bass-home", "bass at 100 to 200 Hz of all of it", "dB", 1, 0.5, bottom.MEASURED, _as_heard)
KIND = Kind("low-end.bass-home", bottom.DEPENDS_ON, propose, edit, optional=True)
