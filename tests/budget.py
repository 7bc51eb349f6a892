"""What each test costs, in processor seconds of its worker and of the programs it started.

Seconds on a clock depend on what else the machine does; processor seconds less. The ten dearest tests and files are
printed at the end. A test over `LIMIT_S` without the mark `slow` is told, and so is one before which fixtures were made
for over `FIXTURES_S` (many tests share them, the first one pays); over `SWING` times that it fails the run, so that it
stays quick. Files are handed out the dearest first, so that all workers end together.
"""

import json
import os
import resource
from collections import defaultdict
from collections.abc import Generator, Mapping
from pathlib import Path

import pytest

LIMIT_S, FIXTURES_S = 10.0, 40.0
SWING = 3.0
"""The same loop takes up to three times as long on a machine that others use as well: what is over a limit is told, and
fails the run only where no swing explains it."""
COSTS = Path(__file__).with_name("costs.json")
"""Processor seconds by file, of some run before this one."""
WORKER = "PYTEST_XDIST_WORKER"


def processor_s() -> float:
    """User and system time of this process and of its ended children, s."""
    both = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    return sum(usage.ru_utime + usage.ru_stime for usage in both)


def dearest(costs: Mapping[str, float], count: int = 10) -> list[tuple[str, float]]:
    return sorted(costs.items(), key=lambda item: -item[1])[:count]


def by_file(costs: Mapping[str, float]) -> dict[str, float]:
    """costs: by the name of the test."""
    found: dict[str, float] = defaultdict(float)
    for name, spent in costs.items():
        found[name.split("::")[0]] += spent
    return dict(found)


class Budget:
    """One in each worker, which measures, and one in the process that hands out, which adds up and judges."""

    def __init__(self) -> None:
        self.last = processor_s()
        self.spent: dict[str, float] = defaultdict(float)
        self.over: dict[str, float] = {}
        self.failed = False

    def pytest_runtest_logstart(self) -> None:
        self.last = processor_s()

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_makereport(self, item: pytest.Item) -> Generator[None, pytest.TestReport, pytest.TestReport]:
        report = yield
        now = processor_s()
        report.user_properties.append(("processor_s", now - self.last))
        if item.get_closest_marker("slow") or item.get_closest_marker("proof"):
            report.user_properties.append(("slow", True))
        self.last = now
        return report

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        told = dict(report.user_properties)
        spent = told.get("processor_s", 0.0)
        self.spent[report.nodeid] += spent
        limit = FIXTURES_S if report.when == "setup" else LIMIT_S
        if "slow" not in told and spent > limit:
            self.over[report.nodeid] = spent
            self.failed |= spent > SWING * limit

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        files = by_file(self.spent)
        if os.environ.get("ALL_EVEN_COSTS"):
            Path(os.environ["ALL_EVEN_COSTS"]).write_text(json.dumps(self.spent, indent=0, sort_keys=True))
        terminalreporter.section(f"{sum(self.spent.values()):.0f} s of processor time; the dearest")
        for name, spent in [*dearest(self.spent), *dearest(files)]:
            terminalreporter.write_line(f"{spent:7.1f} s  {name}")
        for name, spent in self.over.items():
            told = f"{name} took {spent:.0f} s: make it quicker, or mark it slow and say why"
            terminalreporter.write_line(told, red=True)

    def pytest_sessionfinish(self, session: pytest.Session) -> None:
        if self.failed and not os.environ.get(WORKER) and session.exitstatus == pytest.ExitCode.OK:
            session.exitstatus = pytest.ExitCode.TESTS_FAILED


def pytest_configure(config: pytest.Config) -> None:
    config.pluginmanager.register(Budget(), "budget")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The dearest files first; all workers read the same list."""
    known = json.loads(COSTS.read_text()) if COSTS.is_file() else {}
    items.sort(key=lambda item: -known.get(item.nodeid.split("::")[0], 0.0))
