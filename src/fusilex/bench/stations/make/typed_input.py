"""What people type while bare boards are made."""

from __future__ import annotations

from fusilex.bench.command import Command
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.make.commands import NUMBERS, EtchPanel, MakePanel
from fusilex.bench.typed_text import numbers

EXAMPLES = {
    "cut": "12 min",
    "transfer": "8 min, 5 passes, 180 C",
    "look": "6 min, 3 breaks, 2 pinholes, 5 touched",
    "etch": "14 min, 38 C, 35 um",
    "strip": "4 min",
    "drill": "20 min, 0.6 mm, 1 broken, 0.05 run-out",
    "look again": "5 min, 0.25 mm",
}


def done(panel: int, method: str, text: str) -> Command:
    """Minutes first, then the numbers of the method, in the order of its example."""
    found, wanted = numbers(text), NUMBERS[method]
    if len(found) != 1 + len(wanted):
        asked = ", ".join(("minutes", *(name.replace("_", " ") for name in wanted)))
        raise Refused(f"Type {asked}, such as {EXAMPLES[method]}.")
    minutes, *rest = found
    if method == "etch":
        return EtchPanel(panel, minutes, *rest)
    return MakePanel(panel, minutes, dict(zip(wanted, rest, strict=True)))
