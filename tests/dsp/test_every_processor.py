"""What every kind of processor has to do, whatever its settings."""

import json
import math
from typing import Literal

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from all_even.dsp import kinds
from all_even.dsp.ducking.clicks import Clicks
from all_even.dsp.ducking.ducker import Ducker
from all_even.dsp.ducking.shaped import DuckShape
from all_even.dsp.parameter import Choice, Parameter, Switch
from all_even.dsp.processor import Processor, Single, clamped
from all_even.dsp.processor import settings as described

RATE = 48_000
SHAPE = DuckShape(id="shape", name="Shape", hits_s=(0.0, 0.02, 0.03, 0.2))


class Linked(Ducker, frozen=True, kw_only=True, tag="ducker-linked"):
    """A ducker that brings its shape, as the plan does it."""

    def coefficients(self, sample_rate):
        return Ducker(depth_db=self.depth_db).following(SHAPE, sample_rate)


class LinkedClicks(Clicks, frozen=True, kw_only=True, tag="clicks-linked"):
    """The same for clicks."""

    def coefficients(self, sample_rate):
        return Clicks(level_db=self.level_db, click_ms=self.click_ms).following(SHAPE, sample_rate)


class LinearPhase(kinds.Equaliser, frozen=True, kw_only=True, tag="equaliser-linear"):
    """An equaliser that convolves."""

    LABEL = "Equaliser, linear phase"
    phase: Literal["minimum", "linear"] = "linear"


KINDS = [{Ducker: Linked, Clicks: LinkedClicks}.get(kind, kind) for kind in kinds.KINDS]


def values(kind: type) -> st.SearchStrategy[dict]:
    """Any settings a person could make, the ends included."""
    parts = {}
    for name, setting in described(kind).items():
        if isinstance(setting, Parameter):
            parts[name] = st.one_of(st.just(setting.low), st.just(setting.high), st.floats(setting.low, setting.high))
        elif isinstance(setting, Choice):
            parts[name] = st.sampled_from(setting.options)
        elif isinstance(setting, Switch):
            parts[name] = st.booleans()
    return st.fixed_dictionaries(parts)


def any_processor(kind: type[Processor]) -> st.SearchStrategy[Processor]:
    made = st.builds(lambda chosen: kind(**chosen), values(kind))
    if kind.__name__ in ("Equaliser", "DynamicEqualiser"):
        band = type(kind().bands[0]) if kind().bands else msgspec.structs.fields(kind)
        if kind.__name__ == "Equaliser":
            from all_even.dsp.tone.equaliser import Band as band  # noqa: N813
        bands = st.lists(st.builds(lambda chosen: band(**chosen), values(band)), max_size=4)
        return st.builds(lambda processor, some: msgspec.structs.replace(processor, bands=tuple(some)), made, bands)
    if kind.__name__ == "BandCompressor":
        count = st.integers(2, 5)

        def several(chosen, number, band):
            crossovers = (80.0, 300.0, 1500.0, 6000.0)[: number - 1]
            return kind(**chosen, crossovers_hz=crossovers, bands=(band,) * number)

        return st.builds(several, values(kind), count, any_processor(kinds.Compressor))
    return made


def sounds() -> dict[str, np.ndarray]:
    rng = np.random.default_rng(3)
    time_s = np.arange(6000) / RATE
    noise = rng.standard_normal((6000, 2)) * 0.3 * (np.sin(40.0 * time_s) > 0.0)[:, np.newaxis]
    broken = noise.copy()
    broken[100], broken[200], broken[300] = np.nan, np.inf, 1e300
    return {
        "noise": noise,
        "silence": np.zeros((6000, 2)),
        "full scale": np.sign(np.sin(2 * np.pi * 997.0 * time_s))[:, np.newaxis] * np.ones(2),
        "DC offset": np.full((6000, 2), 0.5),
        "broken": broken,
        "denormal": np.full((6000, 2), 1e-310),
    }


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.LABEL)
@settings(max_examples=5, deadline=None)
@given(data=st.data())
def test_any_settings_and_any_sound_are_safe_and_block_sizes_do_not_matter(kind, data):
    processor = data.draw(any_processor(kind))
    rate = data.draw(st.sampled_from([8_000, 44_100, 48_000, 192_000]))
    cuts = sorted(data.draw(st.lists(st.integers(1, 5999), max_size=5)))
    channels = data.draw(st.sampled_from([1, 2]))
    for name, sound in sounds().items():
        sound = sound[:, :channels]
        whole = Single(processor, rate)(sound)
        assert np.isfinite(whole).all(), name
        single = Single(processor, rate)
        parts = [single(part) for part in np.split(sound, cuts)]
        np.testing.assert_allclose(np.concatenate(parts), whole, atol=1e-9 * max(1.0, abs(whole).max()), err_msg=name)


@pytest.mark.parametrize("kind", [kinds.Gate, kinds.Compressor], ids=lambda kind: kind.LABEL)
def test_a_key_filter_next_to_zero_hertz_is_off(kind):
    sound = sounds()["noise"]
    tiny = kind(key_high_pass_hz=1e-306, key_low_pass_hz=1e-300)
    np.testing.assert_array_equal(Single(tiny, RATE)(sound), Single(kind(), RATE)(sound))


@pytest.mark.parametrize("kind", [*KINDS, LinearPhase], ids=lambda kind: kind.LABEL)
@pytest.mark.parametrize("channels", [1, 2])
def test_blocks_of_one_sample_and_of_none_give_the_same(kind, channels):
    sound = sounds()["noise"][:400, :channels]
    single = Single(kind(), RATE)
    parts = [single(sound[i : i + size]) for i in range(len(sound)) for size in (0, 1)]
    np.testing.assert_allclose(np.concatenate(parts), Single(kind(), RATE)(sound), atol=1e-12)


ELSEWHERE = (kinds.Delay, kinds.SubOctave, kinds.Reverb, kinds.Convolution, kinds.Room, kinds.Echo, LinkedClicks)
ON_TIME = [kind for kind in KINDS if kind not in ELSEWHERE]
"""The others are late on purpose, or return a new sound only."""


@pytest.mark.parametrize("kind", ON_TIME, ids=lambda kind: kind.LABEL)
def test_a_click_comes_out_as_late_as_is_reported(kind):
    """The strongest sample of a quiet click stands at the latency; a cabinet's cone is slow, there it begins there."""
    processor = kind()
    click = np.zeros((4096, 2))
    click[100] = 0.01
    heard = Single(processor, RATE)(click)
    size = np.abs(heard[:, 0])
    at = int(np.argmax(size >= 0.01 * size.max())) if kind is kinds.Cabinet else int(np.argmax(size))
    assert at == 100 + processor.latency_frames(RATE)


@pytest.mark.parametrize("kind", kinds.KINDS, ids=lambda kind: kind.LABEL)
def test_a_description_survives_the_session_file_and_refuses_what_is_out_of_range(kind):
    data = msgspec.json.encode(kind())
    assert msgspec.json.decode(data, type=kinds.AnyProcessor) == kind()
    numbers = {name: setting for name, setting in described(kind).items() if isinstance(setting, Parameter)}
    assert "matched_db" in numbers
    for name, setting in numbers.items():
        for beyond in (setting.low - 1.0, setting.high + 1.0):
            text = json.dumps(json.loads(data) | {name: beyond})
            with pytest.raises(msgspec.ValidationError):
                msgspec.json.decode(text, type=kinds.AnyProcessor)
        assert getattr(clamped(msgspec.structs.replace(kind(), **{name: math.inf})), name) == setting.high


@pytest.mark.parametrize("kind", kinds.KINDS, ids=lambda kind: kind.LABEL)
def test_every_setting_reads_back_what_it_writes(kind):
    for name, setting in described(kind).items():
        if isinstance(setting, Parameter):
            value = setting.default
            assert setting.parse(setting.text(value)) == pytest.approx(value, rel=0.01, abs=0.051), name


def test_what_was_remembered_is_forgotten_after_the_settling_time():
    """Two pasts, one present: after the stated time the outputs are the same."""
    rng = np.random.default_rng(5)
    for kind in KINDS:
        processor = kind()
        settling = processor.settling_s()
        if not math.isfinite(settling) or settling > 12.0:
            continue
        frames = math.ceil(settling * RATE) + 2000 + processor.latency_frames(RATE)
        loud = rng.standard_normal((RATE // 2, 2))
        present = 0.2 * rng.standard_normal((frames, 2))
        one, other = Single(processor, RATE), Single(processor, RATE)
        one(loud)
        other(np.zeros_like(loud))
        difference = one(present) - other(present)
        assert abs(difference[-2000:]).max() < 1e-6, kind.LABEL


def test_typing_part_of_a_name_finds_the_kind():
    assert kinds.search("comp")[0] is kinds.Compressor
    assert kinds.search("side mid") == [kinds.Width]
    assert set(kinds.search("")) == set(kinds.KINDS)
    assert kinds.search("no such thing") == []
