"""About: what this is, which version, and the licences of what ships with it and what it stands on."""

from collections.abc import Callable
from importlib import metadata

from all_even import __version__
from all_even.app.pages.page import Page, card
from all_even.app.style import fields

STANDS_ON = (
    "numpy", "scipy", "numba", "soundfile", "soxr", "sounddevice", "pulsectl", "msgspec", "mido", "platformdirs",
    "jinja2", "weasyprint", "PyQt6",
)  # fmt: skip
SHIPPED = "The face Public Sans (SIL Open Font License 1.1) and icons of Lucide (ISC licence) ship with it."
CARE = (
    "Loud sound over hours harms hearing for good. Playing starts quietly and its path ends in a ceiling at −1 dBFS, "
    "but only you know how loud your loudspeakers are: local rules and qualified people decide."
)


class AboutPage(Page):
    title = "About All Even"

    def __init__(self, back: Callable[[], object]) -> None:
        super().__init__(back)
        self._text(f"All Even {__version__}", "A mixing bench: it measures a multitrack recording, proposes moves with "
                   "their evidence, lets them be heard, and prints the mix with everything that was set.")  # fmt: skip
        self._text("Licence", "All Even is free software under the GNU General Public License, version 3 or later; it "
                   f"comes without any warranty. {SHIPPED}")  # fmt: skip
        self._text("Stands on", "\n".join(_line(name) for name in STANDS_ON))
        self._text("Care", CARE)
        self.column.addStretch(1)

    def _text(self, title: str, text: str) -> None:
        made, grid = card(title)
        grid.addWidget(fields.wrapped(text), 1, 0, 1, 2)
        self.column.addWidget(made)


def _line(name: str) -> str:
    try:
        about = metadata.metadata(name)
    except metadata.PackageNotFoundError:
        return name
    licence = about.json.get("license_expression") or about.json.get("license") or ""
    told = str(licence).strip().splitlines()[0] if str(licence).strip() else ""
    first = told if told and not told.startswith("Copyright") else _classified(about)
    return f"{about['Name']} {about['Version']}" + (f": {first}" if first else "")


def _classified(about: metadata.PackageMetadata) -> str:
    """The licence by the package's classifiers."""
    found = [text.rsplit(" :: ", 1)[-1] for text in about.get_all("Classifier") or [] if text.startswith("License ::")]
    return ", ".join(found)
