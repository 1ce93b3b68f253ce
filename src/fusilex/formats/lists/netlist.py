"""IPC-D-356A netlists into test points."""

from __future__ import annotations

import re

from fusilex.core.design.model import NetPoint
from fusilex.core.problems import BadInput
from fusilex.core.progress import while_wanted

INCH_STEP_MM, MM_STEP = 0.00254, 0.001
"""What one of the last digit means (IPC-D-356A): a ten-thousandth of an inch, or a thousandth of a millimetre."""
_UNITS = {"SI": MM_STEP, "CUST 1": MM_STEP, "CUST": INCH_STEP_MM, "CUST 0": INCH_STEP_MM, "CUST 2": INCH_STEP_MM}
_SIDES = {1: "top", 2: "bottom"}


def read_netlist(data: bytes, name: str) -> tuple[NetPoint, ...]:
    """Read the 317, 327 and 367 records of a netlist, fields by their columns. Raises `BadInput` naming the line.

    A net's name that is longer than its field stands behind an alias in a parameter (NNAME).

    >>> text = b"P  UNITS CUST 1\\n327VCC              R1    -1          A01X+001000Y+002500\\n999\\n"
    >>> [(p.net, p.ref, p.pin, p.x, p.y, p.side) for p in read_netlist(text, "")]
    [('VCC', 'R1', '1', 1.0, 2.5, 'top')]
    """
    text = data.decode("utf-8", errors="replace")
    if not re.search(r"^999", text, re.M):
        raise BadInput(name, "the end record 999 of a whole netlist", "none", f"line {text.count(chr(10)) + 1}")
    step: float | None = None
    points: list[NetPoint] = []
    aliases: dict[str, str] = {}
    for number, line in while_wanted(_records(text)):
        try:
            if line[0] in "CP" and (said := re.match(r"[CP]\s+(NNAME\S*)\s+(.*)", line)):
                aliases[said[1]] = said[2].strip()
            elif line[0] == "P" and (said := re.match(r"P\s+UNITS\s+(SI\b|CUST\b.*)", line)):
                step = _UNITS[" ".join(said[1].split())]
            elif line[:3] in ("317", "327", "367"):
                if step is None:
                    raise ValueError("no unit is stated before it")
                if (point := _point(line.ljust(80), step, aliases)) is not None:
                    points.append(point)
        except (ValueError, KeyError) as problem:
            raise BadInput(name, "IPC-D-356A records", f"“{line[:32]}” ({problem})", f"line {number}") from problem
    return tuple(points)


def _records(text: str) -> list[tuple[int, str]]:
    """Records with the lines they begin in; what goes on in lines that begin with 0 is joined."""
    found: list[tuple[int, str]] = []
    for number, line in enumerate(text.splitlines(), 1):
        if line[:1] == "0" and found:
            found[-1] = found[-1][0], found[-1][1].rstrip() + line[3:].rstrip()
        elif line:
            found.append((number, line))
    return found


def _point(line: str, step: float, aliases: dict[str, str]) -> NetPoint | None:
    """A test record; None for one without a place."""
    if line[41] != "X" or line[49] != "Y" or not line[42:49].strip() or not line[50:57].strip():
        return None
    net, ref = line[3:17].strip(), line[20:26].strip()
    side = _SIDES.get(int(line[39:41])) if line[38] == "A" and line[1] == "2" else None
    return NetPoint(
        None if net in ("", "N/C") else aliases.get(net, net),
        "" if ref == "VIA" else ref,
        line[27:31].strip(),
        int(line[42:49]) * step,
        int(line[50:57]) * step,
        side,
    )
