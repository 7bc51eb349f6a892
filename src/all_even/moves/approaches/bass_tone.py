"""The bass's tone by schools that others find too much: each with what it costs the bass and what others gain.

- High-pass near 60 Hz on a bass that yields, although notes lie there: with the share of its notes that suffer.
- Broad dips (Q under 1) at 100 to 180 and 300 to 600 Hz, where the mix masks what the bass has there.
- A low-pass where the bass's top only fills space that others need.
- A lift near 70 Hz before the compression, which then holds it.
- Bite at two places at once, up to 6 dB, whatever a small speaker says.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.parameter import Parameter, number, signed
from all_even.dsp.processor import Processor, numbers
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.figures.book.look import Look
from all_even.figures.low_end.low_copies import copies
from all_even.figures.low_end.low_end import bass_notes, owner, sounding_basses
from all_even.figures.sharing.sharing import sharing
from all_even.measure.sharing import masking
from all_even.moves.approaches.figures import BAND, MASKED, OTHERS
from all_even.moves.approaches.trial import Draft, Numbers, at_the_end, at_the_start, on_trial
from all_even.moves.low_end.bottom import ROOM, beside_a_fader, on_each
from all_even.moves.low_end.yielding import time_under
from all_even.session.model.strips import Lane

CUTOFF_HZ = 60.0
DIPS = {"low": (100.0, 180.0), "middle": (300.0, 600.0)}
DIP_DB, DIP_Q = -3.0, 0.8
TOPS_HZ = (2000.0, 2500.0, 3200.0, 4000.0, 5000.0)
MOSTLY = 0.75
"""A band of which the mix masks so much adds nothing of its own."""
WEIGHT_HZ, WEIGHT_DB, WEIGHT_Q = 70.0, 3.0, 0.8
BITES_HZ = ((700.0, 850.0, 1000.0, 1200.0, 1500.0), (2000.0, 2500.0, 3150.0))
BITE_DB, BITE_Q = 4.5, 0.9
AMOUNT = Parameter("Dip", "dB", -9.0, -0.5, DIP_DB, 0.5)
LIFT = Parameter("Lift", "dB", 0.5, 9.0, WEIGHT_DB, 0.5)
CUTOFF = Parameter("High-pass", "Hz", 40.0, 90.0, CUTOFF_HZ, 3.0, 0, "log")
TOP = Parameter("Low-pass", "Hz", 800.0, 10000.0, 4000.0, 3.0, 0, "log")
PLACE = numbers(Band)["frequency_hz"]


@dataclass(frozen=True, slots=True, eq=False)
class OfBass:
    """(bands,): what the others mask of the loudest bass, 0 to 1, and how much it counts there."""

    masked: NDArray[np.floating]
    weight: NDArray[np.floating]

    def share(self, inside: NDArray[np.bool_]) -> float | None:
        """Masked of some bands together; None where the bass has nothing there."""
        weight = self.weight[inside]
        return float(self.masked[inside] @ weight / weight.sum()) if weight.sum() > 0.0 else None


def _of_bass(look: Look) -> OfBass | None:
    """None where no bass is heard."""
    found = sharing(look)
    if found is None:
        return None
    ids = {lane.id for lane in sounding_basses(look.session)}
    rows = [i for i, unit in enumerate(found.units) if any(lane.id in ids for lane in unit.lanes)]
    if not rows:
        return None
    weights = found.scene.weight[rows].sum(axis=1, dtype=np.float64)
    loudest = int(np.argmax(weights.sum(axis=1)))
    return OfBass(found.hidden[rows[loudest]], weights[loudest])


def _ids(lanes: tuple[Lane, ...]) -> tuple[str, ...]:
    return tuple(lane.id for lane in lanes)


# A high-pass under the notes.


def high_pass(p: Numbers) -> tuple[Processor, ...]:
    return (HighPass(frequency_hz=p["cutoff_hz"], slope=12),)


def _under_notes(look: Look) -> Iterator[Draft]:
    found = copies(look)
    if found is None or owner(look) == "bass" or any(
        isinstance(item, HighPass) and item.frequency_hz >= CUTOFFS_FROM for lane_id in found.basses
        for item in look.session.lane(lane_id).chain
    ):  # fmt: skip
        return
    after = found.tried(on_each(found.basses, high_pass({"cutoff_hz": CUTOFF_HZ})[0]))
    under, notes = time_under(look, CUTOFF_HZ), bass_notes(look)
    lowest = min((note.frequency_hz for note in notes if note.frequency_hz < CUTOFF_HZ), default=None)
    suffers = "No note lies under it." if lowest is None else (
        f"{number(100.0 * under, 0)} % of its note time lies under it, down to {number(lowest, 0)} Hz: these notes "
        "lose their bottom."
    )  # fmt: skip
    yield Draft(
        found.basses, f"High-pass the bass at {CUTOFF_HZ:.0f} Hz, under its notes too",
        f"A school: the kick has the bottom alone. {suffers} {beside_a_fader(found.before, after)}",
        {"cutoff_hz": CUTOFF_HZ}, evidence={"net_db": found.net_db(after), "note_time_under": under},
    )  # fmt: skip


CUTOFFS_FROM = 45.0
"""A high-pass from here on is such a one already."""


# Broad dips.


def dip(p: Numbers) -> tuple[Processor, ...]:
    return (Equaliser(bands=(Band(frequency_hz=p["place_hz"], gain_db=p["amount_db"], q=DIP_Q),)),)


def _dips(look: Look) -> Iterator[Draft]:
    bass, lanes = _of_bass(look), sounding_basses(look.session)
    if bass is None:
        return
    centres = masking.centres_hz()
    for name, (low_hz, high_hz) in DIPS.items():
        inside = (centres >= low_hz) & (centres <= high_hz) & (bass.weight > 0.0)
        if not inside.any():
            continue
        place_hz = float(round(centres[inside][int(np.argmax(bass.masked[inside]))]))
        share = float(bass.masked[inside].max())
        yield Draft(
            _ids(lanes), f"Bass {signed(DIP_DB, 0)} dB around {number(place_hz, 0)} Hz, broad",
            f"There the others mask {number(100.0 * share, 0)} % of it"
            f"{', so it adds little' if share >= MOSTLY else ': it adds something there'}. Against mud.",
            {"place_hz": place_hz, "amount_db": DIP_DB}, of=name, arguments={"of": "bass"},
            evidence={"masked_there": share},
        )  # fmt: skip


# A low-pass on what only fills space.


def low_pass(p: Numbers) -> tuple[Processor, ...]:
    return (LowPass(frequency_hz=p["cutoff_hz"], slope=12),)


def _top(look: Look) -> Iterator[Draft]:
    bass, lanes = _of_bass(look), sounding_basses(look.session)
    if bass is None or any(isinstance(item, LowPass) for lane in lanes for item in lane.chain):
        return
    centres = masking.centres_hz()
    for cutoff_hz in TOPS_HZ:
        share = bass.share(centres >= cutoff_hz)
        if share is not None and share >= MOSTLY:
            yield Draft(
                _ids(lanes), f"Low-pass the bass at {number(cutoff_hz / 1000.0)} kHz: above it only fills space",
                f"Over it the others mask {number(100.0 * share, 0)} % of what the bass has. Strings, pick and "
                "distortion go with it.",
                {"cutoff_hz": cutoff_hz}, arguments={"of": "bass"}, evidence={"masked_over": share},
            )  # fmt: skip
            return


# Weight before the compression.


def weight(p: Numbers) -> tuple[Processor, ...]:
    return (Equaliser(bands=(Band(frequency_hz=WEIGHT_HZ, gain_db=p["amount_db"], q=WEIGHT_Q),)),)


def _weight(look: Look) -> Iterator[Draft]:
    lanes = sounding_basses(look.session)
    if not lanes:
        return
    held = any(isinstance(item, Compressor) for lane in lanes for item in lane.chain)
    yield Draft(
        _ids(lanes), f"Bass {signed(WEIGHT_DB, 0)} dB around {WEIGHT_HZ:.0f} Hz, first in its chain",
        "The compressor behind it holds what is lifted." if held else
        "No compressor holds it yet: even its notes out behind this.",
        {"amount_db": WEIGHT_DB}, arguments={"of": "bass", "low_hz": 50.0, "high_hz": 95.0},
    )  # fmt: skip


# Bite at two places.


def bite(p: Numbers) -> tuple[Processor, ...]:
    bands = tuple(
        Band(frequency_hz=p[name], gain_db=p["amount_db"], q=BITE_Q) for name in ("first_hz", "second_hz") if p[name]
    )
    return (Equaliser(bands=bands),)


def _bite(look: Look) -> Iterator[Draft]:
    bass, lanes = _of_bass(look), sounding_basses(look.session)
    if bass is None:
        return
    masked = np.where(bass.weight > 0.0, bass.masked, 1.0)
    centres = masking.centres_hz()
    first_hz, second_hz = (
        min(places, key=lambda hz: float(masked[int(np.argmin(np.abs(centres - hz)))])) for places in BITES_HZ
    )
    yield Draft(
        _ids(lanes), f"Bite for the bass: {signed(BITE_DB)} dB at {number(first_hz, 0)} and {number(second_hz, 0)} Hz",
        "Its two clearest places: the first for its notes, the second for the pick. Lower sounds more nasal.",
        {"first_hz": first_hz, "second_hz": second_hz, "amount_db": BITE_DB}, arguments={"of": "bass"},
    )  # fmt: skip


UNDER_NOTES = on_trial("low-end.cut-under-notes", "cut_under_notes", ROOM, _under_notes, at_the_end(high_pass),
                       parameters={"cutoff_hz": CUTOFF}, weight=2.4)  # fmt: skip
DIP = on_trial("low-end.bass-dip", "bass_dips", OTHERS, _dips, at_the_end(dip),
               parameters={"place_hz": PLACE, "amount_db": AMOUNT}, weight=2.0, better=-1)  # fmt: skip
LOW_PASS = on_trial("low-end.bass-top", "bass_top", OTHERS, _top, at_the_end(low_pass),
                    parameters={"cutoff_hz": TOP}, weight=1.8, better=-1)  # fmt: skip
WEIGHT = on_trial("low-end.bass-weight", "bass_weight", BAND, _weight, at_the_start(weight),
                  parameters={"amount_db": LIFT}, weight=1.7, better=1)  # fmt: skip
BITE = on_trial(
    "low-end.bass-bite",
    "bass_bite",
    MASKED,
    _bite,
    at_the_end(bite),
    parameters={"first_hz": PLACE, "second_hz": PLACE, "amount_db": LIFT},
    weight=1.6,
    better=-1,
)
KINDS = (UNDER_NOTES, DIP, LOW_PASS, WEIGHT, BITE)
