"""Lists for people and spreadsheets, as CSV."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from fusilex.core.checks.advice import Suggestion
from fusilex.core.kit.stock import BuyLine
from fusilex.formats.written.words import csv_line


def to_csv(columns: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A header and rows, commas between, lines ended by a line feed; no cell is a formula to a spreadsheet."""
    return "".join(csv_line(row) for row in (columns, *rows))


def buy_csv(lines: Iterable[BuyLine]) -> str:
    """The shopping list: one row a line that stock does not cover."""
    columns = ("part_number", "value", "package", "refs", "per_board", "need", "pull", "in_stock", "buy")
    rows = (
        (
            b.line.part_number,
            b.line.value,
            b.line.package.code,
            " ".join(b.line.refs),
            b.line.per_board,
            b.line.need,
            b.line.pull,
            b.have,
            b.buy,
        )
        for b in lines
    )
    return to_csv(columns, rows)


def suggestions_csv(found: Iterable[Suggestion]) -> str:
    """The list for the designer."""
    return to_csv(("kind", "ref", "better", "because"), ((s.kind, s.ref, s.text, s.why) for s in found))
