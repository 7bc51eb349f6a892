"""Small speaker: a bass that is lost on one gets harmonics, on a parallel path.

*Loss* is its loudness over 180 Hz (Butterworth, fourth order) less its loudness: a slap bass loses 1, an upright 10,
a pure sub over 30. Full-band saturation makes basses that have harmonics *worse*; in parallel, band-limited, it
works: lows to 120 Hz, driven, only what is over 150 Hz returned. It costs some of the lows' share. Proposed only
where the loss is over 6, and by trial.
"""

import numpy as np
from numpy.typing import NDArray

from all_even import decibels
from all_even.dsp.parameter import LEVEL, Parameter, number
from all_even.dsp.processor import Single, numbers
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.figures.arriving.contribution import parts
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_end import kicks_and_basses, sounding_basses
from all_even.late import scipy
from all_even.measure.level import loudness
from all_even.measure.level.hops import HopMeter
from all_even.moves.buses.tracks import bus_named, present
from all_even.moves.kind import Kind, measured_later, value_of
from all_even.moves.low_end import bottom
from all_even.moves.metric import Arguments, Metric
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.ledger import Proposal
from all_even.session.model.session import Session

NAME = "Bass harmonics"
LOST_LU = 6.0
SMALL_HZ = 180.0
LOW_HZ, HIGH_HZ = 120.0, 150.0
DRIVEN_DB, PERCENTILE = 6.0, 99.0
"""What is driven reaches this at its 99th percentile, whatever level it comes with."""
STEPS_LU = (-12.0, -6.0, 0.0)
"""How loud the return is, re the bass."""
AIM_LU, LEAST_LU = 2.0, 0.5
"""Gain that is aimed for, by the softest return that reaches it; and the least that is worth a move."""


def small_lufs(samples: NDArray[np.floating], rate: int) -> float | None:
    """Loudness over a small speaker: nothing under 180 Hz."""
    sections = scipy.signal.butter(4, SMALL_HZ, "highpass", fs=rate, output="sos")
    return _lufs(np.asarray(scipy.signal.sosfilt(sections, samples, axis=0), dtype=np.float32), rate)


def _lufs(samples: NDArray[np.float32], rate: int) -> float | None:
    meter = HopMeter(rate, samples.shape[1])
    meter.add(np.ascontiguousarray(samples))
    return loudness.integrated_lufs(meter.result().weighted)


def basses_heard(look: Look) -> NDArray[np.float32] | None:
    """All basses as they arrive, with what their parallel buses bring back."""
    _, basses = kicks_and_basses(look.session)
    found = parts(look, {"bass": basses})
    return found.get("bass")


def loss_lu(look: Look, _arguments: Arguments) -> float | None:
    """How much of the bass is left on a small speaker, LU: 0 is all of it."""
    found = basses_heard(look)
    return lost_lu(found, look.session.sample_rate) if found is not None else None


def lost_lu(bass: NDArray[np.float32], rate: int) -> float | None:
    """What is left on a small speaker of (frames, channels), LU."""
    whole, small = _lufs(bass, rate), small_lufs(bass, rate)
    return small - whole if whole is not None and small is not None else None


def propose(look: Look) -> list[Proposal]:
    session, rate = look.session, look.session.sample_rate
    lanes = tuple(lane.id for lane in sounding_basses(session))
    bass = basses_heard(look) if lanes and bus_named(session, NAME) is None else None
    now, lufs = (lost_lu(bass, rate), _lufs(bass, rate)) if bass is not None else (None, None)
    if bass is None or now is None or lufs is None or now > -LOST_LU:
        return []
    low = Single(LowPass(frequency_hz=LOW_HZ, slope=24), rate)(bass.astype(np.float64))
    driven_db = DRIVEN_DB - decibels.level_db(float(np.percentile(np.abs(low), PERCENTILE)))
    driven_db = numbers(Saturation)["drive_db"].clamped(driven_db)
    trial, bus = _made(session, lanes, 0.0, driven_db)
    kept = look.at(trial).sound(bus)
    back = np.zeros_like(bass)
    count = min(len(back), kept.frames)
    back[:count] = kept.read(0, count)
    back_lufs = _lufs(back, rate)
    if back_lufs is None:
        return []
    tried: list[tuple[float, float, float]] = []
    for step in STEPS_LU:
        look.stop_if_cancelled()
        level_db = lufs + step - back_lufs
        if level_db > numbers(Saturation)["output_db"].high + LEVEL.high:
            break  # as loud as that it does not get
        after = lost_lu(bass + np.float32(decibels.gain(level_db)) * back, rate)
        if after is not None:
            tried.append((level_db, after, step))
    if not tried or max(after for _, after, _ in tried) - now < LEAST_LU:
        return []
    enough = [item for item in tried if item[1] - now >= AIM_LU]
    level_db, after, step = enough[0] if enough else max(tried, key=lambda item: item[1])
    return [
        KIND.move(
            targets=lanes,
            title=f"Harmonics for the bass, {number(-step, 0)} LU under it, on a parallel bus",
            reason=f"On a small speaker it loses {number(-now)} LU. Its lows are driven on a bus of their own and only "
            f"what is over {HIGH_HZ:.0f} Hz comes back; mute the bus and the bass is as it was.",
            parameters={"level_db": level_db, "drive_db": driven_db},
            evidence={f"left_at_{under:.0f}_lu": value for _, value, under in tried},
            metric=METRIC,
            before=now,
            expected=after,
            source="trial",
            weight=3.5,
        )
    ]


def _made(session: Session, lanes: tuple[str, ...], level_db: float, drive_db: float) -> tuple[Session, str]:
    # What a driven curve gives back is soft: its own output brings it up, the fader stays near the middle.
    output_db = numbers(Saturation)["output_db"].clamped(round(level_db))
    session, bus = routing_edits.add_bus(session, NAME, "parallel")
    session = routing_edits.set_send(session, present(session, lanes), bus)
    for station in (
        LowPass(frequency_hz=LOW_HZ, slope=24),
        Saturation(drive_db=drive_db, low_cut_hz=0.0, output_db=output_db),
        HighPass(frequency_hz=HIGH_HZ, slope=24),
    ):
        session = chain_edits.add_station(session, bus, station)
    return edits.change_strips(session, [bus], level_db=LEVEL.clamped(level_db - output_db)), bus


def edit(session: Session, proposal: Proposal) -> Session:
    level_db, drive_db = (value_of(proposal, name) for name in ("level_db", "drive_db"))
    return _made(session, proposal.targets, level_db, drive_db)[0]


BACK = Parameter("Level of the return", "dB", -60.0, 36.0, 0.0, 0.5)
KIND = Kind(
    "low-end.harmonics", bottom.DEPENDS_ON, propose, edit, optional=True, parameters={"level_db": BACK},
    changed=measured_later,
)  # fmt: skip
METRIC = Metric("small-speaker", "bass on a small speaker", "LU", 1, 0.5, bottom.MEASURED, loss_lu)
