"""How far long work has come, and a way to leave it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

Step = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; raises `Left` to end the work there."""


class Left(Exception):
    """Somebody does not want to wait for this any more; nothing was changed."""


def quiet(share: float, what: str) -> None:
    """Nobody watches."""


def part_of(step: Step, start: float, stop: float) -> Step:
    """The steps of a part of the work, as steps of the whole."""
    return lambda share, what: step(start + (stop - start) * share, what)


T = TypeVar("T")
OFTEN = 2_000
"""Turns of a long loop between two questions whether it is still wanted."""


def _nobody() -> None:
    return None


_ask: ContextVar[Callable[[], None]] = ContextVar("ask", default=_nobody)


@contextmanager
def asking(ask: Callable[[], None]) -> Iterator[None]:
    """While this lasts, long loops of this thread call `ask` every now and then; it raises `Left` to end them."""
    token = _ask.set(ask)
    try:
        yield
    finally:
        _ask.reset(token)


def wanted_still() -> None:
    """Called inside long work. Raises `Left` when nobody waits for it any more."""
    _ask.get()()


def while_wanted(items: Iterable[T]) -> Iterator[T]:
    """The items, as long as somebody waits for what is made of them. Raises `Left`.

    >>> list(while_wanted("abc"))
    ['a', 'b', 'c']
    """
    for n, item in enumerate(items):
        if n % OFTEN == 0:
            wanted_still()
        yield item
