"""Bands of the mix bus, two schools: three bands with a dB or two in each; or only what is under 100 Hz held together.

The region under 100 Hz is better held by a band of its own than by the glue: the rest does not breathe with it. Both
are matters of taste; thresholds are found so that each band takes what is asked in its loud passages.
"""

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.parameter import number
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import is_dynamic, part
from all_even.late import scipy
from all_even.measure.dynamics import movement
from all_even.measure.dynamics.movement import Part, part_of
from all_even.measure.dynamics.signal import Signal, signal_of
from all_even.moves.dynamics import effects, gentle, glue
from all_even.moves.dynamics.figures import DEPENDS_ON, MEASURED_ON
from all_even.moves.dynamics.trying import try_out
from all_even.moves.kind import Kind, numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

Array = NDArray[np.float64]
THREE_HZ = (120.0, 3000.0)
LOW_HZ = (100.0,)
TAKES_DB, LOW_TAKES_DB = 1.5, 2.0
LOW = Compressor(ratio=3.0, knee_db=6.0, attack_ms=20.0, release_ms=150.0, level="RMS", rms_ms=10.0)
MIDDLE = Compressor(ratio=2.0, knee_db=6.0, attack_ms=15.0, release_ms=150.0)
HIGH = Compressor(ratio=2.0, knee_db=6.0, attack_ms=10.0, release_ms=100.0)
WORTH_DB = 0.3


def splitter(crossovers_hz: tuple[float, ...]) -> BandCompressor:
    """The bands, all of them idle."""
    idle = (Compressor(bypass=True),) * (len(crossovers_hz) + 1)
    return BandCompressor(crossovers_hz=crossovers_hz, bands=idle)


def band_sound(found: Part, crossovers_hz: tuple[float, ...], index: int) -> Part:
    """What one band holds, as the compressor in it hears it (fourth-order Linkwitz-Riley: a Butterworth twice)."""
    rate, sound = found.signal.sample_rate, found.signal.samples.astype(np.float64)
    edges = (0.0, *crossovers_hz, 0.0)
    for at, shape in ((edges[index], "highpass"), (edges[index + 1], "lowpass")):
        if at:
            sections = scipy.signal.butter(2, at, shape, fs=rate, output="sos")
            for _ in range(2):
                sound = scipy.signal.sosfilt(sections, sound, axis=0)
    return part_of(signal_of(sound, rate), found.hits_s, is_sum=True)


def fitted(
    found: Part, crossovers_hz: tuple[float, ...], bands: Sequence[tuple[Compressor, float] | None]
) -> BandCompressor:
    """Each band at the threshold at which it takes so much; None: idle."""
    made = []
    for index, wanted in enumerate(bands):
        if wanted is None:
            made.append(Compressor(bypass=True))
        else:
            made.append(gentle.at_gain(band_sound(found, crossovers_hz, index), *wanted))
    return replace(splitter(crossovers_hz), bands=tuple(made))


def moments_db(signal: Signal, where: Signal, below_hz: float | None = None) -> float | None:
    """How far loud and soft moments lie apart, of all or of what is under a frequency, dB."""
    if below_hz is None:
        return movement.moments_db(signal, where)
    sections = scipy.signal.butter(4, below_hz, "lowpass", fs=signal.sample_rate, output="sos")
    low, was = (signal_of(scipy.signal.sosfilt(sections, one.samples, axis=0), one.sample_rate)
                for one in (signal, where))  # fmt: skip
    return movement.moments_db(low, was)


def _free(look: Look) -> Part | None:
    """The mix, where nothing but a limiter holds it in bands yet."""
    if any(isinstance(station, BandCompressor) and is_dynamic(station) for station in look.session.mix.chain):
        return None
    return part(look, MIX)


def propose_three(look: Look) -> list[Proposal]:
    found = _free(look)
    if found is None or any(is_dynamic(s) and not isinstance(s, Limiter) for s in look.session.mix.chain):
        return []
    station = fitted(found, THREE_HZ, ((LOW, TAKES_DB), (MIDDLE, TAKES_DB), (HIGH, TAKES_DB)))
    told = f"up to {number(THREE_HZ[0], 0)} Hz, to {number(THREE_HZ[1] / 1000.0, 0)} kHz and above"
    return _proposal(THREE, found, station, f"Three bands on the mix, {number(TAKES_DB)} dB in each",
                     f"Bands {told}, each takes {number(TAKES_DB)} dB in its loud passages: the school that leaves no "
                     "band to push the others.", None)  # fmt: skip


def propose_low(look: Look) -> list[Proposal]:
    found = _free(look)
    if found is None or gentle.low_share_db(found) <= gentle.LITTLE_BASS_DB:
        return []
    station = fitted(found, LOW_HZ, ((LOW, LOW_TAKES_DB), None))
    return _proposal(HOLD_LOW, found, station, "Hold what is under 100 Hz together by a band of its own",
                     f"3:1, 20 ms attack, {number(LOW_TAKES_DB)} dB in loud passages under 100 Hz; all above passes as "
                     "it is and does not breathe with the bass.", LOW_HZ[0])  # fmt: skip


def _proposal(
    kind: Kind, found: Part, station: BandCompressor, title: str, how: str, below_hz: float | None
) -> list[Proposal]:
    tried = try_out(found, [station])
    before = moments_db(found.signal, found.signal, below_hz)
    after = moments_db(tried.signal, found.signal, below_hz)
    side = tried.movement.side
    if before is None or after is None or before - after < WORTH_DB:
        return []
    thresholds = {f"threshold_{index}_db": band.threshold_db for index, band in enumerate(station.bands)}
    return [
        kind.move(
            targets=(MIX,),
            title=title,
            reason=f"{how} Loud and soft moments come {number(before - after)} dB closer."
            f"{effects.told(side, loudness=False)} No make-up; bypass is level-matched.",
            parameters={**thresholds, "matched_db": round(side.louder_lu or 0.0, 1)},
            evidence=effects.evidence(side),
            metric=MOMENTS,
            arguments={"below_hz": below_hz},
            before=before,
            expected=after,
            source="trial",
            weight=1.0,
        )
    ]


def _edit(session: Session, proposal: Proposal) -> Session:
    p = numbers_of(proposal)
    crossovers: tuple[float, ...] = THREE_HZ
    models: tuple[Compressor, ...] = (LOW, MIDDLE, HIGH)
    if proposal.kind == HOLD_LOW.id:
        crossovers, models = LOW_HZ, (LOW, Compressor(bypass=True))
    bands = tuple(
        band if band.bypass else replace(band, threshold_db=p[f"threshold_{index}_db"])
        for index, band in enumerate(models)
    )
    station = BandCompressor(crossovers_hz=crossovers, bands=bands, matched_db=p["matched_db"])
    return glue.placed(session, MIX, station)


def _moments(look: Look, arguments: Arguments) -> float | None:
    from all_even.figures.dynamics.dynamics import now_signal

    found = part(look, MIX)
    below = arguments.get("below_hz")
    if found is None:
        return None
    below_hz = float(below) if isinstance(below, int | float) and 20.0 <= below <= 20000.0 else None
    return moments_db(now_signal(look, MIX), found.signal, below_hz)


MOMENTS = Metric("moments", "loud and soft moments apart", "dB", 1, 0.5, (*MEASURED_ON, "mix"), _moments)
THREE = Kind("dynamics.three-bands", (*DEPENDS_ON, "mix"), propose_three, _edit, optional=True)
HOLD_LOW = Kind("dynamics.hold-low", (*DEPENDS_ON, "mix"), propose_low, _edit, optional=True)
