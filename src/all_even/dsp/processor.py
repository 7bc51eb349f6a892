"""What every processor is: a frozen description, a state, and a compiled kernel.

A kind of processor is one file. It describes its parameters once, as fields with `setting(...)`; from
that come the control on the screen, the range check of the session file and the line in the recall
sheet. What the kernel needs per sample is worked out beforehand (`coefficients`); all it remembers
lies in one flat array (`state_size`), so that the engine can keep and restore the state of a whole
mix by copying one array. What is too large for that lies in a second one (`history_size`) that is not
copied: rings that are only ever written onwards, with `BEHIND_FRAMES` more than is read. The place in them
is part of the state; who goes back to a kept state finds in the rings what was there then.

The kernel's form is the same for all kinds:

    kernel(block, key, gain, coefficients, state, position)

block: (frames, 1 or 2) float64, changed in place. key: (frames, 1 or 2), what a detector listens to;
no rows where it listens to the block itself. gain: (frames,) receives the gain in dB that a dynamic
processor applied, for meters; no rows where nobody asks. position: song frame of the first sample, so
that what is anchored in time does not depend on block sizes. Coefficients hold throughout a block.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Annotated, Any, ClassVar, Literal, TypeVar, get_args, get_origin, get_type_hints

import numpy as np
from msgspec import NODEFAULT, Meta, Struct, structs
from numpy.typing import NDArray

from all_even.dsp.parameter import Choice, Parameter, Setting, Switch
from all_even.kernels import brief, kernel

Array = NDArray[np.float64]
P = TypeVar("P", bound="Described")
Identifier = Annotated[str, Meta(max_length=80, pattern="^[A-Za-z0-9_.:-]+$")]

GRID_FRAMES = 32
"""Moving parameters reach filters in steps on this grid, anchored at the start of the song."""
BEHIND_FRAMES = 8192
"""How far back playing may go in the rings of a history; more than the player keeps ready."""
NOTHING: Array = np.zeros((0, 1))
NO_HISTORY: Array = np.zeros(0)
NO_GAIN: Array = np.zeros(0)


def setting(
    label: str,
    unit: str,
    low: float,
    high: float,
    *,
    step: float = 1.0,
    decimals: int = 1,
    scale: Literal["linear", "log"] = "linear",
    fixed: bool = False,
) -> Meta:
    """Describes a number of a processor. fixed: it changes latency or structure and can't be automated."""
    extra = {"label": label, "unit": unit, "step": step, "decimals": decimals, "scale": scale, "fixed": fixed}
    return Meta(ge=low, le=high, extra=extra)


def named(label: str) -> Meta:
    """Describes a choice or a switch of a processor."""
    return Meta(extra={"label": label})


class Described(Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Frozen values whose fields carry their description."""


class Key(Described, frozen=True, kw_only=True):
    """What a detector listens to instead of its own input: another strip, after its chain, before its fader.

    follows_mute: nothing is heard of a strip that is muted; else muting what is heard leaves the key as it is, as a
    silent trigger wants it.
    """

    source: Identifier
    level_db: Annotated[float, setting("Key level", "dB", -40.0, 40.0, step=0.5)] = 0.0
    follows_mute: Annotated[bool, named("Silent while muted")] = False


class Processor(Described, frozen=True, kw_only=True):
    """One station of a chain. bypass: the sound goes around it, with its latency kept.

    matched_db: gain while bypassed, measured once so that both sides of the comparison are equally loud.
    """

    LABEL: ClassVar[str] = ""
    SHORT: ClassVar[str] = ""
    """For narrow places."""
    WORDS: ClassVar[str] = ""
    """More words people may type to find it."""
    DYNAMIC: ClassVar[bool] = False
    """Whether it reports the gain it applies."""
    REMEMBERS_LONG: ClassVar[bool] = False
    """Whether it has a history, which its kernel then takes as its last argument."""
    LARGE: ClassVar[bool] = False
    """Whether its coefficients take megabytes."""
    LEVEL_DEPENDENT: ClassVar[bool] = False
    """Whether the level that comes in matters to what it does."""
    FIRST: ClassVar[tuple[str, ...]] = ()
    """The settings that matter first, five at most; none: all alike."""

    id: Identifier = "new"
    bypass: bool = False
    matched_db: Annotated[float, setting("Level while bypassed", "dB", -40.0, 40.0, step=0.1)] = 0.0

    def latency_frames(self, sample_rate: int) -> int:
        """How much later the sound comes out, in frames; not changed by `bypass`."""
        return 0

    def settling_s(self) -> float:
        """After this time what came before changes the output by less than 1e-7. Infinite is allowed."""
        return 0.0

    def rings_s(self) -> float:
        """How long a sound is heard after it has ended: until it has fallen by 60 dB."""
        return 0.0

    def state_size(self, sample_rate: int) -> int:
        """How many numbers it remembers, for two channels."""
        return 0

    def history_size(self, sample_rate: int) -> int:
        """How many numbers lie in its rings: written onwards only, and not copied to go back."""
        return 0

    def coefficients(self, sample_rate: int) -> Array:
        """What the kernel needs, worked out from the parameters."""
        raise NotImplementedError

    @classmethod
    def kernels(cls) -> Any:
        """The compiled loop."""
        raise NotImplementedError

    @classmethod
    def process(
        cls,
        block: Array,
        key: Array,
        gain: Array,
        coefficients: Array,
        state: Array,
        position: int,
        short: bool,
        history: Array = NO_HISTORY,
    ) -> None:
        """Changes the block in place. short: few frames, called by the engine thread."""
        loop = brief(cls.kernels()) if short else cls.kernels()
        if cls.REMEMBERS_LONG:
            loop(block, key, gain, coefficients, state, position, history)
        else:
            loop(block, key, gain, coefficients, state, position)


def key_of(processor: Processor) -> Key | None:
    """What its detector listens to; None where that is its own input, or where it has no detector."""
    key = getattr(processor, "key", None)
    assert key is None or isinstance(key, Key)
    return key


def coefficients_of(processor: Processor, sample_rate: int) -> Array:
    """`processor.coefficients`, remembered: an edit of one lane does not design all others again."""
    return (_few if processor.LARGE else _many)(processor, sample_rate)


def _worked_out(processor: Processor, sample_rate: int) -> Array:
    result = processor.coefficients(sample_rate)
    result.setflags(write=False)
    return result


_many = lru_cache(maxsize=4096)(_worked_out)
_few = lru_cache(maxsize=8)(_worked_out)


def settings(kind: type[Any]) -> dict[str, Setting]:
    """The settings of a kind by field name, in order: numbers, choices, switches."""
    return _settings(kind)  # type: ignore[arg-type]  # a class is hashable


@cache
def _settings(kind: Any) -> dict[str, Setting]:
    found: dict[str, Setting] = {}
    hints = get_type_hints(kind, include_extras=True)
    for field in structs.fields(kind):
        hint = hints[field.name]
        meta = next((item for item in getattr(hint, "__metadata__", ()) if isinstance(item, Meta)), None)
        if meta is None or meta.extra is None or field.default is NODEFAULT:
            continue
        plain = get_args(hint)[0]
        extra = meta.extra
        if get_origin(plain) is Literal:
            found[field.name] = Choice(extra["label"], get_args(plain), field.default)
        elif plain is bool:
            found[field.name] = Switch(extra["label"], field.default)
        elif meta.ge is not None and meta.le is not None:
            found[field.name] = Parameter(
                extra["label"], extra["unit"], float(meta.ge), float(meta.le), float(field.default),
                extra["step"], extra["decimals"], extra["scale"], extra["fixed"],
            )  # fmt: skip
    return found


def numbers(kind: type[Any]) -> dict[str, Parameter]:
    """Those settings of a kind that are numbers."""
    return {name: item for name, item in settings(kind).items() if isinstance(item, Parameter)}


def clamped(processor: Any) -> Any:
    """The same description with every number in its range."""
    changes = {
        name: parameter.clamped(getattr(processor, name))
        for name, parameter in settings(type(processor)).items()
        if isinstance(parameter, Parameter)
    }
    return structs.replace(processor, **changes)


def moved(processor: P, values: Mapping[str, float]) -> P:
    """The description with new numbers, each in its range; what is fixed, or no number, stays as it is."""
    described = settings(type(processor))
    changes = {}
    for name, value in values.items():
        parameter = described.get(name)
        if isinstance(parameter, Parameter) and not parameter.fixed:
            changes[name] = parameter.clamped(value)
    return structs.replace(processor, **changes) if changes else processor


@dataclass(slots=True)
class Single:
    """One processor by itself, as a function of blocks: for tests, trials and previews. coefficients: where they are
    not those of its parameters alone (`shaped.coefficients_with`)."""

    processor: Processor
    sample_rate: int
    position: int = 0
    state: Array | None = None
    coefficients: Array | None = None
    history: Array | None = None

    def __call__(self, block: NDArray[np.floating], key: Array | None = None, gain: Array | None = None) -> Array:
        """Processes (frames, channels) into a new array of float64; state goes on from the last call."""
        out = np.array(block, dtype=np.float64, order="C", ndmin=2)
        if self.state is None:
            self.state = np.zeros(self.processor.state_size(self.sample_rate))
            self.history = np.zeros(self.processor.history_size(self.sample_rate))
        c = coefficients_of(self.processor, self.sample_rate) if self.coefficients is None else self.coefficients
        c.setflags(write=False)  # as in a plan: one kind of array, for which kernels are compiled once
        self.processor.process(
            out,
            NOTHING if key is None else key,
            NO_GAIN if gain is None else gain,
            c,
            self.state,
            self.position,
            False,
            NO_HISTORY if self.history is None else self.history,
        )
        self.position += len(out)
        return out


@kernel
def finite(x):  # type: ignore[no-untyped-def]
    """The sample, or 0 for what is no sample: NaN, infinity, or 120 dB over full scale."""
    return x if abs(x) < 1e6 else 0.0


@kernel
def inside(place, size):  # type: ignore[no-untyped-def]
    """A remembered place as an index of a ring, 0 where it is none: no kernel writes outside its state."""
    return int(place) if 0.0 <= place < size else 0


@kernel
def quiet(x):  # type: ignore[no-untyped-def]
    """The remembered value, or 0 where it has become too small to matter: keeps denormals out."""
    return x if abs(x) > 1e-25 else 0.0
