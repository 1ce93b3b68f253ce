"""What rules may ask of the stations of the route, without knowing any by name."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

from fusilex.bench.boards import Board
from fusilex.core.judgement import Judgement

Batch = Any
"""The batch, which holds the stations declared here."""
Thread = Mapping[str, str | Mapping[str, str]]
"""What a station's record knows of a board's parts: by attribute one value for all of them, or values by reference."""


class Declared(Protocol):
    """A station, as it declares itself."""

    @property
    def name(self) -> str: ...
    @property
    def about(self) -> str: ...
    @property
    def aside(self) -> bool: ...
    @property
    def cautions(self) -> Mapping[str, tuple[str, ...]]: ...
    @property
    def cautions_here(self) -> Callable[[Batch], tuple[str, ...]]: ...
    @property
    def judge(self) -> Callable[[Batch], list[Judgement]]: ...
    @property
    def lacks(self) -> Callable[[Batch, Board], list[str]]: ...
    @property
    def remarks(self) -> Callable[[Batch, Board], list[Judgement]]: ...
    @property
    def papers(self) -> Callable[[Batch, Board], dict[str, Any]]: ...
    @property
    def thread(self) -> Callable[[Batch, Board], Thread]: ...
    @property
    def doubts(self) -> Callable[[Batch, Board], Sequence[tuple[str, str]]]: ...
    @property
    def work(self) -> Callable[[Batch, Board], bool]: ...
