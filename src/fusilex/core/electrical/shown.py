"""What a meter shows between two nets of a good board beside plain resistance: capacitors that charge, diodes that
conduct one way.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping

from msgspec import Struct

from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.design.model import Design, Pad
from fusilex.core.values import read_ohms, read_value

METER_OHM = 1e4
"""What an ohmmeter puts before a capacitor on its middle ranges; a charge of five time constants is over."""
CLIMBS_FROM_F = 10e-9
"""Less charges before anyone has looked."""
MOST_CHARGE_S = 10.0
WIRE_UP_TO_OHM = 100.0
"""A resistor up to this leaves a charge's climb, and a diode's drop, to be seen through it."""
_DIODES = ("diode", "led")


class Shown(Struct, frozen=True):
    """How a reading comes about: `climbs_s` seconds (0: at once) while `farad` charge; `red` is the pad for the red tip
    for which a diode conducts, '' where none does.
    """

    farad: float = 0.0
    climbs_s: float = 0.0
    red: str = ""

    @property
    def words(self) -> str:
        """For the person with the tips: '' where the reading stands at once and either way round."""
        found = ["starts low, climbs"] if self.climbs_s else []
        found += [f"one way: with red on {self.red} it reads lower"] if self.red else []
        return "; ".join(found)


AT_ONCE = Shown()


class Between(Struct, frozen=True, eq=False):
    """Capacitors and diodes of a design by the nets they join; coils and small resistors count as wires."""

    group: Mapping[str, int]
    farads: Mapping[tuple[int, int], float]
    one_way: Mapping[int, tuple[tuple[int, str], ...]]

    def shown(self, a: str, b: str) -> Shown:
        """How a reading between two nets comes about."""
        if a not in self.group or b not in self.group:
            return AT_ONCE
        i, j = self.group[a], self.group[b]
        farad = self.farads.get((min(i, j), max(i, j)), 0.0)
        climbs = min(5 * METER_OHM * farad, MOST_CHARGE_S) if farad >= CLIMBS_FROM_F else 0.0
        red = "" if i == j else self._through(i, j) or self._through(j, i)
        return Shown(farad, climbs, red)

    def _through(self, start: int, end: int) -> str:
        """The first anode on a way from one group to another through diodes, '' where there is none."""
        seen, queue = {start}, deque([(start, "")])
        while queue:
            here, first = queue.popleft()
            for to, anode in self.one_way.get(here, ()):
                if to == end:
                    return first or anode
                if to not in seen:
                    seen.add(to)
                    queue.append((to, first or anode))
        return ""


def between_nets(design: Design) -> Between:
    """Groups of nets that fitted coils and small resistors join, what capacitance stands between them, and which way
    diodes conduct. A diode whose files do not say which pad is its cathode conducts no way that could be told.
    """
    names = sorted({p.net for p in design.pads if p.net})
    at = {name: i for i, name in enumerate(names)}
    joined = DisjointSet(len(names))
    two = [p for p in design.parts if p.populated and len(_ends(p.pads)) == 2]
    for part in two:
        ohm = read_ohms(part.value) if part.package.family == "resistor" else None
        if part.package.family == "inductor" or (ohm is not None and ohm <= WIRE_UP_TO_OHM):
            a, b = (at[net] for net in _ends(part.pads))
            joined.join(a, b)
    group = {name: joined.find(i) for name, i in at.items()}
    farads: dict[tuple[int, int], float] = {}
    one_way: dict[int, list[tuple[int, str]]] = {}
    for part in two:
        i, j = (group[net] for net in _ends(part.pads))
        if i == j:
            continue
        if part.package.family in ("capacitor", "electrolytic"):
            value = read_value(part.value, "capacitor").value or 0.0
            farads[min(i, j), max(i, j)] = farads.get((min(i, j), max(i, j)), 0.0) + value
        elif part.package.family in _DIODES and (cathode := part.pin_one) is not None and cathode.net:
            anode = next(p for p in part.pads if p.net and p.net != cathode.net)
            one_way.setdefault(group[anode.net or ""], []).append((group[cathode.net], anode.name))
    return Between(group, farads, {k: tuple(v) for k, v in one_way.items()})


def _ends(pads: Iterable[Pad]) -> list[str]:
    """The nets of a part, in order."""
    return sorted({p.net for p in pads if p.net})
