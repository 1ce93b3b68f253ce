"""Which nets are ground and supplies: what must not be joined before power goes on."""

from __future__ import annotations

import re

from fusilex.core.design.model import Design
from fusilex.core.electrical.shown import Between
from fusilex.core.values import read_value

_GROUND = re.compile(r"^(?:[ADPS]?GND\w?|[ADP]?VSS\w?|0V|GROUND|EARTH)$", re.IGNORECASE)
_SUPPLY = re.compile(
    r"^[+-]?\d+(?:[.,]\d+)?V\d*(?:_\w+)?$|^[+-]?V[A-Z0-9_+-]*$|^(?:AV|DV)[CDE]{2}\w*$|^P\d+V\d+$", re.IGNORECASE
)
RAIL_FARAD = 1e-6
LEAST_PADS = 3


def ground_of(design: Design) -> str | None:
    """The net that is ground: by its name, the one with most pads where several are; None where none is called so."""
    count: dict[str, int] = {}
    for pad in design.pads:
        if pad.net and _GROUND.match(pad.net.lstrip("/")):
            count[pad.net] = count.get(pad.net, 0) + 1
    return max(sorted(count), key=count.__getitem__, default=None)


def supplies(design: Design, between: Between) -> list[str]:
    """Nets that carry supply: called so and on three pads or more, or at a connector or coil; or with 1 µF or more to
    ground, whatever their name.
    """
    ground = ground_of(design)
    if ground is None:
        return []
    pads: dict[str, int] = {}
    fed: set[str] = set()
    held: dict[str, float] = {}
    for part in design.parts:
        nets = {p.net for p in part.pads if p.net}
        for pad in part.pads:
            if pad.net:
                pads[pad.net] = pads.get(pad.net, 0) + 1
        if part.package.family in ("inductor", "connector", "battery"):
            fed |= nets
        if (
            part.populated
            and part.package.family in ("capacitor", "electrolytic")
            and ground in nets
            and len(nets) == 2
        ):
            (net,) = nets - {ground}
            held[net] = held.get(net, 0.0) + (read_value(part.value, "capacitor").value or 0.0)
    named = {n for n in pads if _SUPPLY.match(n.lstrip("/"))}
    found = {n for n in named if pads[n] >= LEAST_PADS or n in fed or n in held}
    found |= {n for n, farad in held.items() if farad >= RAIL_FARAD}
    return sorted(found - {ground}, key=lambda n: (-pads[n], n))
