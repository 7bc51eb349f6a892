"""One constant retune: pitch as asked, times as they were, the original untouched."""

import os
import threading

import numpy as np
import pytest
import soundfile

from all_even.audio import retune
from all_even.errors import Cancelled, UserError
from all_even.session.file.new import sound_paths
from tests.conftest import RATE, sine
from tests.measure.sounds import kick, placed

pytestmark = pytest.mark.skipif(not retune.is_there(), reason="rubberband (package rubberband-cli) is not here")


def cents_of(sound: np.ndarray, hertz: float) -> float:
    """The strongest partial against a frequency; the window makes 0.1 cents out of 4 s."""
    size = 1 << 21
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), size))
    peak = int(np.argmax(spectrum))
    left, middle, right = np.log(spectrum[peak - 1 : peak + 2])
    return 1200.0 * np.log2((peak + 0.5 * (left - right) / (left - 2 * middle + right)) * RATE / size / hertz)


@pytest.mark.parametrize("cents", [24.0, -36.0])
@pytest.mark.parametrize("hertz", [55.0, 440.0])
def test_a_tone_is_moved_by_so_many_cents_and_keeps_its_level(cents, hertz):
    tone = sum(sine(hertz * k, 6.0, -12.0 - 6.0 * k) for k in range(1, 6))
    found = retune.shifted(tone[:, None].astype(np.float32), RATE, cents)[:, 0].astype(np.float64)
    assert len(found) == len(tone)
    inside = slice(RATE, 5 * RATE)
    assert cents_of(found[inside], hertz) == pytest.approx(cents, abs=1.0)
    assert 20 * np.log10(np.std(found[inside]) / np.std(tone[inside])) == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("cents", [24.0, -36.0])
def test_hits_stay_where_they_were_from_the_first_to_the_last(cents):
    seconds = 20.0
    times = np.arange(0.5, seconds - 1.0, 0.5)
    beat = placed(kick(), times, seconds)
    found = retune.shifted(beat[:, None].astype(np.float32), RATE, cents)[:, 0]
    late = []
    before, after = (np.convolve(np.abs(sound), np.ones(480) / 480.0, mode="same") for sound in (beat, found))
    for time in times[1:-1]:
        at = round(time * RATE)
        hit, moved = before[at - 2400 : at + 12_000], after[at - 4800 : at + 14_400]
        late.append((np.argmax(np.correlate(moved - moved.mean(), hit - hit.mean(), mode="valid")) - 2400) / RATE * 1e3)
    assert np.ptp(late) < 1.5
    assert abs(np.median(late)) < 1.0


def test_a_copy_lies_beside_the_recording_and_no_folder_lists_it(write, tmp_path):
    path = write("bass.wav", np.stack([sine(110.0, 3.0, -12.0), np.zeros(3 * RATE)], axis=1))
    before = path.read_bytes()
    copy = retune.retune(path, (1,), -24.0)
    assert copy.parent.name == retune.FOLDER
    assert soundfile.info(copy).channels == 1
    assert soundfile.info(copy).frames == 3 * RATE
    assert path.read_bytes() == before
    made = copy.stat().st_mtime_ns
    assert retune.retune(path, (1,), -24.0) == copy
    assert copy.stat().st_mtime_ns == made
    write("bass.wav", np.stack([sine(220.0, 3.0, -12.0), np.zeros(3 * RATE)], axis=1))
    os.utime(path, ns=(made - 10**12, made - 10**12))  # another recording under the same name, with an older date
    assert retune.retune(path, (1,), -24.0) != copy
    assert sound_paths(tmp_path) == [path]


def test_a_folder_that_refuses_is_one_sentence(write, monkeypatch):
    path = write("bass.wav", sine(110.0, 1.0, -12.0))

    def refuse(*_, **__):
        raise PermissionError(13, "no")

    monkeypatch.setattr(retune.Path, "mkdir", refuse)
    with pytest.raises(UserError, match="can't be made"):
        retune.retune(path, None, 10.0)


def test_a_machine_without_the_program_is_told_what_to_install(monkeypatch):
    monkeypatch.setenv("PATH", "")
    assert not retune.is_there()
    with pytest.raises(UserError, match="rubberband-cli"):
        retune.shifted(np.zeros((100, 1), dtype=np.float32), RATE, 10.0)


def test_a_long_one_stops_when_nobody_waits_for_it_any_more():
    stop = threading.Event()
    stop.set()
    with pytest.raises(Cancelled):
        retune.shifted(np.zeros((60 * RATE, 2), dtype=np.float32), RATE, 10.0, stop)


@pytest.fixture
def quick(monkeypatch):
    """Without the program: a copy is its recording, softer."""
    monkeypatch.setattr(retune, "shifted", lambda samples, *_: 0.5 * samples)


def test_recordings_of_one_name_and_tenths_of_cents_have_copies_of_their_own(write, quick):
    wave = write("gtr.wav", sine(110.0, 1.0, -12.0))
    soundfile.write(wave.with_suffix(".flac"), sine(220.0, 1.0, -12.0), RATE)
    places = [retune.retune(path, None, cents) for path in (wave, wave.with_suffix(".flac")) for cents in (20.0, 20.4)]
    assert len(set(places)) == 4
    assert not np.array_equal(soundfile.read(places[0])[0], soundfile.read(places[2])[0])


def test_a_file_that_is_not_ours_is_in_the_way_and_stays(write, quick):
    path = write("bass.wav", sine(110.0, 1.0, -12.0))
    target = retune.place_of(path, None, 20.0)
    target.parent.mkdir()
    soundfile.write(target, sine(50.0, 1.0, -6.0), RATE)
    before = target.read_bytes()
    with pytest.raises(UserError, match="not a print of ours"):
        retune.retune(path, None, 20.0)
    assert target.read_bytes() == before


def test_a_copy_of_ours_that_is_cut_is_made_again(write, quick):
    path = write("bass.wav", sine(110.0, 1.0, -12.0))
    copy = retune.retune(path, None, 20.0)
    whole = copy.read_bytes()
    os.truncate(copy, len(whole) // 2)
    assert retune.retune(path, None, 20.0) == copy
    assert len(copy.read_bytes()) == len(whole)


def test_nothing_is_written_through_a_link_that_leads_elsewhere(write, quick, tmp_path):
    path = write("st/bass.wav", sine(110.0, 1.0, -12.0))
    (tmp_path / "elsewhere").mkdir()
    (path.parent / retune.FOLDER).symlink_to(tmp_path / "elsewhere")
    with pytest.raises(UserError, match="a link that leads elsewhere"):
        retune.retune(path, None, 20.0)
    assert list((tmp_path / "elsewhere").iterdir()) == []


@pytest.mark.parametrize("name", ["x" * 242, "Ж" * 121, "鼓" * 80])
def test_a_name_as_long_as_names_can_be_is_retuned(write, quick, name):
    path = write(f"{name}.wav", sine(110.0, 0.5, -12.0))
    copies = {retune.retune(path, None, cents) for cents in (20.0, -20.0)}
    assert len(copies) == 2
    assert all(len(os.fsencode(copy.name)) <= 255 for copy in copies)


def test_a_recording_replaced_by_one_of_the_same_size_and_date_is_another_one(write, quick):
    path = write("gtr.wav", sine(110.0, 1.0, -12.0))
    os.utime(path, (1e9, 1e9))
    first = retune.retune(path, None, 20.0)
    write("gtr.wav", sine(220.0, 1.0, -12.0))
    os.utime(path, (1e9, 1e9))
    assert retune.retune(path, None, 20.0) != first
