"""What a move promises and what it did, in words and figures."""

from collections.abc import Sequence

from all_even.moves.accounts import Account, Outcome
from all_even.moves.metric import Metric
from all_even.session.model.ledger import Proposal, Result

OUTCOMES: dict[Outcome, str] = {
    "waiting": "being measured",
    "kept": "kept its promise",
    "worked out": "as calculated",
    "missed": "missed its promise",
    "measured": "measured",
    "unknown": "could not be measured",
    "undone": "undone",
}
SOURCES = {"predicted": "estimate", "trial": "measured", "worked out": "calculated"}


def figure(metric: Metric, value: float | None) -> str:
    """A figure that is not torn from its unit where lines are broken."""
    return metric.text(value).replace(" ", "\N{NO-BREAK SPACE}")


def promise(move: Proposal, metric: Metric) -> str:
    """Its figure now and what is expected. One that is not there yet is not shown as a figure."""
    name = _capital(metric.label)
    if move.expected is None:
        return f"{name}: found on the sound when it is tried"
    within = f" ± {figure(metric, move.tolerance)}" if move.tolerance else ""
    expected = f"{figure(metric, move.expected)}{within} ({SOURCES[move.source]})"
    if move.before is None:
        return f"{name}: {expected}"
    return f"{name}: {figure(metric, move.before)} → {expected}"


def result(move: Proposal, metric: Metric, found: Result | None) -> str:
    """What it did, beside what it promised."""
    after = "being measured" if found is None else figure(metric, found.value)
    before = "" if move.before is None else f"{figure(metric, move.before)} → "
    within = f" ± {figure(metric, move.tolerance)}" if move.tolerance else ""
    expected = "" if move.expected is None else f", expected {figure(metric, move.expected)}{within}"
    return f"{_capital(metric.label)}: {before}{after}{expected}"


def since(account: Account, metric: Metric) -> str:
    """What became of a move's figure since, where something it depends on changed; else empty."""
    if not account.moved:
        return ""
    by = f"before “{account.moved_by}”" if account.moved_by else "when it was made"
    return f"That was true {by}; now {figure(metric, account.value_now)}."


def together(titles: Sequence[str]) -> str:
    """What several moves of one kind do, in the words that their titles have in common."""
    words = [title.split() for title in titles]
    shared = 0
    while all(len(item) > shared and item[shared] == words[0][shared] for item in words):
        shared += 1
    common = " ".join(words[0][:shared]).rstrip(":,")
    return f"{common} …: {len(titles)} moves" if common else f"{len(titles)} moves like this"


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
