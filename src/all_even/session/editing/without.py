"""The session without its processing, or without one kind of it: what is left are faders, pans and routing.

For hearing only (at equal loudness, so that louder does not win): nothing of the session is lost by it.
"""

from collections.abc import Collection
from typing import Literal

from msgspec.structs import replace

from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Processor
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.session.editing import chain_edits, edits
from all_even.session.model.session import Session
from all_even.session.model.strips import MIX

Part = Literal["everything", "equalisers", "dynamics", "sends"]
NAMES: dict[Part, str] = {
    "everything": "Faders alone", "equalisers": "Without EQ", "dynamics": "Without dynamics",
    "sends": "Without sends",
}  # fmt: skip
KINDS: dict[Part, tuple[type[Processor], ...]] = {
    "everything": (Processor,),
    "equalisers": (Equaliser, DynamicEqualiser, HighPass, LowPass),
    "dynamics": (Compressor, BandCompressor, Limiter, Gate, TransientShaper, Ducker),
    "sends": (),
}


def without(session: Session, part: Part, only: Collection[str] | None = None) -> Session:
    """A session with a part of its processing taken out. only: ids of strips, of which alone it is; None for all, and
    the mix bus.

    Copies go with what makes them something else: with everything all sends, with dynamics those to parallel buses,
    which would only be more of the same sound.
    """
    kinds = KINDS[part]
    strips = [strip for strip in session.strips if only is None or strip.id in only]
    parallel = {bus.id for bus in session.buses if bus.use == "parallel"}
    for strip in strips:
        sends = tuple(
            replace(send, on=False) if part in ("everything", "sends") or (part == "dynamics" and send.to in parallel)
            else send
            for send in strip.sends
        )  # fmt: skip
        if sends != strip.sends:
            session = edits.change_strips(session, (strip.id,), sends=sends)
    for strip_id in (*(strip.id for strip in strips), *((MIX,) if only is None else ())):
        chain = session.chain(strip_id)
        kept = [station for station in chain if not isinstance(station, kinds)]
        if len(kept) < len(chain):
            session = chain_edits.set_chain(session, strip_id, kept)
    return session
