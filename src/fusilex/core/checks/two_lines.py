"""Lines of the bill of materials that mean one part: bought twice, or kept in two bins."""

from __future__ import annotations

import re
from collections import defaultdict

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.design.model import Design, Part
from fusilex.core.design.pads import lines_by_ref
from fusilex.core.evidence import Level
from fusilex.core.quantities import Quantity
from fusilex.core.values import read_value
from fusilex.core.wording import listed, say


def two_lines(design: Design) -> list[Finding]:
    """One finding for every value and body that stands on the bill in two writings or under two part numbers.

    A list with one part a line says the same thing many times; that is its habit and no finding.
    """
    lines = lines_by_ref(design)
    groups: dict[tuple[object, ...], dict[tuple[str, str], list[Part]]] = defaultdict(lambda: defaultdict(list))
    for part in design.parts:
        if part.populated and part.ref in lines and (meaning := _meaning(part)):
            groups[meaning][part.value, part.part_number].append(part)
    found = []
    for writings in groups.values():
        if len(writings) < 2:
            continue
        first, *others = (parts[0] for parts in writings.values())
        places = tuple(str(lines[p.ref].line) for p in (first, *others))
        numbers = tuple(dict.fromkeys(n for _, n in writings if n))
        case = "on several lines, several numbers" if len(numbers) > 1 else "on several lines"
        says = say(case, part=f"{first.value} {first.package.code}", lines=places, numbers=numbers)
        fix = Fix(
            "one-line",
            first.ref,
            {"with": [p.ref for p in others]},
            f"lines {listed(places, 9)} made one: {first.value}",
        )
        refs = tuple(p.ref for parts in writings.values() for p in parts)
        numbers_behind = (
            Quantity("writings", "; ".join(dict.fromkeys(v for v, _ in writings))),
            Quantity("parts", len(refs)),
        )
        found.append(Finding("two-lines", first.ref, "bom", says, None, None, Level.CARE, numbers_behind, fix, refs))
    return found


def _meaning(part: Part) -> tuple[object, ...] | None:
    """What makes two parts the same thing to buy, None where the lists do not say enough."""
    said = read_value(part.value, part.package.family)
    package = part.package.chip or part.package.code.strip().lower()
    if said.value is not None:
        return part.package.family, said.value, said.volts, said.tolerance_percent, said.dielectric, package
    plain = re.sub(r"\W+", "", part.value).lower()
    return (part.package.family, plain, package) if plain and package else None
