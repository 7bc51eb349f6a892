"""Installs All Even for one user, as part of the desktop, and takes it away again.

    python3 tools/desktop.py install | uninstall

An environment of its own under ~/.local/lib, a launcher in ~/.local/bin, menu entry, icons, file type, AppStream data
and man page under ~/.local/share. What was put where is written down, and that is what `uninstall` takes away: nothing
else, and no recovery copy of a session that was never saved.
"""

import contextlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PACKAGING = ROOT / "packaging"
HOME = Path.home()
DATA = Path(os.environ.get("XDG_DATA_HOME") or HOME / ".local" / "share")
CACHE = Path(os.environ.get("XDG_CACHE_HOME") or HOME / ".cache")
PROGRAM = HOME / ".local" / "lib" / "all-even"
ENVIRONMENT, WRITTEN_DOWN = PROGRAM / "environment", PROGRAM / "installed.txt"
LAUNCHER = HOME / ".local" / "bin" / "all-even"
ICONS = DATA / "icons" / "hicolor"
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
MADE_BY_SYSTEM = {
    DATA / "applications": ("mimeinfo.cache",),
    DATA / "mime": (
        "aliases", "generic-icons", "globs", "globs2", "icons", "magic", "mime.cache", "subclasses", "treemagic",
        "types", "version", "XMLnamespaces", "application/x-alleven.xml",
    ),
    ICONS: ("icon-theme.cache",),
}  # fmt: skip
"""What the desktop's own tools make beside our files; gone with the last of them."""


class Installing:
    """Puts files in place, and remembers them and the folders that had to be made."""

    def __init__(self) -> None:
        self.files: list[Path] = []
        self.folders: list[Path] = []

    def folder(self, path: Path) -> None:
        missing = [part for part in (path, *path.parents) if not part.exists()]
        path.mkdir(parents=True, exist_ok=True)
        self.folders += missing[::-1]

    def put(self, path: Path, content: str | bytes) -> None:
        self.folder(path.parent)
        path.write_bytes(content.encode("utf-8") if isinstance(content, str) else content)
        self.files.append(path)

    def write_down(self) -> None:
        lines = [f"file {path}" for path in self.files] + [f"folder {path}" for path in self.folders]
        WRITTEN_DOWN.write_text("".join(f"{line}\n" for line in lines), encoding="utf-8")


def install() -> None:
    uninstall(quietly=True)
    to = Installing()
    to.folder(PROGRAM)
    to.folder(LAUNCHER.parent)
    to.write_down()  # what is interrupted can be taken away as well
    run(sys.executable, "-m", "venv", ENVIRONMENT)
    python = ENVIRONMENT / "bin" / "python"
    wheels, built_before = PROGRAM / "wheel", (ROOT / "build").exists()
    run(python, "-m", "pip", "wheel", "--quiet", "--disable-pip-version-check", "--no-deps", "-w", wheels, ROOT)
    wheel = next(wheels.glob("all_even-*.whl"))
    if not built_before:
        shutil.rmtree(ROOT / "build", ignore_errors=True)
    run(python, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "-c", ROOT / "constraints.txt", wheel)
    shutil.rmtree(wheels)
    LAUNCHER.unlink(missing_ok=True)
    LAUNCHER.symlink_to(ENVIRONMENT / "bin" / "all-even")
    to.files.append(LAUNCHER)
    entry = (PACKAGING / "all-even.desktop").read_text(encoding="utf-8").replace("@LAUNCHER@", str(LAUNCHER))
    to.put(DATA / "applications" / "all-even.desktop", entry)
    to.put(DATA / "mime" / "packages" / "all-even.xml", (PACKAGING / "all-even.xml").read_bytes())
    about = "org.alleven.all_even.metainfo.xml"
    to.put(DATA / "metainfo" / about, (PACKAGING / about).read_bytes())
    to.put(ICONS / "scalable" / "apps" / "all-even.svg", (PACKAGING / "all-even.svg").read_bytes())
    to.put(DATA / "man" / "man1" / "all-even.1", output(python, "-m", "all_even.cli.man_page"))
    for size, picture in icons(python).items():
        to.put(ICONS / f"{size}x{size}" / "apps" / "all-even.png", picture)
    to.write_down()
    tell_desktop()
    print(f"All Even is installed: it is in the menu, and as {LAUNCHER}.")
    if str(LAUNCHER.parent) not in os.environ.get("PATH", "").split(os.pathsep):
        print(f"{LAUNCHER.parent} is not in PATH yet; a new login usually changes that.")


def uninstall(quietly: bool = False) -> None:
    listed = WRITTEN_DOWN.read_text(encoding="utf-8").splitlines() if WRITTEN_DOWN.is_file() else []
    if not listed:
        if not quietly:
            print("All Even is not installed for this user.")
        return
    kinds = [line.partition(" ") for line in listed]
    files = [Path(place) for kind, _, place in kinds if kind == "file"]
    folders = [Path(place) for kind, _, place in kinds if kind == "folder"]
    for path in files:
        path.unlink(missing_ok=True)
    shutil.rmtree(PROGRAM, ignore_errors=True)
    tell_desktop()
    if not quietly:
        forget_own()
    for folder in {*folders, *(path.parent for path in files)}:
        for above in (folder, *folder.parents):
            if above in MADE_BY_SYSTEM:
                clear_made(above)
    for folder in sorted(set(folders), key=lambda path: -len(path.parts)):
        with contextlib.suppress(OSError):
            folder.rmdir()  # only if nothing else is in it
    if not quietly:
        print("All Even is gone.")


def forget_own() -> None:
    """Caches and preferences; recovery copies of what was never saved stay, and are named."""
    shutil.rmtree(CACHE / "all-even", ignore_errors=True)
    data = DATA / "all-even"
    rescued = list((data / "recovery").glob("*")) if (data / "recovery").is_dir() else []
    if rescued:
        print(f"Sessions that were never saved are kept in {data / 'recovery'}; delete that folder if you want.")
        for path in data.iterdir():
            if path.name != "recovery":
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink()
    else:
        shutil.rmtree(data, ignore_errors=True)


def clear_made(folder: Path) -> None:
    """Takes away what the desktop's tools made here, where nothing of anybody else is left for it."""
    made = {folder / name for name in MADE_BY_SYSTEM[folder]}
    others = (
        [path for path in folder.rglob("*") if path.is_file() and path not in made] if folder.is_dir() else [folder]
    )
    if not others:
        shutil.rmtree(folder, ignore_errors=True)


def tell_desktop() -> None:
    """Lets the desktop look anew; each tool where there is one."""
    for command in (
        ("update-desktop-database", "-q", DATA / "applications"),
        ("update-mime-database", DATA / "mime"),
        ("gtk-update-icon-cache", "-q", "-t", "-f", ICONS),
    ):
        if shutil.which(str(command[0])) and Path(command[-1]).is_dir():
            subprocess.run([str(part) for part in command], check=False, capture_output=True)


def icons(python: Path) -> dict[int, bytes]:
    """The icon in all sizes as PNG, drawn by the toolkit that the program brings."""
    drawing = (
        "import sys; from PyQt6.QtCore import QByteArray, QBuffer, Qt; from PyQt6.QtGui import QImage, QPainter\n"
        "from PyQt6.QtSvg import QSvgRenderer\n"
        "size = int(sys.argv[2]); image = QImage(size, size, QImage.Format.Format_ARGB32); image.fill(0)\n"
        "painter = QPainter(image); QSvgRenderer(sys.argv[1]).render(painter); painter.end()\n"
        "held = QByteArray(); buffer = QBuffer(held); buffer.open(QBuffer.OpenModeFlag.WriteOnly)\n"
        "image.save(buffer, 'PNG'); sys.stdout.buffer.write(held.data())\n"
    )
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    return {size: output(python, "-c", drawing, PACKAGING / "all-even.svg", size) for size in SIZES}


def run(*command: object) -> None:
    subprocess.run([str(part) for part in command], check=True)


def output(*command: object) -> bytes:
    return subprocess.run([str(part) for part in command], check=True, stdout=subprocess.PIPE).stdout


if __name__ == "__main__":
    if sys.argv[1:] not in (["install"], ["uninstall"]):
        sys.exit(__doc__)
    install() if sys.argv[1] == "install" else uninstall()
