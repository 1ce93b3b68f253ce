"""The shopping list as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from fusilex.core.kit.stock import BuyLine

COLUMNS = ("part_number", "value", "body", "refs", "per_board", "need", "pull", "in_stock", "buy")


def to_csv(lines: Sequence[BuyLine]) -> str:
    """One row a line that stock does not cover."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(COLUMNS)
    for b in lines:
        x = b.line
        writer.writerow(
            [x.part_number, x.value, x.body.code, " ".join(x.refs), x.per_board, x.need, x.pull, b.have, b.buy]
        )
    return stream.getvalue()
