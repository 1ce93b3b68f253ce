"""A machine's JSON: one record alone, or a file of records with one placer in it."""

from __future__ import annotations

from pathlib import Path

from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.records import FORMAT, read_record, read_records
from fusilex.core.machine.model import Machine
from fusilex.core.problems import BadInput, read_json
from fusilex.formats.bundle import read_one


def read_machine(file: str) -> Machine:
    """The machine that a file describes. Raises `BadInput`."""
    path = Path(file)
    data = read_one(path)
    whole = read_json(data, path.name)
    if isinstance(whole, dict) and whole.get("format") == FORMAT:
        found = [r for r in read_records(data, path.name) if isinstance(r, Placer)]
        if len(found) != 1:
            raise BadInput(path.name, "one placer among its records", str(len(found)))
        return found[0].machine
    if not isinstance(whole, dict):
        raise BadInput(path.name, "a placer, or records with one", "something else")
    record = read_record({"kind": "placer", **{k: v for k, v in whole.items() if k != "format"}}, path.name)
    if not isinstance(record, Placer):
        raise BadInput(path.name, "a placer", record.what)
    return record.machine
