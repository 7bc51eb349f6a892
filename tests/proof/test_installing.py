"""Installing for one user and taking it away: a fresh home, a wheel, an environment of its own, the desktop's tools.

The checks are those of freedesktop.org: desktop-file-validate, appstreamcli, the shared MIME database, xdg-open. Where
a tool is missing its part says so and is left out.
"""

import os
import shutil
import signal
import subprocess
import time
from pathlib import Path

import pytest

from all_even import __version__

pytestmark = pytest.mark.proof
ROOT = Path(__file__).parents[2]
HUNG_S = 900.0
OURS = ("XDG_", "ALL_EVEN", "NUMBA", "PYTEST", "PYTHON", "QT_")
"""Variables of the tests' own that a fresh home has not."""


def everything(home: Path) -> set[str]:
    return {str(path.relative_to(home)) for path in home.rglob("*")}


def wait(condition, process: subprocess.Popen) -> None:
    end = time.monotonic() + HUNG_S
    while not condition():
        assert time.monotonic() < end, "hung"
        assert process.poll() is None, "it ended by itself"
        time.sleep(0.1)


def test_installed_opened_by_the_desktop_and_taken_away_without_a_trace(tmp_path):
    home = tmp_path / "home"
    home.mkdir()
    kept = {name: value for name, value in os.environ.items() if not name.startswith(OURS)}
    environment = {
        **kept, "HOME": str(home), "LANG": "C.UTF-8", "QT_QPA_PLATFORM": "offscreen", "XDG_RUNTIME_DIR": str(tmp_path),
        "DISPLAY": ":99",
    }  # fmt: skip
    for place in (".config/pip/pip.conf", ".pip/pip.conf"):  # where packages come from here
        if (Path.home() / place).is_file():
            environment["PIP_CONFIG_FILE"] = str(Path.home() / place)

    def run(*command: object) -> str:
        done = subprocess.run(
            [str(part) for part in command], env=environment, capture_output=True, text=True, cwd=ROOT, check=False
        )
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout + done.stderr

    run("python3", "tools/desktop.py", "install")
    data, launcher = home / ".local" / "share", home / ".local" / "bin" / "all-even"
    assert __version__ in run(launcher, "--version")
    assert "all-even moves" in (data / "man" / "man1" / "all-even.1").read_text().replace("\\-", "-")
    for size in (16, 48, 512):
        picture = data / "icons" / "hicolor" / f"{size}x{size}" / "apps" / "all-even.png"
        assert picture.read_bytes()[16:24] == size.to_bytes(4, "big") * 2

    if shutil.which("desktop-file-validate"):
        assert run("desktop-file-validate", data / "applications" / "all-even.desktop") == ""
    if shutil.which("appstreamcli"):
        told = run("appstreamcli", "validate", "--no-net", data / "metainfo" / "org.alleven.all_even.metainfo.xml")
        assert "successful" in told
        assert "infos" not in told
        assert "warnings" not in told

    folder = tmp_path / "songs"
    folder.mkdir()
    run(launcher, "demo", "-o", folder, "--tracks", 2, "--bars", 2)
    session = next(folder.glob("*.alleven"))
    locks = data / "all-even" / "locks"
    needed = ("xdg-open", "xdg-mime", "mimetype", "update-mime-database", "update-desktop-database")
    missing = [name for name in needed if shutil.which(name) is None]
    if not missing:
        assert run("xdg-mime", "query", "filetype", session).strip() == "application/x-alleven"
        assert run("xdg-mime", "query", "default", "application/x-alleven").strip() == "all-even.desktop"
        opening, opened = ["xdg-open", str(session)], lambda: locks.is_dir() and any(locks.iterdir())
    else:
        print(f"not opened by the desktop: {', '.join(missing)} missing")
        opening, opened = [str(launcher), str(session)], lambda: locks.is_dir() and any(locks.iterdir())
    process = subprocess.Popen(opening, env=environment, start_new_session=True)
    wait(opened, process)
    wait(lambda: (data / "recently-used.xbel").is_file(), process)
    os.killpg(process.pid, signal.SIGTERM)
    process.wait()
    assert session.as_uri() in (data / "recently-used.xbel").read_text()

    window = subprocess.Popen([launcher, "--demo"], env=environment, start_new_session=True)
    stems = home / ".cache" / "all-even"
    defects = data / "all-even" / "defects.log"
    wait(lambda: defects.exists() or len(list(stems.rglob("*.wav"))) > 20, window)
    assert not defects.exists(), defects.read_text()
    os.killpg(window.pid, signal.SIGTERM)
    window.wait()

    shutil.rmtree(data / "all-even" / "recovery", ignore_errors=True)
    assert "gone" in run("python3", "tools/desktop.py", "uninstall")
    (data / "recently-used.xbel").unlink()  # the desktop's own
    left = {path for path in everything(home) if (home / path).is_file() and "all" in path.lower()}
    assert left == set()
    assert not (home / ".local" / "lib" / "all-even").exists()
