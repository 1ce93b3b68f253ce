"""What the workshop owns and goes by, as records: pastes, jars, stencils, ovens, instruments, people, limits.

Each kind is a class with its fields' ranges; a JSON file of them can be written, read and shared between benches. What
ships is an invented set, so that nobody has to type anything; a record of the same name set here wins over it.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from typing import Any, ClassVar, TypeVar

import msgspec

from fusilex.bench.state import WorkshopState
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import KINDS, Instrument, PasteSheet, Window
from fusilex.core.problems import BadInput, read_json
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.journal.entries import Entry, Event

FORMAT = "fusilex-workshop-1"
MOST_RECORDS = 2000
Kind = TypeVar("Kind", bound=Record)


class Offer(msgspec.Struct, frozen=True):
    """A record as a file from outside has it, None where it has none any more. Nothing goes by it before somebody here
    accepts it.
    """

    what: str
    id: str
    record: Record | None
    source: str

    def differences(self, own: Record | None) -> list[str]:
        """What would be otherwise, field by field: the own value, then the offered one."""
        if self.record is None:
            return ["taken away"]
        now = msgspec.to_builtins(own) if own is not None else {}
        then = msgspec.to_builtins(self.record)
        told = {name: (now.get(name), value) for name, value in then.items() if name != "id"}
        fresh = own is None
        return [
            f"{name.replace('_', ' ')}: {value!r}" if fresh else f"{name.replace('_', ' ')}: {before!r} → {value!r}"
            for name, (before, value) in told.items()
            if before != value and not (fresh and value in ("", None, 0, [], {}))
        ]


class Records(msgspec.Struct):
    """Records set here, by kind and name; None where one that ships was taken away. `offers` lie beside them."""

    own: dict[str, dict[str, Record | None]] = {}
    offers: dict[tuple[str, str], Offer] = {}

    def note(self, what: str, id: str, record: Record | None) -> None:
        """A record is so from now on; None takes it away."""
        self.own.setdefault(what, {})[id] = record
        self.offers.pop((what, id), None)

    def offered(self, kind: type[Record]) -> list[Offer]:
        """Offers of a kind that differ from what is here."""
        here = self.all(kind)
        return [o for o in self.offers.values() if o.what == kind.what and here.get(o.id) != o.record]

    def all(self, kind: type[Kind]) -> dict[str, Kind]:
        """Records of a kind by name: those that ship and those set here."""
        found = _shipped_as(kind.what) | self.own.get(kind.what, {})
        return {id: record for id, record in found.items() if isinstance(record, kind)}

    def first(self, kind: type[Kind]) -> Kind:
        """The one in use where there is one only: the first of its kind, or one with the usual numbers."""
        return next(iter(self.all(kind).values()), None) or kind(id="usual")

    def paste(self, name: str) -> PasteSheet:
        """A paste by its name; one with the usual numbers where nobody has its sheet any more."""
        return self.all(PasteSheet).get(name) or PasteSheet(id=name)

    def window(self, paste: str) -> ProcessWindow:
        """The window of a paste. A paste whose window is gone has the usual one of its name."""
        wanted = self.paste(paste).window
        return (self.all(Window).get(wanted) or Window(id=wanted)).process_window


class RecordSet(Event, frozen=True):
    """A record is so from now on."""

    kind: ClassVar[str] = "record_set"
    what: str
    body: dict[str, Any]

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        if made := read_record({"kind": self.what, **self.body}):
            state[Records].note(made.what, made.id, made)


class RecordRemoved(Event, frozen=True):
    """The workshop has it no more."""

    kind: ClassVar[str] = "record_removed"
    what: str
    id: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Records].note(self.what, self.id, None)


class RecordOffered(Event, frozen=True):
    """A file from outside has a record otherwise; no body where it has none."""

    kind: ClassVar[str] = "record_offered"
    what: str
    id: str
    body: dict[str, Any] | None
    source: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        made = None if self.body is None else read_record({"kind": self.what, **self.body})
        state[Records].offers[self.what, self.id] = Offer(self.what, self.id, made, self.source)


class OfferLeft(Event, frozen=True):
    """Somebody looked at what was offered and left it."""

    kind: ClassVar[str] = "offer_left"
    what: str
    id: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Records].offers.pop((self.what, self.id), None)


def read_record(row: dict[str, Any], file: str = "record", place: str = "") -> Record:
    """A record from its JSON form. Raises `BadInput`."""
    what = row.get("kind") if isinstance(row, dict) else None
    if not isinstance(what, str) or what not in KINDS:
        raise BadInput(file, f"a record of the kind {', '.join(KINDS)}", str(what), place)
    try:
        return msgspec.convert({k: v for k, v in row.items() if k != "kind"}, KINDS[what], strict=True)
    except msgspec.ValidationError as problem:
        article = "an" if what[0] in "aeiou" else "a"
        raise BadInput(file, f"{article} {what} as its fields say", str(problem), place) from problem


def read_records(data: bytes, file: str) -> list[Record]:
    """Records of a file. Raises `BadInput`; nothing is taken where one of them is wrong."""
    whole = read_json(data, file)
    if not isinstance(whole, dict) or whole.get("format") != FORMAT or not isinstance(whole.get("records"), list):
        raise BadInput(file, f"records written as {FORMAT}", "something else")
    rows = whole["records"]
    if len(rows) > MOST_RECORDS:
        raise BadInput(file, f"at most {MOST_RECORDS} records", str(len(rows)))
    return [read_record(row, file, f"record {n}") for n, row in enumerate(rows, 1)]


def write_records(records: list[Record]) -> bytes:
    """The JSON form of records, to be read back or edited by hand."""
    rows = [{"kind": r.what, **msgspec.to_builtins(r)} for r in records]
    return msgspec.json.format(msgspec.json.encode({"format": FORMAT, "records": rows}), indent=1) + b"\n"


@cache
def shipped() -> dict[tuple[str, str], Record]:
    """The invented set that ships."""
    data = (files("fusilex") / "assets" / "workshop.json").read_bytes()
    return {(r.what, r.id): r for r in read_records(data, "workshop.json")}


@cache
def _shipped_as(what: str) -> dict[str, Record | None]:
    return {r.id: r for r in shipped().values() if r.what == what}


def port_of(records: Records, measures: str = "mass") -> str:
    """The port of the instrument that measures something, '' where none is on record."""
    found = (i.port for i in records.all(Instrument).values() if i.measures == measures and i.port)
    return next(found, "")


EVENTS = (RecordSet, RecordRemoved, RecordOffered, OfferLeft)
SLICES = (Records,)
