"""The window that a verb is asked by: one that ships, or a record in a file."""

from __future__ import annotations

from fusilex.bench.workshop.machine_file import read_alone
from fusilex.bench.workshop.record_kinds import Window
from fusilex.bench.workshop.records import shipped
from fusilex.core.problems import BadInput
from fusilex.core.reflow.windows import ProcessWindow


def window_by(name: str) -> ProcessWindow:
    """The window called so, or that of a file such as ``paste.json``. Raises `BadInput`."""
    known = {record.id: record for record in shipped().values() if isinstance(record, Window)}
    if name in known:
        return known[name].process_window
    if name.endswith(".json"):
        return read_alone(name, Window).process_window
    raise BadInput("--window", f"{', '.join(known)}, or a file of a window's record", name)
