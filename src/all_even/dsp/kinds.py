"""All kinds of processors. A new one is a new file, its line here, and its test."""

from typing import get_args

from all_even.dsp.band_compressor import BandCompressor
from all_even.dsp.clicks import Clicks
from all_even.dsp.compressor import Compressor
from all_even.dsp.convolution import Convolution
from all_even.dsp.ducker import Ducker
from all_even.dsp.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.echo import Echo
from all_even.dsp.equaliser import Equaliser
from all_even.dsp.gate import Gate
from all_even.dsp.limiter import Limiter
from all_even.dsp.passes import HighPass, LowPass
from all_even.dsp.processor import Processor
from all_even.dsp.reverb import Reverb
from all_even.dsp.room import Room
from all_even.dsp.saturation import Saturation
from all_even.dsp.sub_octave import SubOctave
from all_even.dsp.transient import TransientShaper
from all_even.dsp.utility import DcRemoval, Delay, Gain, Width
from all_even.dsp.voices import Doubling
from all_even.dsp.widener import Widener

AnyProcessor = (
    Gain | HighPass | LowPass | Equaliser | DynamicEqualiser | Compressor | BandCompressor | Limiter | Gate
    | TransientShaper | Ducker | Clicks | Saturation | SubOctave | Reverb | Convolution | Room | Echo
    | Doubling | Widener | Delay | Width | DcRemoval
)  # fmt: skip

KINDS: tuple[type[Processor], ...] = get_args(AnyProcessor)


def search(words: str) -> list[type[Processor]]:
    """The kinds whose name or words have all typed words in them; those that begin with them first."""
    wanted = words.lower().split()
    found = [kind for kind in KINDS if all(word in f"{kind.LABEL} {kind.WORDS}".lower() for word in wanted)]
    return sorted(found, key=lambda kind: not kind.LABEL.lower().startswith(words.lower().strip()))
