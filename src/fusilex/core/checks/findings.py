"""What a finding about a design's files is, and which kinds there are."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.checks.fixes import Fix
from fusilex.core.evidence import Level
from fusilex.core.quantities import Quantity
from fusilex.core.wording import Said, worded


class Finding(Struct, frozen=True):
    """One disagreement. `kind` is a key of `ORDER`; `where` says between which files; `fix` mends it, where one can."""

    kind: str
    ref: str
    where: str
    says: Said
    x: float | None = None
    y: float | None = None
    level: Level = Level.STOP
    quantities: tuple[Quantity, ...] = ()
    fix: Fix | None = None
    refs: tuple[str, ...] = ()

    @property
    def rule(self) -> str:
        return f"ready.{self.kind}"

    @property
    def text(self) -> str:
        """What it says, in the chosen units."""
        return worded(self.rule, self.says, self.quantities, self.refs)


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
