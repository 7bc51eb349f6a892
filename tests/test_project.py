"""What the project promises about itself."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_the_documented_session_format_is_the_models():
    sys.path.insert(0, str(ROOT / "tools"))
    try:
        from session_format import document
    finally:
        sys.path.pop(0)
    assert (ROOT / "docs" / "session-format.md").read_text(encoding="utf-8") == document()


def test_every_screenshot_is_linked_from_the_readme():
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 4 <= len(shots) < 20
    assert all(f"docs/screenshots/{shot.name}" in readme for shot in shots)


def test_every_command_is_documented():
    from all_even.cli import COMMANDS

    text = (ROOT / "docs" / "command-line.md").read_text(encoding="utf-8")
    assert all(f"all-even {command}" in text for command in COMMANDS)


def test_the_start_page_needs_no_numeric_library():
    """It has to be on screen before scipy and numba are loaded."""
    code = (
        "import sys; from all_even.app.starting.start import make_application; app = make_application();from "
        "all_even.app.desk import Desk; from all_even.app.window import MainWindow;window = MainWindow(Desk()); "
        "window.show();sys.exit(any(name in sys.modules for name in ('scipy', 'numba')))"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0
