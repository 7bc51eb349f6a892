"""What all tests share: a home of their own, sounds made from numbers, and the demo's stems."""

import contextlib
import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

# The real window, painted in memory: the same with and without a screen.
os.environ["QT_QPA_PLATFORM"] = "offscreen"

# Compiled kernels, tunes and measures are kept between runs (keyed by the sources); everything else is new.
from all_even import kernels, places

os.environ.setdefault("NUMBA_CACHE_DIR", kernels.cache_dir())
HUNG_S = float(os.environ.get("ALL_EVEN_PATIENCE_S", "600"))
"""Tests wait for events; this long only against a real hang, on a machine however slow."""


KEPT_S = 3600.0
"""What other versions left goes after an hour."""


def _kept() -> Path:
    """Tunes that were generated and files that were measured by these very sources, also by runs before this one."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(Path(kernels.__file__).parent.rglob("*.py")):
        digest.update(path.read_bytes())
    folder = places.cache_folder("tests") / digest.hexdigest()
    folder.mkdir(parents=True, exist_ok=True)
    os.utime(folder)
    for other in folder.parent.iterdir():
        with contextlib.suppress(OSError):
            if other != folder and other.stat().st_mtime < time.time() - KEPT_S:
                shutil.rmtree(other, ignore_errors=True)
    return folder


# All workers of a run share one home; so do runs that a test starts by itself. Its caches outlive it.
if "ALL_EVEN_LENT_HOME" not in os.environ:
    _HOME = tempfile.TemporaryDirectory(prefix="all-even-tests-")
    (Path(_HOME.name) / "cache").symlink_to(_kept())
    os.environ["ALL_EVEN_LENT_HOME"] = _HOME.name
os.environ["ALL_EVEN_HOME"] = os.environ["ALL_EVEN_LENT_HOME"]

import numpy as np  # noqa: E402
import pytest  # noqa: E402
import soundfile  # noqa: E402

pytest_plugins = ("tests.budget",)
RATE = 48_000


def pytest_configure(config: pytest.Config) -> None:
    """Compiles all kernels once, before any worker starts, so that no test waits for a compiler."""
    if hasattr(config, "workerinput") or config.option.collectonly or kernels.is_warm():
        return
    print("Compiling the kernels once for all tests: one to three minutes ...", flush=True)
    subprocess.run([sys.executable, "-m", "all_even.cli.warm"], check=True, stdout=subprocess.DEVNULL)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_auto_num_workers(config: pytest.Config) -> int:
    """One more than there are cores: tests also wait, for a clock, a sound server, a killed child."""
    return (os.cpu_count() or 1) + 1


DEFECTS: list[BaseException] = []
_note_defect = places.note_defect


def _noted(error: BaseException) -> Path | None:
    DEFECTS.append(error)
    return _note_defect(error)


places.note_defect = _noted


@pytest.fixture(autouse=True)
def defects() -> Iterator[list[BaseException]]:
    """What stumbled and was passed over, as the program does for people: in a test it is a failure. One that makes
    something stumble looks at them, and empties them."""
    yield DEFECTS
    stumbled = list(DEFECTS)
    DEFECTS.clear()
    if stumbled:
        raise stumbled[0]


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Caches and data folders of this test alone."""
    monkeypatch.setenv("ALL_EVEN_HOME", str(tmp_path / "home"))
    return tmp_path / "home"


@contextlib.contextmanager
def as_nobody() -> Iterator[None]:
    """As a user who may do little; as ourselves where we are no root."""
    own = os.geteuid()
    if own == 0:
        os.seteuid(65534)
    try:
        yield
    finally:
        os.seteuid(own)


@pytest.fixture
def public_folder() -> Iterator[Path]:
    """A folder that anybody can go into, unlike pytest's own."""
    folder = Path(tempfile.mkdtemp(prefix="all-even-public-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


def _once(name: str, make: Callable[[Path], Path]) -> Path:
    """A folder that all workers share: made by the one that needs it first; the others wait for it."""
    made = Path(os.environ["ALL_EVEN_LENT_HOME"]) / "cache" / "tunes"
    made.mkdir(exist_ok=True)
    with (made / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        return make(made / name)


def _tune(folder: Path, **options: int) -> Path:
    from all_even.demo.stems import write_stems

    return folder if (folder / "truth.json").is_file() else write_stems(folder, **options)


@pytest.fixture(scope="session")
def demo_folder() -> Path:
    """The demo as users have it: 29 files of 24 bars."""
    from all_even.demo.stems import demo_folder as made

    return _once("demo", lambda _folder: made())


@pytest.fixture(scope="session")
def brief_demo() -> Path:
    """All files of the demo with all that is wrong with them, of 8 bars."""
    return _once("brief demo", lambda folder: _tune(folder, bars=8))


@pytest.fixture(scope="session")
def short_folder() -> Path:
    """A short tune of another seed: 12 files of 4 bars."""
    return _once("short", lambda folder: _tune(folder, seed=7, tracks=12, bars=4))


BAND = ("01_KIK IN.wav", "SnTop_01.wav", "BASS_DI.wav", "eGtr1.wav", "harmonium take2.wav", "LD VOX comp.wav")


def _band(folder: Path) -> Path:
    from all_even.demo.parts import Studio
    from all_even.demo.score import make_score
    from all_even.demo.stems import STEMS, render_stem

    if not (folder / BAND[-1]).is_file():
        folder.mkdir(parents=True, exist_ok=True)
        studio = Studio(make_score(11, bars=5))
        for stem in STEMS:
            if stem.file in BAND:
                soundfile.write(folder / stem.file, render_stem(stem, studio), stem.sample_rate, subtype="PCM_24")
    return folder


@pytest.fixture(scope="session")
def small_band() -> Path:
    """Kick, snare, bass, two instruments and a lead voice, of 5 bars: as little as a whole mix needs."""
    return _once("small band", _band)


@pytest.fixture(scope="session")
def six_bars() -> Path:
    """The same tune a little longer, for what needs more notes."""
    return _once("six bars", lambda folder: _tune(folder, seed=7, tracks=12, bars=6))


@pytest.fixture
def write(tmp_path: Path) -> Callable[..., Path]:
    """Writes samples as a sound file and returns its path."""

    def make(name: str, samples: np.ndarray, rate: int = RATE, subtype: str | None = "PCM_24", **options: str) -> Path:
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(path, samples, rate, subtype=subtype, **options)
        return path

    return make


def sine(frequency: float, seconds: float, level_dbfs: float = 0.0, rate: int = RATE, phase: float = 0.0) -> np.ndarray:
    """A sine whose peak lies at `level_dbfs`, (frames,)."""
    time = np.arange(round(seconds * rate)) / rate
    return 10.0 ** (level_dbfs / 20.0) * np.sin(2 * np.pi * frequency * time + phase)


def stereo(mono: np.ndarray) -> np.ndarray:
    return np.stack([mono, mono], axis=1).astype(np.float32)


def noise(seconds: float, seed: int = 0, rate: int = RATE, level: float = 0.1) -> np.ndarray:
    return (level * np.random.default_rng(seed).standard_normal(round(seconds * rate))).astype(np.float32)
