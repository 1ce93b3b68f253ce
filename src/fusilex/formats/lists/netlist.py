"""IPC-D-356A netlists into test points."""

from __future__ import annotations

import re
import warnings

from fusilex.core.design.model import NetPoint
from fusilex.core.problems import BadInput


def read_netlist(data: bytes, name: str) -> tuple[NetPoint, ...]:
    """Read the 317, 327 and 367 records of a netlist. Raises `BadInput` naming the line."""
    from gerbonara.ipc356 import Netlist
    from gerbonara.utils import MM

    text = re.sub(r"^P\s+UNITS\s+SI\b.*$", "P  UNITS CUST 1", data.decode("utf-8", errors="replace"), flags=re.M)
    text = re.sub(r"^C .*\n?\Z", "", text.rstrip() + "\n", flags=re.M)  # a comment behind the end
    if not re.search(r"^999", text, re.M):
        raise BadInput(name, "the end record 999 of a whole netlist", "none", f"line {text.count(chr(10)) + 1}")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            parsed = Netlist.from_string(text, filename=name)
    except Exception as error:  # the parser raises whatever its tables happen to raise
        line = re.search(r":(\d+):", str(error))
        place = f"line {int(line[1]) + 1}" if line else ""
        raise BadInput(name, "IPC-D-356A records", "one that is none", place) from error
    points = []
    for record in parsed.test_records:
        if record.x is None or record.y is None:
            continue
        scale = float(record.unit.convert_to(MM, 1.0))
        side = {1: "top", 2: "bottom"}.get(record.access_layer) if record.pad_type.value == 2 else None
        points.append(
            NetPoint(
                record.net_name,
                "" if record.is_via else record.ref_des or "",
                record.pin or "",
                record.x * scale,
                record.y * scale,
                side,
            )
        )
    return tuple(points)
