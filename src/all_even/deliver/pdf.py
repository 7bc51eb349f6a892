"""Pages as PDF: the same HTML, laid out for paper, in our own type, with nothing loaded from elsewhere."""

import logging
from pathlib import Path

import all_even
from all_even import places
from all_even.errors import UserError

FONTS = Path(all_even.__file__).parent / "app" / "assets" / "fonts"
WEIGHTS = {400: "PublicSans_400Regular.ttf", 500: "PublicSans_500Medium.ttf", 600: "PublicSans_600SemiBold.ttf"}


def pdf_of(page: str) -> bytes:
    """A page of ours as PDF. A UserError where the system's text layout (Pango) is missing."""
    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)
    logging.getLogger("fontTools").setLevel(logging.CRITICAL)
    try:
        from weasyprint import CSS, HTML
        from weasyprint.text.fonts import FontConfiguration
        from weasyprint.urls import URLFetcher
    except OSError:
        raise UserError(
            "A PDF can't be made: the system library Pango is missing (libpango-1.0-0). The .html sheet holds the same."
        ) from None
    faces = "".join(
        f"@font-face {{ font-family: 'Public Sans'; font-weight: {weight}; src: url({(FONTS / name).as_uri()}); }}"
        for weight, name in WEIGHTS.items()
    )
    nothing = URLFetcher(allowed_protocols=())
    with places.passing_folder("pdf") as folder:
        fonts = FontConfiguration()
        fonts._folder = folder  # its own would stay behind when this run is killed
        style = CSS(string=faces, font_config=fonts, url_fetcher=URLFetcher(allowed_protocols=("file",)))
        # What stands in a page is ours and escaped; and whatever it named would not be fetched.
        written = HTML(string=page, url_fetcher=nothing).write_pdf(stylesheets=[style], font_config=fonts)
    assert isinstance(written, bytes)
    return written
