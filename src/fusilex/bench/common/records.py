"""Commands about what the workshop owns; each leaves its mark in the batch, so that undo finds it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import msgspec

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import KINDS
from fusilex.bench.workshop.records import (
    Offer,
    OfferLeft,
    RecordOffered,
    RecordRemoved,
    Records,
    RecordSet,
    read_record,
    read_records,
)
from fusilex.journal.entries import Event


class WorkshopNoted(Event, frozen=True):
    """Something of the workshop is otherwise: its mark in the batch."""

    kind: ClassVar[str] = "workshop_noted"
    what: str

    @property
    def words(self) -> str:
        return self.what


class SetRecord(Command, frozen=True):
    """A record as its JSON form says. Raises `BadInput` where that is wrong."""

    kind: str
    body: Mapping[str, Any]
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        made = read_record({**self.body, "kind": self.kind})
        if batch.workshop[Records].all(type(made)).get(made.id) == made:
            return Result()
        return Result([WorkshopNoted(f"{made.what} {made.id}")], [_set(made)])


class RemoveRecord(Command, frozen=True):
    """The workshop has something no more."""

    kind: str
    id: str
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        if self.kind not in KINDS or self.id not in batch.workshop[Records].all(KINDS[self.kind]):
            raise Refused(f"The workshop has no {self.kind} {self.id}.")
        if self.kind == "paste" and self.id == batch.state.paste:
            raise Refused(f"This batch is printed with {self.id} paste: choose another first.")
        return Result([WorkshopNoted(f"taking away {self.kind} {self.id}")], [RecordRemoved(self.kind, self.id)])


class ReadRecords(Command, frozen=True):
    """Records of a file, as another bench wrote them, are offered: all, or none where one is wrong."""

    name: str
    data: bytes
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        read = read_records(self.data, self.name)
        there = batch.workshop[Records]
        fresh = [made for made in read if there.all(type(made)).get(made.id) != made]
        if not fresh:
            raise Refused(f"The workshop has all of {self.name} already.")
        offers: list[Event] = [RecordOffered(m.what, m.id, msgspec.to_builtins(m), self.name) for m in fresh]
        return Result([WorkshopNoted(f"what {self.name} offers")], offers)


class AcceptOffer(Command, frozen=True):
    """A record that was offered is so from now on."""

    kind: str
    id: str
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        offer = _offer(batch, self.kind, self.id)
        if offer.record is None:
            return RemoveRecord(self.kind, self.id).decide(batch)
        return Result([WorkshopNoted(f"{offer.what} {offer.id} of {offer.source}")], [_set(offer.record)])


class LeaveOffer(Command, frozen=True):
    """What was offered is left: the own record stays."""

    kind: str
    id: str
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        offer = _offer(batch, self.kind, self.id)
        return Result([WorkshopNoted(f"leaving {offer.what} {offer.id}")], [OfferLeft(offer.what, offer.id)])


def _offer(batch: Batch, kind: str, id: str) -> Offer:
    found = batch.workshop[Records].offers.get((kind, id))
    if found is None:
        raise Refused(f"No {kind} {id} is offered.")
    return found


def _set(made: Record) -> RecordSet:
    return RecordSet(made.what, msgspec.to_builtins(made))


EVENTS = (WorkshopNoted,)
COMMANDS = (SetRecord, RemoveRecord, ReadRecords, AcceptOffer, LeaveOffer)
