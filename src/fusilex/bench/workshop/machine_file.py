"""A machine's or an oven's JSON: one record alone, or a file of records with one of its kind in it."""

from __future__ import annotations

from pathlib import Path
from typing import TypeVar

from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.records import FORMAT, read_record, read_records
from fusilex.core.machine.model import Machine
from fusilex.core.problems import BadInput, read_json
from fusilex.formats.bundle import read_one

R = TypeVar("R", bound=Record)


def read_machine(file: str) -> Machine:
    """The placing machine that a file describes. Raises `BadInput`."""
    return read_alone(file, Placer).machine


def read_alone(file: str, kind: type[R]) -> R:
    """The one record of a kind that a file holds. Raises `BadInput`."""
    path = Path(file)
    data = read_one(path)
    whole = read_json(data, path.name)
    if isinstance(whole, dict) and whole.get("format") == FORMAT:
        found = [r for r in read_records(data, path.name) if isinstance(r, kind)]
        if len(found) != 1:
            raise BadInput(path.name, f"one {kind.what} among its records", str(len(found)))
        return found[0]
    if not isinstance(whole, dict):
        raise BadInput(path.name, f"{_article(kind)} {kind.what}, or records with one", "something else")
    record = read_record({"kind": kind.what, **{k: v for k, v in whole.items() if k != "format"}}, path.name)
    if not isinstance(record, kind):
        raise BadInput(path.name, f"{_article(kind)} {kind.what}", record.what)
    return record


def _article(kind: type[Record]) -> str:
    return "an" if kind.what[0] in "aeiou" else "a"
