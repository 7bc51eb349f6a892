"""The kick's click: more of it makes the kick seem stronger, so that it can go down; a sharp one may be softened.

+3 dB at 6.3 kHz allowed 0.4 to 0.9 dB less kick at equal partial loudness in what was tried; for its low end nothing
changes (the focus sees 35 to 250 Hz). So the card says what it is, and nothing is promised but the tone.
"""

import numpy as np
from numpy.typing import NDArray

from all_even.audio.sides import middle_of
from all_even.dsp.parameter import LEVEL, number
from all_even.dsp.processor import Single, numbers
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.arriving.contribution import parts
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import kicks_and_basses, main_kick
from all_even.late import scipy
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.low_end import bottom
from all_even.moves.low_end.bottom import with_stations
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

PLACE_HZ, Q = 6300.0, 0.7
MORE_DB, DOWN_DB = 3.0, -0.6
SOFTER_DB = -3.0
BAND_HZ = (4000.0, 9000.0)
DULL_DB, SHARP_DB = -45.0, -12.0
"""Under the first there is no click to lift; over the second it needs none, and may be softened."""


def station(gain_db: float) -> Equaliser:
    return Equaliser(bands=(Band(frequency_hz=PLACE_HZ, gain_db=gain_db, q=Q),))


def _band_db(mono: NDArray[np.float64], rate: int, band_hz: tuple[float, float]) -> float:
    high = min(band_hz[1], 0.45 * rate)
    sections = scipy.signal.butter(2, (band_hz[0], high), "bandpass", fs=rate, output="sos")
    return float(10.0 * np.log10(np.mean(np.square(scipy.signal.sosfilt(sections, mono))) + 1e-20))


def _brightness(mono: NDArray[np.float64], rate: int) -> float:
    return _band_db(mono, rate, BAND_HZ) - _band_db(mono, rate, (30.0, 250.0))


def click_db(look: Look, _arguments: Arguments) -> float | None:
    """The kicks' sound at 4 to 9 kHz re that at 30 to 250 Hz, as they arrive."""
    rate = look.session.sample_rate
    kicks, _ = kicks_and_basses(look.session)
    found = parts(look, {"kick": kicks})
    if "kick" not in found or 0.45 * rate <= BAND_HZ[0]:
        return None
    return _brightness(middle_of(found["kick"]), rate)


def propose(look: Look) -> list[Proposal]:
    main = main_kick(look)
    now = click_db(look, {}) if main is not None else None
    if main is None or now is None or now <= DULL_DB:
        return []
    lane = main[0]
    if any(isinstance(item, Equaliser) and any(_turns(band) for band in item.bands) for item in lane.chain):
        return []
    gain_db, down_db = (MORE_DB, DOWN_DB) if now < SHARP_DB else (SOFTER_DB, 0.0)
    rate = look.session.sample_rate
    kept = look.sound(lane.id)
    sound = kept.read(0, kept.frames).astype(np.float64)
    lifted = Single(station(gain_db), rate)(sound)
    change = _brightness(middle_of(lifted), rate) - _brightness(middle_of(sound), rate)
    others = len(kicks_and_basses(look.session)[0]) > 1
    return [
        KIND.move(
            targets=(lane.id,),
            title=f"More click for {lane.name}, and {number(-down_db)} dB less of it: optional"
            if gain_db > 0.0
            else f"Soften the click of {lane.name}: optional",
            reason=_why(gain_db, now),
            parameters={"gain_db": gain_db, "down_db": down_db},
            evidence={"click_db": now},
            metric=METRIC,
            before=now,
            expected=None if others else now + change,
            weight=1.0,
        )
    ]


def _why(gain_db: float, now: float) -> str:
    at = f"{number(abs(gain_db), 0)} dB around {PLACE_HZ / 1000.0:.1f} kHz"
    if gain_db > 0.0:
        return (
            f"{at} make a kick seem stronger, so that it can go down by about half a decibel. Nobody has to want this; "
            "for the low end itself nothing is gained."
        )
    return (
        f"At 4 to 9 kHz it has {number(now)} dB of its lows, a sharp click. {at} less soften it. Nobody has to want "
        "this; for the low end itself nothing is gained."
    )


def _turns(band: Band) -> bool:
    return band.on and band.gain_db != 0.0 and BAND_HZ[0] <= band.frequency_hz <= BAND_HZ[1]


def edit(session: Session, proposal: Proposal) -> Session:
    gain, down = (value_of(proposal, name) for name in ("gain_db", "down_db"))
    session = with_stations(session, {lane_id: (station(gain),) for lane_id in proposal.targets})
    return edits.nudge_levels(session, proposal.targets, down)


KIND = Kind(
    "low-end.click", bottom.DEPENDS_ON, propose, edit, optional=True,
    parameters={"gain_db": numbers(Band)["gain_db"], "down_db": LEVEL},
    changed=measured_later,
)  # fmt: skip
METRIC = Metric("click", "click of the kick re its lows", "dB", 1, 0.5, bottom.MEASURED, click_db)
