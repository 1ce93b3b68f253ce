"""Boards of one batch that differ: another value, another part number, fitted or not."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.model import Part


class PartChange(Struct, frozen=True):
    """What is otherwise about one part; None leaves it as drawn."""

    ref: str
    value: str | None = None
    part_number: str | None = None
    fitted: bool | None = None

    @property
    def words(self) -> str:
        """``D2 green, SR-0644``, ``R5 not fitted``."""
        if self.fitted is False:
            return f"{self.ref} not fitted"
        told = ", ".join(word for word in (self.value, self.part_number) if word)
        return f"{self.ref} {told or 'fitted'}"


Variant = tuple[PartChange, ...]
"""At most one change a part, by its reference; () is the board as drawn."""


def varied(variant: Variant, change: PartChange) -> Variant:
    """A variant with one more change; it wins over what was said of the part before.

    >>> one = varied((), PartChange("R1", value="1 k"))
    >>> [c.words for c in varied(one, PartChange("R1", fitted=False))]
    ['R1 not fitted']
    """
    return tuple(sorted((*(c for c in variant if c.ref != change.ref), change), key=lambda c: c.ref))


def built(parts: Iterable[Part], variant: Variant) -> list[Part]:
    """The parts of a board of a variant. A part that is given a value is fitted."""
    changes = {change.ref: change for change in variant}
    return [_changed(part, changes[part.ref]) if part.ref in changes else part for part in parts]


def _changed(part: Part, change: PartChange) -> Part:
    named = change.value is not None or change.part_number is not None
    return replace(
        part,
        value=part.value if change.value is None else change.value,
        part_number=(change.part_number or "") if named else part.part_number,
        populate=named if change.fitted is None else change.fitted,
    )
