"""Every package of the design: size, height, mass, terminations, and where the numbers come from."""

from __future__ import annotations

from fusilex.bench.stations.ready import typed_input
from fusilex.core.design.model import Part
from fusilex.core.design.pad_evidence import pattern_of
from fusilex.core.evidence import Level
from fusilex.core.quantities import MM, write, write_size
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

_MASS_FROM = {"typical": "typical", "volume": "estimate", "workshop": "measured here"}


class PackagesView(View):
    name = "Packages"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        columns = [
            Column("package", 2.2),
            Column("parts", 0.6, True),
            Column("size", 2.0),
            Column("mass mg", 0.9, True),
            Column("mass is", 1.1),
            Column("pads", 2.3),
            Column("mark", 0.95),
        ]
        self.table = Rows("Packages of this design", columns, "No parts yet.")
        self.table.picked.connect(lambda _: desk.changed.emit())
        self.column.addWidget(self.table, 1)

    def _groups(self) -> list[list[Part]]:
        groups: dict[str, list[Part]] = {}
        for part in self.bench.design.parts:
            if part.populated:
                groups.setdefault(part.package.code, []).append(part)
        return sorted(groups.values(), key=lambda g: (g[0].package.told, g[0].package.known, -g[0].package.mass_mg))

    def refresh(self) -> None:
        rows, marks = [], []
        for group in self._groups():
            package, part = group[0].package, group[0]
            pads = pattern_of(part.pads, (part.x, part.y), part.rotation_deg, part.side).words if part.pads else "none"
            long, wide = max(package.size_x, package.size_y), min(package.size_x, package.size_y)
            size = f"{write_size(long, wide).rpartition(' ')[0]} × {write(package.height, MM)}"
            mark = "none" if package.told else "not known"
            if package.polarised and package.told:
                mark = {"diode": "cathode", "led": "cathode", "electrolytic": "plus", "holder": "plus"}.get(
                    package.family, "pin 1"
                )
            rows.append(
                (
                    package.code or "no name",
                    str(len(group)),
                    size,
                    f"{package.mass_mg:.4g}",
                    _MASS_FROM[package.mass_from],
                    pads,
                    mark,
                )
            )
            marks.append(None if package.known and package.told else Level.CARE if package.told else Level.UNKNOWN)
        self.table.show_rows(rows, marks)

    @property
    def group(self) -> list[Part] | None:
        groups = self._groups()
        return groups[self.table.chosen] if groups else None

    def keys(self) -> list[Key]:
        return [
            Key("E", "correct size and mass", lambda _: self._edit()),
            Key("Up Down", "choose a package", lambda key: self.table.step(1 if key == "Down" else -1)),
        ]

    def _edit(self) -> None:
        if group := self.group:
            package = group[0].package
            given = (
                f"{package.size_x:.4g} x {package.size_y:.4g} x {package.height:.4g} mm {package.mass_mg:.6g} mg"
                + ("" if not package.told else " marked" if package.polarised else " unmarked")
            )
            what = "measures" if package.told else "measures, and is marked or unmarked"
            self.desk.ask(f"{package.code} {what}", lambda text: self._edited(package.code, text), given)

    def _edited(self, code: str, text: str) -> None:
        if command := self.desk.read(lambda: typed_input.package(code, text)):
            self.desk.do(command, f"{code}: kept for every batch of this workshop.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        group = self.group
        if not group:
            return "", []
        refs = ", ".join(p.ref for p in group[:8]) + (" …" if len(group) > 8 else "")
        package = group[0].package
        return package.code, [
            ("for", refs),
            ("in the catalogue", "yes" if package.known else "no, size guessed"),
            ("kind", package.family),
            ("mounted", {"smd": "on pads", "tht": "in holes"}.get(package.mount, package.mount)),
        ]
