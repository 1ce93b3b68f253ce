"""The workshop's stock as a list: read from anybody's spreadsheet, written so that it can be read back."""

from __future__ import annotations

import re
from collections.abc import Iterable

from msgspec import Struct
from msgspec.structs import astuple, fields

from fusilex.core.packages.chips import chip_code
from fusilex.core.problems import BadInput
from fusilex.formats.lists.headings import BOM
from fusilex.formats.lists.numbers import number
from fusilex.formats.lists.tables import ListKind, Table, read_table
from fusilex.formats.written.csv_lists import to_csv

STOCK = ListKind(
    {
        "id": r"id|lot id|our (?:lot|number)|label",
        "form": r"form|packaging|packing|supplied as|verpackung|conditionnement",
        "part_number": BOM.wording["part_number"],
        "value": BOM.wording["value"],
        "package": BOM.wording["package"],
        "count": (
            r"counts?|q(?:uanti)?ty|quantit(?:y|[àé])|stock|in stock|on hand|available|pieces|pcs|amount|menge"
            r"|anzahl|bestand|st[üu]ck(?:zahl)?|cantidad"
        ),
        "place": r"places?|location|storage|drawer|shelf|bin|box|where|ort|lager(?:ort|platz)?|fach|emplacement|lugar",
        "date_code": r"date ?code|dc|datumscode",
        "maker_lot": r"(?:maker|manufacturer|supplier)s?(?: s)? (?:lot|batch)|lot(?: (?:code|no|number))?|charge",
        "level": r"(?:moisture )?(?:sensitivity )?level|msl|moisture",
    },
    {"count": r"~?\d{1,3}(?:[ ,.'’]?\d{3})*(?: ?(?:pcs?|st(?:ück)?|pieces))?"},
    ("count",),
    {"value": r"parts?|descriptions?|names?|bezeichnung|items?", "part_number": r"parts?"},
)
_SUM = re.compile(r"(?:sub|grand )?(?:total|sum|summe|somme)s?:?", re.I)
_FORMS = {
    "reel": r"reel|rolle|bobine|rollo",
    "strip": r"(?:cut )?(?:tape|strip)|streifen|gurt(?:abschnitt)?|bande",
    "tray": r"tray|matrix|plateau|bandeja",
    "tube": r"tube|stick|stange|rail",
    "bag": r"bag|bulk|loose|beutel|lose|sachet|vrac|bolsa|",
}


class StockRow(Struct, frozen=True):
    """A lot as a list gives it; `line` is where it stands."""

    id: str
    form: str
    part_number: str
    value: str
    package: str
    count: int
    place: str
    date_code: str
    maker_lot: str
    level: str
    line: int = 0


COLUMNS = tuple(f.name for f in fields(StockRow))[:-1]


def read_stock(data: bytes, name: str) -> tuple[StockRow, ...]:
    """Lots of a table of any header habit; rows that name no part or no count are headings and sums. Raises
    `BadInput`.
    """
    table = read_table(data, name, STOCK)
    if not (table.has("part_number") or table.has("value")):
        raise BadInput(name, "a column for part number or value", ", ".join(table.columns)[:80], "line 1")
    rows = [_row(table, row, line) for row, line in enumerate(table.lines) if _is_lot(table, row)]
    if not rows:
        raise BadInput(name, "at least one part with its count", "none")
    return tuple(rows)


def _is_lot(table: Table, row: int) -> bool:
    named = table.cell(row, "part_number") or table.cell(row, "value")
    return bool(named and table.cell(row, "count") and not _SUM.fullmatch(named))


def _row(table: Table, row: int, line: int) -> StockRow:
    def cell(field: str) -> str:
        return table.cell(row, field)

    level = re.sub(r"^(?:msl|level)\W*", "", cell("level").lower())
    return StockRow(
        cell("id"),
        _form(cell("form"), table.name, line),
        cell("part_number"),
        cell("value"),
        cell("package") or chip_code(cell("value")) or "",
        _count(cell("count"), table.name, line),
        cell("place"),
        cell("date_code"),
        cell("maker_lot"),
        "1" if level in ("", "-", "unlimited", "n/a") else level,
        line,
    )


def _form(word: str, name: str, line: int) -> str:
    found = next((form for form, words in _FORMS.items() if re.fullmatch(words, word.lower())), None)
    if found is None:
        raise BadInput(name, f"a form: {', '.join(_FORMS)}", f"“{word[:24]}”", f"line {line}, column form")
    return found


def _count(text: str, name: str, line: int) -> int:
    """A whole number of pieces; marks between thousands and the word for pieces do not count."""
    plain = re.sub(r"^~|\s*(?:pcs?|st(?:ück)?|pieces)\.?$", "", text.strip(), flags=re.I)
    if re.fullmatch(r"\d{1,3}(?:[ ,.'’]\d{3})+", plain):
        plain = re.sub(r"\D", "", plain)
    value, _ = number(plain, name, line, "count")
    if value < 0 or not value.is_integer():
        raise BadInput(name, "a whole number of pieces", f"“{text[:24]}”", f"line {line}, column count")
    return int(value)


def stock_csv(rows: Iterable[StockRow]) -> str:
    """Lots as CSV that `read_stock` reads back."""
    return to_csv(COLUMNS, (astuple(row)[:-1] for row in rows))
