"""What a person can ask for, and what it leads to."""

from __future__ import annotations

import math
from typing import ClassVar

import msgspec
from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.refusal import Refused
from fusilex.journal.entries import Event


class Result(Struct, frozen=True):
    """Events of the batch and of the workshop that a command leads to, and files to keep with them."""

    events: list[Event] = field(default_factory=list)
    workshop: list[Event] = field(default_factory=list)
    files: dict[str, bytes] = field(default_factory=dict)


class Command(msgspec.Struct, frozen=True):
    """Something a person does at the bench. `cautions` names the ones to be read before it; `at_rest` is True for what
    may be done with a batch that is paused, closed or put away.
    """

    cautions: ClassVar[str] = ""
    at_rest: ClassVar[bool] = False

    def decide(self, batch: Batch) -> Result:
        """What it leads to, from the batch as it stands. Raises `Refused` or `BadInput`."""
        raise NotImplementedError

    def check_kinds(self) -> None:
        """Every field is of its kind, and every number is one. Raises `Refused`."""
        for name in self.__struct_fields__:
            value, kinds = getattr(self, name), _KINDS.get(type(self).__annotations__[name])
            number = isinstance(value, float) and not math.isfinite(value)
            untrue = isinstance(value, bool) and kinds is not None and bool not in kinds
            if number or untrue or (kinds is not None and not isinstance(value, kinds)):
                raise Refused(f"{name.replace('_', ' ').capitalize()} cannot be {value!r}.")


_KINDS: dict[str, tuple[type, ...]] = {"int": (int,), "float": (int, float), "str": (str,), "bool": (bool,)}
