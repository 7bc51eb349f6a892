"""Stems as files: they add up to the mix, have safe names, and never touch the recordings."""

import numpy as np
import pytest
import soundfile

from all_even import outputs
from all_even.deliver.print_mix import PrintSettings
from all_even.deliver.stems import INSIDE, print_stems, stem_names
from all_even.dsp.dynamics.compressor import Compressor
from all_even.errors import Cancelled, UserError
from all_even.session.editing import chain_edits, edits, routing_edits
from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from tests.engine.sessions import RATE, sounds


@pytest.fixture
def song():
    lanes = tuple(
        Lane(id=f"l{i}", name=name, file="none.wav") for i, name in enumerate(("Kick", "Snare", "=2+2/..", "Snare"))
    )
    session = Session(name="Song", sample_rate=RATE, lanes=lanes)
    session, bus = routing_edits.group_strips(session, ["l0", "l1"], "Drums")
    session = chain_edits.add_station(session, bus, Compressor(threshold_db=-30.0))
    return edits.change_strips(session, ["l3"], level_db=-6.0), sounds(4)


def test_the_stems_in_the_folder_add_up_to_the_mix(song, tmp_path):
    session, sources = song
    written = print_stems(
        session, sources, tmp_path / "stems", PrintSettings(bits="32f"), mix_path=tmp_path / "mix.wav"
    )
    assert len(written) == 6
    top = [soundfile.read(path)[0] for path in sorted((tmp_path / "stems").glob("*.wav"))]
    assert len(top) == 3
    assert len(list((tmp_path / "stems" / INSIDE).glob("*.wav"))) == 2
    mix, rate = soundfile.read(tmp_path / "mix.wav")
    assert rate == RATE
    np.testing.assert_allclose(np.sum(top, axis=0), mix, atol=1e-6)


def test_names_are_safe_numbered_and_all_different(song):
    session, _ = song
    names = stem_names(session, [strip.id for strip in session.strips])
    assert list(names.values()) == ["01 Kick", "02 Snare", "03 2+2", "04 Snare", "05 Drums"]


def test_a_muted_lane_has_no_stem_and_other_rates_are_resampled(song, tmp_path):
    session, sources = song
    session = edits.change_strips(session, ["l2"], mute=True)
    written = print_stems(session, sources, tmp_path / "stems", PrintSettings(rate=44_100))
    assert len(written) == 4
    assert {soundfile.info(item.path).samplerate for item in written} == {44_100}


def test_cancelling_leaves_nothing_and_recordings_are_never_written_over(song, tmp_path):
    import threading

    session, sources = song
    stop = threading.Event()
    stop.set()
    with pytest.raises(Cancelled):
        print_stems(session, sources, tmp_path / "stems", cancelled=stop)
    assert list((tmp_path / "stems").rglob("*.wav")) == []
    printed = {item.path.name: item.path for item in print_stems(session, sources, tmp_path / "first")}
    (tmp_path / "stems").mkdir()
    name = next(name for name in printed if name.endswith("Drums.wav"))
    printed[name].rename(tmp_path / "stems" / name)
    protected = outputs.recordings([tmp_path / "stems" / name])
    with pytest.raises(UserError, match="one of the session's recordings"):
        print_stems(session, sources, tmp_path / "stems", protected=protected)
    with pytest.raises(UserError, match="can't be made"):
        print_stems(session, sources, tmp_path / "no" / "stems")
