"""What a finding about a design's files is, and which kinds there are."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.checks.fixes import Fix
from fusilex.core.judgement import Because, Level


class Finding(Struct, frozen=True):
    """One disagreement. `kind` is a key of `ORDER`; `where` says between which files; `fix` mends it, where one can."""

    kind: str
    ref: str
    where: str
    text: str
    x: float | None = None
    y: float | None = None
    level: Level = Level.STOP
    because: tuple[Because, ...] = ()
    fix: Fix | None = None
    refs: tuple[str, ...] = ()


ORDER = (
    "panel",
    "layers",
    "systematic",
    "rotations",
    "size-code",
    "size",
    "renamed",
    "missing",
    "doubled",
    "side",
    "off-board",
    "populate",
    "rotation",
    "overlap",
    "two-lines",
    "quantity",
)
"""Kinds of finding, by what they would cost."""
