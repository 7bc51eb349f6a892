"""All kinds of processors. A new one is a new file, its line here, and its test."""

from typing import get_args

from all_even.dsp.ducking.clicks import Clicks
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.hit_tone import HitTone
from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicEqualiser
from all_even.dsp.dynamics.gate import Gate
from all_even.dsp.dynamics.limiter import Limiter
from all_even.dsp.dynamics.transient import TransientShaper
from all_even.dsp.processor import Processor
from all_even.dsp.space.convolution import Convolution
from all_even.dsp.space.doubling import Doubling
from all_even.dsp.space.echo import Echo
from all_even.dsp.space.reverb import Reverb
from all_even.dsp.space.room import Room
from all_even.dsp.space.widener import Widener
from all_even.dsp.tone.cabinet import Cabinet
from all_even.dsp.tone.equaliser import Equaliser
from all_even.dsp.tone.passes import HighPass, LowPass
from all_even.dsp.tone.saturation import Saturation
from all_even.dsp.tone.sub_octave import SubOctave
from all_even.dsp.utility import DcRemoval, Delay, Gain, Width

AnyProcessor = (
    Gain | HighPass | LowPass | Equaliser | DynamicEqualiser | Compressor | BandCompressor | Limiter | Gate
    | TransientShaper | Ducker | Clicks | HitTone | Saturation | SubOctave | Reverb | Convolution | Room | Cabinet
    | Echo | Doubling | Widener | Delay | Width | DcRemoval
)  # fmt: skip

KINDS: tuple[type[Processor], ...] = get_args(AnyProcessor)


def search(words: str) -> list[type[Processor]]:
    """The kinds whose name or words have all typed words in them; those that begin with them first."""
    wanted = words.lower().split()
    found = [kind for kind in KINDS if all(word in f"{kind.LABEL} {kind.WORDS}".lower() for word in wanted)]
    return sorted(found, key=lambda kind: not kind.LABEL.lower().startswith(words.lower().strip()))
