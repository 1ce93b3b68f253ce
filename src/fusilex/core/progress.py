"""How far long work has come, and a way to leave it."""

from __future__ import annotations

from collections.abc import Callable

Step = Callable[[float, str], None]
"""Called with the share done (0 to 1) and what is being done; raises `Left` to end the work there."""


class Left(Exception):
    """Somebody does not want to wait for this any more; nothing was changed."""


def quiet(share: float, what: str) -> None:
    """Nobody watches."""


def part_of(step: Step, start: float, stop: float) -> Step:
    """The steps of a part of the work, as steps of the whole."""
    return lambda share, what: step(start + (stop - start) * share, what)
