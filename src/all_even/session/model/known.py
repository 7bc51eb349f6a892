"""What is worked out of a part of a session is known as long as that very part is there: parts never change, and most
states have most of them in common. To ask whether another one is equal takes as long as its ten thousand points."""

import functools
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")


def known_of(most: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Keeps what a function found for the last so many first arguments (and any others, by value). From any thread."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        kept: OrderedDict[tuple[Any, ...], tuple[Any, R]] = OrderedDict()

        @functools.wraps(function)
        def ask(*given: P.args, **named: P.kwargs) -> R:
            key = (id(given[0]), *given[1:], *named.items())
            found = kept.get(key)
            if found is not None and found[0] is given[0]:
                return found[1]
            made = function(*given, **named)
            kept[key] = given[0], made  # as long as it is kept, nothing else has its identity
            while len(kept) > most:
                try:
                    kept.popitem(last=False)
                except KeyError:  # another thread was quicker
                    break
            return made

        return ask

    return decorate
