"""What the attack met, told at the end of a run."""

import pytest


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    met = [
        value
        for report in terminalreporter.stats.get("passed", [])
        for name, value in report.user_properties
        if name == "met"
    ]
    if met:
        terminalreporter.section("the attack met")
        for line in sorted(met):
            terminalreporter.write_line(line)
