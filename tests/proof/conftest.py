"""Which part of the material is judged; see `draw`."""

import pytest

from tests.proof.draw import CHOSEN, PARTS, SHARES


@pytest.fixture(params=PARTS, scope="module")
def part(request: pytest.FixtureRequest) -> str:
    """The drawn share; of all songs also each share by itself."""
    return request.param


def pytest_report_header() -> str:
    return f"proof: share {CHOSEN} of {SHARES} (ALL_EVEN_SHARE={CHOSEN} repeats it)"
