"""What everything in a session is made of: the frozen base, and numbers and texts in their ranges."""

from typing import Annotated

from msgspec import Meta, Struct

from all_even.decibels import OFF_DB
from all_even.dsp.parameter import CLIP_GAIN, LEVEL, TRIM

Text = Annotated[str, Meta(max_length=4000)]
Name = Annotated[str, Meta(max_length=200)]
LevelDb = Annotated[float, Meta(ge=OFF_DB, le=LEVEL.high)]
TrimDb = Annotated[float, Meta(ge=TRIM.low, le=TRIM.high)]
ClipGainDb = Annotated[float, Meta(ge=CLIP_GAIN.low, le=CLIP_GAIN.high)]
Pan = Annotated[float, Meta(ge=-1.0, le=1.0)]
LONGEST_S = 1e6
Seconds = Annotated[float, Meta(ge=0.0, le=LONGEST_S)]
Serial = Annotated[int, Meta(ge=0)]
"""Of a line of the ledger, counted from 1; 0 is before the first."""
ChannelNumber = Annotated[int, Meta(ge=1, le=1024)]


class Value(Struct, frozen=True, forbid_unknown_fields=True):
    """Base of everything in a session: frozen, compared by value, unknown fields refused."""
