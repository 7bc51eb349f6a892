"""Two broad knobs for the whole mix, lows and highs, at equal loudness: for a mix without references.

No figure can say how bright a mix should be; so the card offers a little of both to hear beside the mix as it is, as
loud as before, and either knob may be turned.
"""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from all_even.dsp.parameter import Parameter
from all_even.dsp.processor import Processor, Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.figures.book.look import Look
from all_even.figures.dynamics.dynamics import strip_signal
from all_even.measure.dynamics.signal import signal_of
from all_even.measure.level.third_octave import NOMINAL_HZ
from all_even.moves.approaches.trial import Draft, Numbers, at_the_end, on_trial
from all_even.moves.kind import numbers_of
from all_even.moves.metric import Arguments, Metric
from all_even.session.model.ledger import Proposal
from all_even.session.model.strips import MIX

LOW_HZ, HIGH_HZ, Q = 110.0, 7000.0, 0.5
EACH_DB = 1.5
KNOB = Parameter("Lows", "dB", -6.0, 6.0, EACH_DB, 0.5)
OTHER = Parameter("Highs", "dB", -6.0, 6.0, EACH_DB, 0.5)


def shelves(p: Numbers) -> tuple[Processor, ...]:
    bands = (Band(shape="low shelf", frequency_hz=LOW_HZ, gain_db=p["low_db"], q=Q),
             Band(shape="high shelf", frequency_hz=HIGH_HZ, gain_db=p["high_db"], q=Q))  # fmt: skip
    return (Equaliser(bands=bands, output_db=p.get("output_db", 0.0)),)


def _as_loud(look: Look, move: Proposal) -> Proposal:
    """With the output at which the mix is as loud as before."""
    signal = strip_signal(look, look.session, MIX)
    plain = shelves({**numbers_of(move), "output_db": 0.0})[0]
    after = signal_of(Single(plain, signal.sample_rate)(signal.samples).astype(np.float32), signal.sample_rate)
    if signal.lufs is None or after.lufs is None:
        return move
    return replace(move, parameters={**move.parameters, "output_db": round(signal.lufs - after.lufs, 2)})


def _ends_db(look: Look, _arguments: Arguments) -> float | None:
    """Lows and highs of the mix against its middle, dB."""
    mix = look.mix
    if mix is None:
        return None
    levels = [(hz, level) for hz, level in zip(NOMINAL_HZ, mix.third_octave_db, strict=True) if level is not None]
    parts = [[10.0 ** (level / 10.0) for hz, level in levels if low <= hz < high]
             for low, high in ((30.0, 200.0), (200.0, 4000.0), (4000.0, 16000.0))]  # fmt: skip
    if not all(parts):
        return None
    low, middle, high = (10.0 * float(np.log10(sum(part))) for part in parts)
    return 0.5 * (low + high) - middle


def _drafts(look: Look) -> Iterator[Draft]:
    session = look.session
    if session.references or look.mix is None or any(isinstance(item, Equaliser) for item in session.mix.chain):
        return
    yield Draft(
        (MIX,), "Two broad knobs on the mix: lows and highs",
        "Without a reference nothing says how bright it should be. Hear it beside the mix as it is, equally loud; turn "
        "either knob.",
        {"low_db": EACH_DB, "high_db": EACH_DB},
    )  # fmt: skip


ENDS = Metric("mix-ends", "lows and highs against the middle", "dB", 1, 0.4, ("mix",), _ends_db)
KIND = on_trial("balance.two-knobs", "two_knobs", ENDS, _drafts, at_the_end(shelves),
                parameters={"low_db": KNOB, "high_db": OTHER}, settled=_as_loud, weight=0.8)  # fmt: skip
