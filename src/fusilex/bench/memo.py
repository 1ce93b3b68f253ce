"""What was worked out of a batch as it stands: kept until anything it may follow from is another."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class Memo:
    """Results by name, as long as the batch stands as it did: records of batch and workshop as long, the same design.

    What is kept here may follow from all of these and from its name, and from nothing else: not from the time.
    """

    def __init__(self) -> None:
        self._stands: tuple[Any, ...] = ()
        self._kept: dict[Hashable, Any] = {}

    def look(self, *stands: Any) -> None:
        """How the batch stands now; objects count as themselves. Whatever was worked out before goes if that is
        another.
        """
        same = len(stands) == len(self._stands) and all(
            a is b or (isinstance(a, int) and a == b) for a, b in zip(stands, self._stands, strict=True)
        )
        if not same:
            self._stands = stands
            self._kept.clear()

    def forget(self) -> None:
        """Begin anew: what was taken in is not kept after all."""
        self._stands = ()
        self._kept.clear()

    def of(self, name: Hashable, work: Callable[[], T]) -> T:
        """What `work` comes to under a name."""
        if name not in self._kept:
            self._kept[name] = work()
        found: T = self._kept[name]
        return found
