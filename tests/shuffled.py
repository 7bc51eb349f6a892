"""Tests in another order: modules, and the tests of each, shuffled by the number in ALL_EVEN_SHUFFLE.

A plugin for `pytest -p tests.shuffled`. The window's tests share one window, and what one of them leaves behind shows
only in an order in which nobody wrote them.
"""

import os
import random

import pytest


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    drawn = random.Random(int(os.environ["ALL_EVEN_SHUFFLE"]))
    modules: dict[str, list[pytest.Item]] = {}
    for item in items:
        modules.setdefault(item.nodeid.partition("::")[0], []).append(item)
    order = list(modules.values())
    drawn.shuffle(order)
    for tests in order:
        drawn.shuffle(tests)
    items[:] = [item for tests in order for item in tests]
