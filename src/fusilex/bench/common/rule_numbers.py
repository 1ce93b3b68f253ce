"""Numbers of the workshop's records in the texts of rules: what the rule goes by for the batch in hand."""

from __future__ import annotations

from collections.abc import Callable

from fusilex.bench.batch import Batch
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import Limits, PasteSheet, Window
from fusilex.bench.workshop.records import Records
from fusilex.core.quantities import Quantity, Range, amount
from fusilex.core.reflow.windows import ProcessWindow

Asked = Callable[[Batch | None], object]


def paste(field: str, unit: str) -> Asked:
    """A number of the paste that the batch is printed with."""
    return lambda batch: number_of(sheet(batch), field, unit)


def limit(field: str, unit: str = "", times: float = 1.0) -> Asked:
    """A number that this shop goes by."""
    return lambda batch: number_of(_first(batch, Limits), field, unit, times)


def window(field: str, unit: str, of: Callable[[Batch], ProcessWindow] | None = None) -> Asked:
    """A number of the window that the batch's paste asks for, or of another one."""

    def ask(batch: Batch | None) -> object:
        own = Window(id="usual").process_window if batch is None else of(batch) if of else paste_window(batch)
        return number_of(own, field, unit)

    return ask


def paste_window(batch: Batch) -> ProcessWindow:
    return batch.workshop[Records].window(batch.state.paste)


def sheet(batch: Batch | None) -> PasteSheet:
    return PasteSheet(id="usual") if batch is None else batch.workshop[Records].paste(batch.state.paste)


def _first(batch: Batch | None, kind: type[Limits]) -> Record:
    return kind(id="usual") if batch is None else batch.workshop[Records].first(kind)


def number_of(record: object, field: str, unit: str, times: float = 1.0) -> Quantity | Range:
    """A field of a record as a quantity, or as a range where it is a pair."""
    value = getattr(record, field)
    if isinstance(value, tuple):
        return Range(value[0] * times, value[1] * times, unit)
    return amount(value * times, unit)
