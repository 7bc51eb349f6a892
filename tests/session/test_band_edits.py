"""Bands of equalisers and band compressors come and go; what is automated on them goes along."""

import numpy as np
import pytest

from all_even.dsp.dynamics.band_compressor import BandCompressor
from all_even.dsp.dynamics.compressor import Compressor
from all_even.dsp.dynamics.dynamic_equaliser import DynamicBand, DynamicEqualiser
from all_even.dsp.processor import Single
from all_even.dsp.tone.equaliser import Band, Equaliser
from all_even.errors import UserError
from all_even.session.editing import chain_edits
from all_even.session.model.session import Folder, Session
from all_even.session.model.strips import MIX, Lane
from tests.conftest import RATE, noise


@pytest.fixture
def session() -> Session:
    lane = Lane(id="a", name="A", file="a.wav")
    return Session(name="s", sample_rate=RATE, folders=(Folder(path="/x"),), lanes=(lane,))


def with_station(session: Session, station, strip: str = "a") -> tuple[Session, str]:
    session = chain_edits.add_station(session, strip, station)
    return session, session.chain(strip)[-1].id


@pytest.mark.parametrize("strip", ["a", MIX])
def test_automation_of_the_bands_above_moves_with_them(session, strip):
    session, station = with_station(session, Equaliser(bands=(Band(gain_db=1.0), Band(gain_db=2.0))), strip)
    session = chain_edits.automate(session, strip, f"{station}.bands.1.gain_db", [(0.0, 2.0), (1.0, 4.0)])
    more = chain_edits.add_band(session, strip, station, 0)
    assert [band.gain_db for band in more.chain(strip)[0].bands] == [1.0, 0.0, 2.0]
    assert [item.parameter for item in chain_edits.automation_of(more, strip)] == [f"{station}.bands.2.gain_db"]
    back = chain_edits.drop_band(more, strip, station, 1)
    assert back == session
    gone = chain_edits.drop_band(session, strip, station, 1)
    assert chain_edits.automation_of(gone, strip) == ()


def test_a_band_of_a_band_compressor_is_split_in_the_middle_of_its_octaves(session):
    first = BandCompressor(crossovers_hz=(100.0,), bands=(Compressor(ratio=2.0), Compressor(ratio=3.0)))
    session, station = with_station(session, first)
    three = chain_edits.add_band(session, "a", station, 1).chain("a")[0]
    assert three.crossovers_hz == (100.0, pytest.approx(np.sqrt(100.0 * 20_000.0), abs=0.1))
    assert [band.ratio for band in three.bands] == [2.0, 3.0, 3.0]


@pytest.mark.parametrize(("dropped", "left"), [(0, (1000.0,)), (1, (1000.0,)), (2, (100.0,))])
def test_a_dropped_band_leaves_its_range_to_its_neighbour(session, dropped, left):
    bands = tuple(Compressor(ratio=float(k)) for k in (2, 3, 4))
    session, station = with_station(session, BandCompressor(crossovers_hz=(100.0, 1000.0), bands=bands))
    found = chain_edits.drop_band(session, "a", station, dropped).chain("a")[0]
    assert found.crossovers_hz == left
    assert [band.ratio for band in found.bands] == [k for k in (2.0, 3.0, 4.0) if k != dropped + 2]


def test_a_crossover_stops_at_its_neighbours():
    made = BandCompressor(crossovers_hz=(100.0, 1000.0), bands=(Compressor(),) * 3)
    assert made.with_crossover(0, 5000.0).crossovers_hz == (1000.0, 1000.0)
    assert made.with_crossover(1, 20.0).crossovers_hz == (100.0, 100.0)
    assert made.with_crossover(0, 250.0).crossovers_hz == (250.0, 1000.0)


@pytest.mark.parametrize(
    ("station", "count", "words"),
    [
        (BandCompressor(), 2, "2 bands are the fewest"),
        (DynamicEqualiser(bands=(DynamicBand(),)), 1, "1 bands are the fewest"),
        (BandCompressor(crossovers_hz=(50.0, 200.0, 1000.0, 5000.0), bands=(Compressor(),) * 5), 5, "5 bands are the"),
        (DynamicEqualiser(bands=(DynamicBand(),) * 8), 8, "8 bands are the most"),
    ],
)
def test_too_few_and_too_many_bands_are_refused_in_a_sentence(session, station, count, words):
    session, station_id = with_station(session, station)
    edit = chain_edits.drop_band if "fewest" in words else chain_edits.add_band
    with pytest.raises(UserError, match=words):
        edit(session, "a", station_id, 0)
    assert len(session.chain("a")[0].bands) == count


def test_a_band_that_is_split_in_two_equal_ones_sounds_the_same_while_idle():
    """Crossovers add up to an all-pass: levels per third of the spectrum stay."""
    sound = noise(1.0, 3)[:, np.newaxis].astype(np.float64)
    idle = BandCompressor(crossovers_hz=(200.0,), bands=(Compressor(range_db=0.0),) * 2)
    spectra = [np.abs(np.fft.rfft(Single(one, RATE)(sound.copy())[:, 0])) for one in (idle, idle.with_band(1))]
    for low, high in ((20, 200), (200, 2000), (2000, 20_000)):
        powers = [np.sum(spectrum[low:high] ** 2) for spectrum in spectra]
        assert 10.0 * np.log10(powers[1] / powers[0]) == pytest.approx(0.0, abs=0.05)


def test_an_equaliser_behind_another_widens_it_and_sounds_the_same(session):
    sound = noise(0.5, 5)[:, np.newaxis].astype(np.float64)
    first = Equaliser(bands=(Band(frequency_hz=300.0, gain_db=-3.0),), output_db=1.0)
    second = Equaliser(bands=(Band(frequency_hz=3000.0, gain_db=2.0),), output_db=-0.5)
    in_a_row = Single(second, RATE)(Single(first, RATE)(sound.copy()))
    widened = chain_edits.with_equaliser(chain_edits.add_station(session, "a", first), "a", second)
    (one,) = widened.chain("a")
    assert len(one.bands) == 2
    assert np.abs(Single(one, RATE)(sound.copy()) - in_a_row).max() < 1e-9


@pytest.mark.parametrize(
    "before",
    [Equaliser(phase="linear"), Equaliser(bypass=True), Compressor(), Equaliser(bands=(Band(),) * 12, output_db=24.0)],
)
def test_where_that_would_sound_otherwise_it_stands_behind(session, before):
    second = Equaliser(bands=(Band(gain_db=2.0),), output_db=1.0)
    after = chain_edits.with_equaliser(chain_edits.add_station(session, "a", before), "a", second)
    assert len(after.chain("a")) == 2
